package unpack

import (
	"bytes"
	"compress/gzip"
	"io"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/klauspost/compress/zstd"
	"github.com/ulikunitz/xz"

	"dappermirror/internal/fuzzing"
)

func gz(t testing.TB, text string) string {
	t.Helper()
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	if _, err := io.WriteString(w, text); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

func TestUnpack(t *testing.T) {
	const text = "CREATE TABLE berth (id int);\n"
	var z, x bytes.Buffer
	zw, err := zstd.NewWriter(&z)
	if err != nil {
		t.Fatal(err)
	}
	xw, err := xz.NewWriter(&x)
	if err != nil {
		t.Fatal(err)
	}
	for _, w := range []io.WriteCloser{zw, xw} {
		if _, err := io.WriteString(w, text); err != nil {
			t.Fatal(err)
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
	}
	deep := text
	for range layers + 1 {
		deep = gz(t, deep)
	}
	for _, c := range []struct {
		name, in, want, err string
		packed              bool
	}{
		{"as it is", text, text, "", false},
		{"nothing", "", "", "", false},
		{"gzip", gz(t, text), text, "", true},
		{"two gzips in a row", gz(t, text) + gz(t, text), text + text, "", true},
		{"zstd", z.String(), text, "", true},
		{"xz", x.String(), text, "", true},
		{"gzip in zstd's place", gz(t, gz(t, text)), text, "", true},
		{"too deep", deep, "", "packed more than", true},
		{"cut off", gz(t, strings.Repeat(text, 1000))[:60], "", "unexpected EOF", true},
		{"UTF-16, as some editors write it", wide(text, false), text, "", true},
		{"UTF-16 the other way round", wide(text, true), text, "", true},
		{"UTF-16 in gzip", gz(t, wide(text, false)), text, "", true},
		{"only the mark of UTF-16", "\xff\xfe", "", "", true},
		{"UTF-16 that breaks off", wide("ab", false) + "\x41", "ab\ufffd", "", true},
		{"only its beginning", "\x1f\x8b", "", "cannot be unpacked", true},
		{"not what it begins as", "BZh9 and then nothing of it", "", "bzip2", true},
		{"an archive that is none", "PGDMP\x01 and then nothing of it", "", "pg_restore", false},
	} {
		r, err := New(t.Context(), io.NopCloser(strings.NewReader(c.in)))
		var got []byte
		if err == nil {
			got, err = io.ReadAll(r)
			if r.Packed != c.packed {
				t.Errorf("%s: packed %v", c.name, r.Packed)
			}
			if e := r.Close(); e != nil && err == nil {
				err = e
			}
		}
		if c.err != "" {
			if err == nil || !strings.Contains(err.Error(), c.err) {
				t.Errorf("%s: %v, want %q", c.name, err, c.err)
			}
			continue
		}
		if err != nil || string(got) != c.want {
			t.Errorf("%s: %q, %v", c.name, got, err)
		}
	}
}

// wide is a text in UTF-16 with its mark.
func wide(s string, big bool) string {
	var b strings.Builder
	for _, u := range append([]uint16{0xfeff}, utf16.Encode([]rune(s))...) {
		if big {
			u = u<<8 | u>>8
		}
		b.WriteByte(byte(u))
		b.WriteByte(byte(u >> 8))
	}
	return b.String()
}

// FuzzUnpack: whatever a file begins with, it is read or refused.
func FuzzUnpack(f *testing.F) {
	for _, s := range []string{"x", "\x1f\x8b\x08", "\x28\xb5\x2f\xfd\x00", "\xfd7zXZ\x00", "BZh9", gz(f, "x"), "{}", wide("CREATE", false), "\xfe\xff\x00"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		defer fuzzing.Bound()()
		if bytes.HasPrefix(data, []byte("PGDMP")) || bytes.Contains(data, []byte(Table)) {
			return // a program is asked
		}
		r, err := New(t.Context(), io.NopCloser(bytes.NewReader(data)))
		if err != nil {
			return
		}
		_, _ = io.Copy(io.Discard, io.LimitReader(r, 1<<20)) // what is wrong with it is said
		_ = r.Close()                                        // it was only looked into
	})
}
