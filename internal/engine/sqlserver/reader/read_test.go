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
	"dappermirror/internal/core/compare"
	"dappermirror/internal/engine/sqlserver/vocab"
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
	queryProperties: "extended properties", queryUses: "dependencies", queryPolicies: "security policies", queryStatistics: "statistics", queryTextCatalogs: "full-text catalogs", queryTextIndexes: "full-text indexes", queryDatabaseTriggers: "triggers of the database", queryPartitions: "partition functions", querySchemes: "partition schemes", queryRoles: "roles", queryOwners: "owners", queryRights: "rights", queryUnread: "other things"}

type source struct{ *written }

func (s source) Rows(_ context.Context, queries []string, each func(int, Row) error) error {
	for n, query := range queries {
		name, ok := queryNames[query]
		if !ok {
			return errors.New("a query that nobody knows: " + query)
		}
		for _, r := range s.written.Rows[name] {
			if name == "moved" && s.moves > 0 {
				s.moves--
				r = Row{"n": float64(s.moves)}
			}
			if err := each(n, r); err != nil {
				return err
			}
		}
	}
	return nil
}

// said is a thing with its counted facts, in one line.
func said(ref catalog.Ref, o *catalog.Object) string {
	var facts []string
	for i := range o.Properties {
		if p := &o.Properties[i]; !p.Carried && p.Group != vocab.ColumnOrder && p.Name != catalog.Letters {
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

// port is a small catalog, of which a test changes one row.
func port(change func(rows map[string][]Row)) *written {
	w := &written{Rows: map[string][]Row{
		"database": {{"name": "port", "collation": "SQL_Latin1_General_CP1_CI_AS", "version": "16.0.1000.6", "edition": float64(3), "seen": true}},
		"moved":    {{"n": float64(3), "last": "2026-05-04", "ids": float64(9)}},
		"tables":   {{"object_id": float64(1), "schema": "dbo", "name": "Berth"}, {"object_id": float64(2), "schema": "dbo", "name": "Call"}},
		"columns": {{"object_id": float64(1), "column_id": float64(1), "name": "ID", "type": "int", "type_schema": "sys", "max_length": float64(4), "precision": float64(10)},
			{"object_id": float64(2), "column_id": float64(1), "name": "Berth", "type": "int", "type_schema": "sys", "max_length": float64(4), "precision": float64(10)}},
		"index columns": {{"object_id": float64(1), "index_id": float64(2), "column_id": float64(1), "key_ordinal": float64(1)}},
		"indexes":       {{"object_id": float64(1), "index_id": float64(2), "name": "IX", "type": float64(2), "allow_row_locks": true, "allow_page_locks": true, "compression": "NONE"}},
		"modules": {{"object_id": float64(3), "schema": "dbo", "name": "Calls", "type": "V ", "definition": "CREATE VIEW dbo.Calls AS SELECT Berth FROM dbo.Call", "uses_ansi_nulls": true, "uses_quoted_identifier": true},
			{"object_id": float64(4), "schema": "dbo", "name": "Noted", "type": "TR", "parent_object_id": float64(1), "definition": "CREATE TRIGGER dbo.Noted ON dbo.Berth AFTER INSERT AS PRINT 1", "uses_ansi_nulls": true, "uses_quoted_identifier": true}},
	}}
	if change != nil {
		change(w.Rows)
	}
	return w
}

// TestNotReadIsNotAbsent: what is there and not read is said, and is neither missed on
// its side nor taken for more on the other.
func TestNotReadIsNotAbsent(t *testing.T) {
	whole, err := Read(t.Context(), source{port(nil)})
	if err != nil {
		t.Fatal(err)
	}
	if len(whole.Gaps) > 0 {
		t.Fatalf("a gap where there is none: %v", whole.Gaps)
	}
	for _, c := range []struct {
		name   string
		change func(rows map[string][]Row)
		says   string
		left   int // what differs all the same
	}{
		{"versioned in what is not seen", func(r map[string][]Row) { r["tables"][0]["temporal_type"] = float64(2) }, "the history table of dbo.Berth is not seen", 0},
		{"with typed XML", func(r map[string][]Row) { r["tables"][1]["odd"] = "XML that keeps to a schema collection" }, "table dbo.Call is not read: it has XML that keeps to a schema collection", 0},
		{"a key that leads to what is not read", func(r map[string][]Row) {
			r["foreign keys"] = []Row{{"object_id": float64(9), "parent_object_id": float64(1), "referenced_object_id": float64(7), "name": "FK"}}
			r["foreign key columns"] = []Row{{"constraint_object_id": float64(9), "parent_object_id": float64(1), "parent_column_id": float64(1), "referenced_object_id": float64(7), "referenced_column_id": float64(1)}}
		}, "foreign key FK of dbo.Berth is not read", 0},
		{"external", func(r map[string][]Row) { r["tables"][1]["is_external"] = true }, "external table dbo.Call is not read", 0},
		{"of a graph", func(r map[string][]Row) { r["tables"][1]["is_node"] = true }, "graph table dbo.Call is not read", 0},
		{"of files", func(r map[string][]Row) { r["tables"][1]["is_filetable"] = true }, "file table dbo.Call is not read", 0},
		{"in other letters", func(r map[string][]Row) {
			r["tables"][0]["name"], r["tables"][0]["is_filetable"] = "BERTH", true
		}, "file table dbo.BERTH", 0},
		{"a selective XML index", func(r map[string][]Row) {
			r["indexes"][0]["type"], r["indexes"][0]["xml_index_type"] = float64(3), float64(2)
		}, "selective XML index IX of dbo.Berth is not read", 0},
		{"an encrypted view", func(r map[string][]Row) { r["modules"][0]["definition"] = nil }, "the text of dbo.Calls is not told", 0},
		{"an encrypted trigger", func(r map[string][]Row) { r["modules"][1]["definition"] = nil }, "the text of dbo.Noted is not told", 0},
		{"a table that is really less", func(r map[string][]Row) {
			r["tables"] = r["tables"][:1]
			r["modules"][0]["definition"] = nil
		}, "the text of dbo.Calls", 1},
	} {
		some, err := Read(t.Context(), source{port(c.change)})
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		var said []string
		for _, g := range some.Gaps {
			said = append(said, g.Why)
		}
		if len(said) != 1 || !strings.Contains(said[0], c.says) {
			t.Errorf("%s: said is %q", c.name, said)
		}
		for _, sides := range [][2]*catalog.Catalog{{whole, some}, {some, whole}} {
			n := 0
			for _, it := range compare.Compare(sides[0], sides[1], compare.Options{}).Items {
				if it.Status != compare.Same {
					n++
				}
			}
			if n != c.left {
				t.Errorf("%s: %d differ, want %d", c.name, n, c.left)
			}
		}
	}
}
