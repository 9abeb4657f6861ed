// Package unpack takes off what a file is packed in: compression, and the
// archives of PostgreSQL's dump program, whose SQL its own restore program
// writes out.
package unpack

import (
	"archive/tar"
	"bufio"
	"bytes"
	"compress/bzip2"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"os/exec"
	"strings"

	"github.com/klauspost/compress/zstd"
	"github.com/ulikunitz/xz"
	"golang.org/x/text/encoding/unicode"

	"dappermirror/internal/engine/local"
)

// layers is how often a file may be packed.
const layers = 4

// packings are known by how they begin.
var packings = []struct {
	name, begins string
	open         func(io.Reader) (io.Reader, error)
}{
	{"gzip", "\x1f\x8b", func(r io.Reader) (io.Reader, error) { return gzip.NewReader(r) }},
	{"zstd", "\x28\xb5\x2f\xfd", func(r io.Reader) (io.Reader, error) {
		d, err := zstd.NewReader(r, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(256<<20), zstd.WithDecoderMaxWindow(128<<20))
		if err != nil {
			return nil, err
		}
		return d.IOReadCloser(), nil
	}},
	{"xz", "\xfd7zXZ\x00", func(r io.Reader) (io.Reader, error) { return xz.NewReader(r) }},
	{"UTF-16", "\xff\xfe", decoded}, {"UTF-16", "\xfe\xff", decoded},
	{"bzip2", "BZh", func(r io.Reader) (io.Reader, error) { return bzip2.NewReader(r), nil }},
}

// decoded reads what is written in UTF-16, as the editors of some servers do.
func decoded(r io.Reader) (io.Reader, error) {
	return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder().Reader(r), nil
}

// Reader reads a file without what it is packed in.
type Reader struct {
	*bufio.Reader
	// Packed says that it was packed, or not in UTF-8, Archive that it was an archive of
	// PostgreSQL's dump program and is SQL now.
	Packed, Archive bool
	close           []func() error
}

// Close closes what was opened on the way. An archive that was not read to its
// end is no error.
func (r *Reader) Close() error {
	var err error
	for i := len(r.close) - 1; i >= 0; i-- {
		if e := r.close[i](); err == nil {
			err = e
		}
	}
	return err
}

// New reads in, which it closes, without what it is packed in.
func New(ctx context.Context, in io.ReadCloser) (*Reader, error) {
	r := &Reader{Reader: bufio.NewReaderSize(in, 1<<16), close: []func() error{in.Close}}
	for n := 0; ; n++ {
		head, err := r.Peek(512)
		if err != nil && !errors.Is(err, io.EOF) && len(head) == 0 {
			_ = r.Close()
			return nil, err
		}
		open := opener(head)
		switch {
		case open != nil && n == layers:
			_ = r.Close()
			return nil, fmt.Errorf("it is packed more than %d times", layers)
		case open != nil:
			inner, err := open(r.Reader)
			if err != nil {
				_ = r.Close()
				return nil, fmt.Errorf("it cannot be unpacked: %w", err)
			}
			if c, ok := inner.(io.Closer); ok {
				r.close = append(r.close, c.Close)
			}
			r.Packed, r.Reader = true, bufio.NewReaderSize(inner, 1<<16)
			continue
		case isArchive(head):
			if err := r.restore(ctx, r.Reader); err != nil {
				_ = r.Close()
				return nil, err
			}
		}
		return r, nil
	}
}

func opener(head []byte) func(io.Reader) (io.Reader, error) {
	for _, p := range packings {
		if bytes.HasPrefix(head, []byte(p.begins)) {
			return p.open
		}
	}
	return nil
}

// Table is the file that an archive in a folder has its contents in.
const Table = "toc.dat"

// isArchive tells PostgreSQL's custom format, and its tar.
func isArchive(head []byte) bool {
	if bytes.HasPrefix(head, []byte("PGDMP")) {
		return true
	}
	h, err := tar.NewReader(bytes.NewReader(append(bytes.Clone(head), make([]byte, 1024)...))).Next()
	return err == nil && h.Name == Table
}

// Folder reads an archive of PostgreSQL's dump program that is a folder.
func Folder(ctx context.Context, path string) (*Reader, error) {
	r := &Reader{}
	return r, r.restore(ctx, nil, path)
}

// restore has the restore program write an archive out as SQL, without rows.
func (r *Reader) restore(ctx context.Context, in io.Reader, args ...string) error {
	program, err := local.Find("pg_restore", "/usr/lib/postgresql/*/bin", "/usr/pgsql-*/bin", "/usr/local/pgsql/bin")
	if err != nil {
		return fmt.Errorf("it is an archive of pg_dump, which pg_restore can read: %w", err)
	}
	ctx, cancel := context.WithCancel(ctx)
	cmd := exec.CommandContext(ctx, program, append([]string{"--schema-only", "--file=-", "--"}, args...)...)
	cmd.Stdin = in
	var said bytes.Buffer
	cmd.Stderr = &limited{&said, 4096}
	out, err := cmd.StdoutPipe()
	if err == nil {
		err = cmd.Start()
	}
	if err != nil {
		cancel()
		return fmt.Errorf("pg_restore cannot be run: %w", err)
	}
	r.Archive = true
	r.Reader = bufio.NewReaderSize(&restored{out: out, wait: cmd.Wait, said: &said}, 1<<16)
	r.close = append(r.close, func() error { cancel(); _ = cmd.Wait(); return nil })
	return nil
}

// restored is what the restore program writes; that it failed is told where its
// output ends.
type restored struct {
	out  io.Reader
	wait func() error
	said *bytes.Buffer
	end  error
}

func (r *restored) Read(p []byte) (int, error) {
	if r.end != nil {
		return 0, r.end
	}
	n, err := r.out.Read(p)
	if r.end = err; errors.Is(err, io.EOF) {
		if e := r.wait(); e != nil {
			r.end = fmt.Errorf("pg_restore: %w: %s", e, strings.Join(strings.Fields(r.said.String()), " "))
		}
	}
	return n, r.end
}

// limited keeps the beginning of what is written to it.
type limited struct {
	*bytes.Buffer
	most int
}

func (l *limited) Write(p []byte) (int, error) {
	if room := l.most - l.Len(); room > 0 {
		l.Buffer.Write(p[:min(room, len(p))])
	}
	return len(p), nil
}
