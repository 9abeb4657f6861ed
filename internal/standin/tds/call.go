package tds

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"strings"
	"unicode/utf16"
)

// The procedures that clients call by number ([MS-TDS], 2.2.6.6).
const (
	procExecutesql, procPrepare, procExecute, procPrepexec, procUnprepare = 10, 11, 12, 13, 15
)

var procNumbers = map[string]uint16{"sp_executesql": procExecutesql, "sp_prepare": procPrepare, "sp_execute": procExecute, "sp_prepexec": procPrepexec, "sp_unprepare": procUnprepare}

// handles are the texts that a client prepared.
type handles struct {
	texts map[int64]string
	decls map[int64][]string
	last  int64
}

// mostPrepared is how many texts a client can have prepared at once.
const mostPrepared = 10_000

// call runs what an RPC message asks for.
func (h *handles) call(ctx context.Context, s Session, d []byte, out *Out) (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("the call could not be read: %v", r)
		}
	}()
	r := &cursor{d}
	name, number := "", uint16(0)
	if n := r.u16(); n == 0xffff {
		number = r.u16()
	} else {
		name = text(r.take(2 * int(n)))
		number = procNumbers[strings.ToLower(strings.TrimPrefix(name, "sys."))]
	}
	r.u16()
	var ps []Param
	for len(r.b) > 0 && r.b[0] != 0xff {
		p := Param{Name: text(r.take(2 * int(r.u8())))}
		r.u8()
		p.Value = r.value()
		ps = append(ps, p)
	}
	out.final = tokenDoneProc
	if err := h.run(ctx, s, name, number, ps, out); err != nil {
		return err
	}
	out.b = append(out.b, 0x79, 0, 0, 0, 0) // it returned 0
	out.end()
	return nil
}

func (h *handles) run(ctx context.Context, s Session, name string, number uint16, ps []Param, out *Out) error {
	str := func(i int) string {
		if i < len(ps) {
			v, _ := ps[i].Value.(string)
			return v
		}
		return ""
	}
	rest := func(i int) []Param { return ps[min(i, len(ps)):] }
	handle := func() int64 {
		if len(ps) > 0 {
			v, _ := ps[0].Value.(int64)
			return v
		}
		return 0
	}
	switch number {
	case procExecutesql:
		s.Batch(ctx, str(0), named(str(1), rest(2)), out)
	case procPrepare, procPrepexec:
		if len(h.texts) >= mostPrepared {
			return errors.New("too many texts are prepared")
		}
		h.last++
		if h.decls == nil {
			h.decls = map[int64][]string{}
		}
		h.texts[h.last], h.decls[h.last] = str(2), declared(str(1))
		if number == procPrepexec {
			s.Batch(ctx, str(2), named(str(1), rest(3)), out)
		}
		out.returned(h.last)
	case procExecute:
		t, ok := h.texts[handle()]
		if !ok {
			out.Error(&Error{Number: 8179, Class: 16, State: 2, Line: 1, Message: fmt.Sprintf("Could not find prepared statement with handle %d.", handle())})
			return nil
		}
		s.Batch(ctx, t, inOrder(h.decls[handle()], rest(1)), out)
	case procUnprepare:
		delete(h.texts, handle())
	default:
		if name == "" {
			return fmt.Errorf("procedure number %d is not served", number)
		}
		words := make([]string, len(ps)) // a batch of one bare word comes as a call
		given := make([]Param, len(ps))
		for i, p := range ps {
			given[i] = Param{fmt.Sprintf("@dm_arg%d", i), p.Value}
			if words[i] = given[i].Name; p.Name != "" {
				words[i] = p.Name + " = " + given[i].Name
			}
		}
		s.Batch(ctx, "EXEC "+name+" "+strings.Join(words, ", "), given, out)
	}
	return nil
}

// declared are the names in a declaration of parameters.
func declared(decl string) []string {
	var out []string
	depth := 0
	for _, f := range strings.FieldsFunc(decl, func(r rune) bool {
		switch r {
		case '(':
			depth++
		case ')':
			depth--
		}
		return r == ',' && depth == 0
	}) {
		if w := strings.Fields(f); len(w) > 0 {
			out = append(out, w[0])
		}
	}
	return out
}

func named(decl string, ps []Param) []Param { return inOrder(declared(decl), ps) }

// inOrder gives parameters without a name that of their place.
func inOrder(names []string, ps []Param) []Param {
	for i := range ps {
		if ps[i].Name == "" && i < len(names) {
			ps[i].Name = names[i]
		}
	}
	return ps
}

type cursor struct{ b []byte }

func (r *cursor) take(n int) []byte { x := r.b[:n]; r.b = r.b[n:]; return x }
func (r *cursor) u8() byte          { return r.take(1)[0] }
func (r *cursor) u16() uint16       { return binary.LittleEndian.Uint16(r.take(2)) }

// value reads the type and the value of a parameter ([MS-TDS], 2.2.5.5).
func (r *cursor) value() any {
	switch t := r.u8(); t {
	case 0x26, 0x68, 0x6D: // INTN, BITN, FLTN
		r.u8()
		n := int(r.u8())
		v := r.take(n)
		switch {
		case n == 0:
			return nil
		case t == 0x6D && n == 8:
			return math.Float64frombits(binary.LittleEndian.Uint64(v))
		case t == 0x6D:
			return float64(math.Float32frombits(binary.LittleEndian.Uint32(v)))
		case n == 1:
			return int64(v[0])
		case n == 2:
			return int64(int16(binary.LittleEndian.Uint16(v)))
		case n == 4:
			return int64(int32(binary.LittleEndian.Uint32(v)))
		}
		return int64(binary.LittleEndian.Uint64(v))
	case 0xE7, 0xEF, 0xA7, 0xAF, 0xA5, 0xAD: // NVARCHAR, NCHAR, VARCHAR, CHAR, VARBINARY, BINARY
		return r.characters(t)
	default:
		panic(fmt.Sprintf("a parameter of type %#x", t))
	}
}

func (r *cursor) characters(t byte) any {
	size := r.u16()
	if t != 0xA5 && t != 0xAD {
		r.take(5)
	}
	var v []byte
	if size == 0xffff {
		if total := binary.LittleEndian.Uint64(r.take(8)); total == math.MaxUint64 {
			return nil
		}
		for n := int(binary.LittleEndian.Uint32(r.take(4))); n > 0; n = int(binary.LittleEndian.Uint32(r.take(4))) {
			v = append(v, r.take(n)...)
		}
	} else if n := r.u16(); n == 0xffff {
		return nil
	} else {
		v = r.take(int(n))
	}
	switch t {
	case 0xE7, 0xEF:
		return text(v)
	case 0xA7, 0xAF:
		return string(v)
	}
	return bytes.Clone(v)
}

func text(b []byte) string {
	u := make([]uint16, len(b)/2)
	for i := range u {
		u[i] = binary.LittleEndian.Uint16(b[2*i:])
	}
	return string(utf16.Decode(u))
}

func ucs(s string) []byte {
	u := utf16.Encode([]rune(s))
	b := make([]byte, 0, 2*len(u))
	for _, c := range u {
		b = binary.LittleEndian.AppendUint16(b, c)
	}
	return b
}

// short is a text with its length in one byte.
func short(s string) []byte {
	u := ucs(s)
	u = u[:min(len(u), 510)]
	return append([]byte{byte(len(u) / 2)}, u...)
}
