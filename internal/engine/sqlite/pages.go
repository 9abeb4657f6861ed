package sqlite

import (
	"encoding/binary"
	"errors"
	"os"

	"dappermirror/internal/engine/sqlite/reader"
)

// Reading sqlite_schema straight from the file saves SQLite the parsing of the
// whole schema, which is nine tenths of a read and grows faster than the
// schema (SQLite: Database File Format, sections 1 and 2.6). It is right only
// while nobody writes: without a journal that waits to be rolled back, and under
// the lock that readers hold; of a database with a write-ahead log while that is
// not there, which is seen before and after. SQLite itself would make the log,
// and could not where the folder cannot be written.

// errNotPlain says that the file must be read through SQLite.
var errNotPlain = errors.New("not to be read page by page")

// pageRows reads the rows of sqlite_schema from the file. It answers
// errNotPlain whenever SQLite itself should read.
func pageRows(path string) (rows []reader.Row, numbers [2]int32, err error) {
	for _, suffix := range []string{"-journal", "-wal"} {
		if st, err := os.Stat(path + suffix); err == nil && st.Size() > 0 {
			return nil, numbers, errNotPlain
		}
	}
	err = openBeside(path, os.O_RDONLY, func(f *os.File) error {
		if !readLock(f) {
			return errNotPlain
		}
		before, err := f.Stat()
		if err != nil {
			return errNotPlain
		}
		// A journal may have appeared before the lock was ours.
		if st, err := os.Stat(path + "-journal"); err == nil && st.Size() > 0 {
			return errNotPlain
		}
		p := &pager{f: f}
		if err := p.header(); err != nil {
			return err
		}
		err = p.table(1, 0)
		rows, numbers = p.rows, p.numbers
		if p.logged && err == nil && !undisturbed(path, f, before) {
			return errNotPlain
		}
		return err
	})
	if err != nil {
		return nil, numbers, errNotPlain
	}
	return rows, numbers, nil
}

// undisturbed tells whether no write-ahead log was begun, and nothing written,
// since the file was as before.
func undisturbed(path string, f *os.File, before os.FileInfo) bool {
	_, err := os.Stat(path + "-wal")
	after, still := f.Stat()
	return errors.Is(err, os.ErrNotExist) && still == nil && after.ModTime().Equal(before.ModTime()) && after.Size() == before.Size()
}

// logged tells whether a file says that it is written through a log.
func logged(path string) bool {
	h, err := Head(path, 20)
	return err == nil && len(h) == 20 && h[18] == 2
}

type pager struct {
	f      *os.File
	logged bool // with a write-ahead log
	size   int  // of a page
	usable int
	pages  int
	// seen are the pages that were read: a sound file refers to each once, so
	// that a crafted one costs no more than its own size.
	seen []bool
	rows []reader.Row
	// numbers are the user version and the application id.
	numbers [2]int32
	// buffers are the pages of the way down the tree, one a level, and one for
	// overflow.
	buffers  [][]byte
	overflow []byte
	payload  []byte
}

func (p *pager) header() error {
	h := make([]byte, 100)
	if _, err := p.f.ReadAt(h, 0); err != nil || string(h[:16]) != Magic {
		return errNotPlain
	}
	p.size = int(binary.BigEndian.Uint16(h[16:]))
	if p.size == 1 {
		p.size = 65536
	}
	p.usable = p.size - int(h[20])
	// 1: rollback journal; 2: write-ahead log. Text must be UTF-8.
	p.logged = h[18] == 2
	p.numbers = [2]int32{int32(binary.BigEndian.Uint32(h[60:])), int32(binary.BigEndian.Uint32(h[68:]))}
	if h[18] < 1 || h[18] > 2 || h[19] != h[18] || binary.BigEndian.Uint32(h[56:]) > 1 || p.size < 512 || p.size&(p.size-1) != 0 || p.usable < 480 {
		return errNotPlain
	}
	st, err := p.f.Stat()
	if err != nil {
		return errNotPlain
	}
	p.pages = int(st.Size() / int64(p.size))
	p.seen = make([]bool, p.pages+1)
	return nil
}

// page reads a page into a buffer, which is made when it is nil.
func (p *pager) page(n int, buf *[]byte) ([]byte, error) {
	if n < 1 || n > p.pages || p.seen[n] {
		return nil, errNotPlain
	}
	p.seen[n] = true
	if *buf == nil {
		*buf = make([]byte, p.size)
	}
	b := *buf
	if _, err := p.f.ReadAt(b, int64(n-1)*int64(p.size)); err != nil {
		return nil, errNotPlain
	}
	return b, nil
}

// table walks a table b-tree (SQLite: Database File Format, section 1.6).
func (p *pager) table(n, depth int) error {
	if depth > 20 {
		return errNotPlain
	}
	if depth == len(p.buffers) {
		p.buffers = append(p.buffers, nil)
	}
	b, err := p.page(n, &p.buffers[depth])
	if err != nil {
		return err
	}
	at := 0
	if n == 1 {
		at = 100
	}
	kind, cells := b[at], int(binary.BigEndian.Uint16(b[at+3:]))
	pointers := at + 8
	if kind == 5 {
		pointers = at + 12
	}
	if kind != 5 && kind != 13 || pointers+2*cells > len(b) {
		return errNotPlain
	}
	for i := range cells {
		c := int(binary.BigEndian.Uint16(b[pointers+2*i:]))
		if c+4 > len(b) {
			return errNotPlain
		}
		if kind == 5 {
			if err := p.table(int(binary.BigEndian.Uint32(b[c:])), depth+1); err != nil {
				return err
			}
			continue
		}
		if err := p.cell(b, c); err != nil {
			return err
		}
	}
	if kind == 5 {
		return p.table(int(binary.BigEndian.Uint32(b[at+8:])), depth+1)
	}
	return nil
}

// varint reads a variable-length integer; n is 0 where there is none.
func varint(b []byte) (v uint64, n int) {
	for i := 0; i < 9 && i < len(b); i++ {
		if i == 8 {
			return v<<8 | uint64(b[i]), 9
		}
		v = v<<7 | uint64(b[i]&0x7f)
		if b[i] < 0x80 {
			return v, i + 1
		}
	}
	return 0, 0
}

// cell reads one row, following its overflow pages.
func (p *pager) cell(b []byte, at int) error {
	length, n := varint(b[at:])
	if n == 0 || length > uint64(p.pages)*uint64(p.size) {
		return errNotPlain
	}
	at += n
	if _, n = varint(b[at:]); n == 0 { // the rowid
		return errNotPlain
	}
	at += n
	total := int(length)
	local := total
	if most := p.usable - 35; total > most {
		least := (p.usable-12)*32/255 - 23
		if local = least + (total-least)%(p.usable-4); local > most {
			local = least
		}
	}
	if local < 0 || at+local > len(b) {
		return errNotPlain
	}
	payload := append(p.payload[:0], b[at:at+local]...)
	if local < total {
		if at+local+4 > len(b) {
			return errNotPlain
		}
		next := int(binary.BigEndian.Uint32(b[at+local:]))
		for len(payload) < total {
			o, err := p.page(next, &p.overflow)
			if err != nil {
				return err
			}
			next = int(binary.BigEndian.Uint32(o))
			payload = append(payload, o[4:4+min(total-len(payload), p.usable-4)]...)
		}
	}
	p.payload = payload
	return p.record(payload)
}

var typeWords = map[string]string{"table": "table", "index": "index", "view": "view", "trigger": "trigger"}

// record takes a row of sqlite_schema apart: type, name, tbl_name, rootpage,
// sql (SQLite: Database File Format, section 2.1).
func (p *pager) record(b []byte) error {
	size, n := varint(b)
	if n == 0 || size < uint64(n) || size > uint64(len(b)) {
		return errNotPlain
	}
	head, at := b[n:size], int(size)
	var text [5]string
	for i := range text {
		serial, n := varint(head)
		if n == 0 {
			return errNotPlain
		}
		head = head[n:]
		length := 0
		switch {
		case serial >= 12:
			length = int((serial - 12) / 2)
		case serial >= 1 && serial <= 4:
			length = int(serial)
		case serial == 5:
			length = 6
		case serial == 6 || serial == 7:
			length = 8
		}
		if length < 0 || at+length > len(b) {
			return errNotPlain
		}
		if serial >= 13 && serial%2 == 1 {
			switch v := b[at : at+length]; {
			case i == 0: // one of four words
				text[i] = typeWords[string(v)]
			case i == 2 && string(v) == text[1]:
				text[i] = text[1]
			default:
				text[i] = string(v)
			}
		} else if i != 3 && serial != 0 {
			return errNotPlain
		}
		at += length
	}
	p.rows = append(p.rows, reader.Row{Type: text[0], Name: text[1], Table: text[2], SQL: text[4]})
	return nil
}
