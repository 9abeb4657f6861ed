package e2e

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"dappermirror/internal/core/capture"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
)

// TestTamperedCaptures: whatever one fact of a capture is said to be, in whatever form, it
// is refused, or what is written of it stays within its statement.
func TestTamperedCaptures(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel()
			b := newBench(t, e.name, e.with(t))
			eng, err := engine.Named(map[string]string{"mariadb": "mysql"}[e.name])
			if err != nil {
				eng, _ = engine.Named(e.name)
			}
			seen := map[string]bool{}
			tried, written := 0, 0
			places := []string{b.source, b.target(t)}
			if e.name != "sqlite" {
				places = append(places, b.make(t, read(t, filepath.Join("testdata", e.name, "kinds.sql"))))
			}
			for _, place := range places {
				file := filepath.Join(t.TempDir(), "c.json")
				want(t, 0, b.dir, "capture", place, "-o", file)
				data, err := os.ReadFile(file)
				if err != nil {
					t.Fatal(err)
				}
				c, err := capture.Decode(bytes.NewReader(data))
				if err != nil {
					t.Fatal(err)
				}
				for _, o := range c.Objects {
					tampered(t, eng, o, seen, &tried, &written)
				}
			}
			if tried < 200 || written < 20 {
				t.Errorf("%d facts were tried, %d of them written", tried, written)
			}
		})
	}
}

func tampered(t *testing.T, eng engine.Engine, o *catalog.Object, seen map[string]bool, tried, written *int) {
	t.Helper()
	const word = "EVIL_WORD"
	verifier, ok := eng.(engine.Verifier)
	if !ok {
		return
	}
	for at, x := range append([]*catalog.Object{o}, o.Parts...) {
		for i := range x.Properties {
			name := x.Properties[i].Name
			if key := fmt.Sprint(o.Kind, x.Kind, name); seen[key] {
				continue
			} else {
				seen[key] = true
			}
			for _, evil := range []string{"", " ", "/* x */", "-- x", "1; " + word + "; --", "1); " + word + "; --", "x\"; " + word + "; --", "x'; " + word + "; --", "x`; " + word + "; --", "*/; " + word + "; /*", "$$; " + word + ";"} {
				for _, v := range []catalog.Value{catalog.Scalar(evil), catalog.List(evil), catalog.SQL(catalog.Piece{Text: evil, Canon: evil})} {
					copied := o.Clone()
					append([]*catalog.Object{copied}, copied.Parts...)[at].Properties[i].Value = v
					*tried++
					if verifier.Verify(copied) != nil {
						continue
					}
					*written++
					text := eng.Definition(copied)
					for _, st := range sqltext.Split(eng.Dialect(), text) {
						toks := sqltext.Significant(eng.Dialect(), st.Text)
						if len(toks) > 0 && toks[0].Is(word) {
							t.Errorf("%s of %s as %q: it gets out:\n%s", name, x.Kind, v.String(), text)
						}
					}
				}
			}
		}
	}
}
