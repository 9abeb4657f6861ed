package reader

import (
	"context"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
)

// written is a catalog that was written down: rows by what a query reads.
type written struct {
	Rows   map[string][]Row
	Read   []string
	Unseen []string
	moves  int // how often what changes is another
}

var queryNames = map[string]string{queryDatabase: "database", queryMoved: "moved", querySchemas: "schemas", queryTypes: "types", queryTables: "tables", queryColumns: "columns", queryTypeColumns: "columns of types", queryIndexColumns: "index columns",
	queryIndexes: "indexes", queryChecks: "checks", queryForeignKeyColumns: "foreign key columns", queryForeignKeys: "foreign keys", queryModules: "modules", queryTriggerEvents: "trigger order", querySequences: "sequences", querySynonyms: "synonyms",
	queryProperties: "extended properties", queryUses: "dependencies", queryUnread: "other things"}

type source struct{ *written }

func (s source) Rows(_ context.Context, query string, each func(Row) error) error {
	name, ok := queryNames[query]
	if !ok {
		return errors.New("a query that nobody knows: " + query)
	}
	for _, r := range s.written.Rows[name] {
		if name == "moved" && s.moves > 0 {
			s.moves--
			r = Row{"n": float64(s.moves)}
		}
		if err := each(r); err != nil {
			return err
		}
	}
	return nil
}

// said is a thing with its counted facts, in one line.
func said(ref catalog.Ref, o *catalog.Object) string {
	var facts []string
	for i := range o.Properties {
		if p := &o.Properties[i]; !p.Carried && p.Name != catalog.Letters {
			facts = append(facts, p.Name+"="+p.Value.String())
		}
	}
	s := strings.ReplaceAll(ref.String(), `"`, "")
	if len(facts) > 0 {
		s += ": " + strings.Join(facts, ", ")
	}
	return s
}

// TestCatalogFacts: rows as the documentation shows them are read for what they are.
func TestCatalogFacts(t *testing.T) {
	files, err := filepath.Glob("../../../../facts/sqlserver/catalog/*.json")
	if err != nil || len(files) == 0 {
		t.Fatalf("no facts: %v", err)
	}
	for _, f := range files {
		data, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		var w written
		if err := json.Unmarshal(data, &w); err != nil {
			t.Fatalf("%s: %v", f, err)
		}
		c, err := Read(t.Context(), source{&w})
		if err != nil {
			t.Fatalf("%s: %v", f, err)
		}
		got := map[string]bool{}
		var all []string
		note := func(s string) { got[s] = true; all = append(all, s) }
		for _, o := range c.Objects {
			note(said(o.Ref(), o))
			for _, p := range o.Parts {
				note(said(o.PartRef(p), p))
			}
		}
		for _, want := range w.Read {
			if !got[want] {
				t.Errorf("%s: not read: %s\nread:\n%s", f, want, strings.Join(all, "\n"))
			}
		}
		var gaps strings.Builder
		for _, g := range c.Gaps {
			gaps.WriteString(g.Why + "\n")
		}
		for _, want := range w.Unseen {
			if !strings.Contains(gaps.String(), want) {
				t.Errorf("%s: not said: %s\nsaid:\n%s", f, want, gaps.String())
			}
		}
		w.moves = 2
		if _, err := Read(t.Context(), source{&w}); !errors.Is(err, ErrChanged) {
			t.Errorf("%s: what moved meanwhile: %v", f, err)
		}
	}
}
