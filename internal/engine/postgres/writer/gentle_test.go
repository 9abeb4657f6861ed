package writer

import (
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
)

// berthTable is a table with two columns and the parts given: kind, name,
// definition, and flags behind it.
func berthTable(flags []string, parts ...[]string) *catalog.Object {
	o := object(catalog.Table, "berth", flags...)
	for _, c := range []string{"id", "name"} {
		o.Add(&catalog.Object{Kind: catalog.Column, Name: c, Properties: object(catalog.Column, c, "type=text", "not null=yes").Properties})
	}
	for _, p := range parts {
		part := object(catalog.Kind(p[0]), p[1], p[3:]...)
		part.Schema = ""
		if p[2] != "" {
			part.Set("definition", catalog.PlainSQL(p[2]))
		}
		for _, c := range o.PartsOf(catalog.Column) {
			if strings.Contains(p[2], c.Name) {
				part.Need(o.PartRef(c), catalog.AspectType)
			}
		}
		o.Add(part)
	}
	return o
}

// gentle plans the way from one set of objects to another.
func gentle(t *testing.T, avoid bool, source, target []*catalog.Object) *order.Plan {
	t.Helper()
	x, y := &catalog.Catalog{Engine: "postgres", Version: "15"}, &catalog.Catalog{Engine: "postgres", Version: "15"}
	for _, o := range source {
		x.Add(o)
	}
	for _, o := range target {
		y.Add(o)
	}
	p, err := order.Build(choose.All(compare.Compare(x, y, compare.Options{})), &Writer{AvoidBlocking: avoid}, func(order.Risk) bool { return true })
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// TestGentleWays: what keeps others working, and what must stay within the
// transaction.
func TestGentleWays(t *testing.T) {
	index := []string{"index", "i", "USING btree (name)", "unique=yes"}
	check := []string{"check", "c", "CHECK ((name <> ''::text))"}
	unique := []string{"unique", "u", "UNIQUE NULLS NOT DISTINCT (name)", "deferrable=yes"}
	primary := []string{"primary-key", "p", "PRIMARY KEY (id)"}
	part := berthTable([]string{"partition bound=FOR VALUES IN ('a')", "-partition of=h.berth"})
	part.Name = "berth_a"
	whole := berthTable([]string{"partition by=LIST (name)"}, index)
	part.Need(whole.Ref(), catalog.AspectRowType)
	for _, c := range []struct {
		name           string
		source, target []*catalog.Object
		inside, later  string // what must stand there, "|" between
	}{
		{"an index", []*catalog.Object{berthTable(nil, index)}, []*catalog.Object{berthTable(nil)}, "",
			"DROP INDEX CONCURRENTLY IF EXISTS h.i;|CREATE UNIQUE INDEX CONCURRENTLY i ON h.berth USING btree (name);"},
		{"an index goes", []*catalog.Object{berthTable(nil)}, []*catalog.Object{berthTable(nil, index)}, "", "DROP INDEX CONCURRENTLY IF EXISTS h.i;"},
		{"the one a table is clustered on", []*catalog.Object{berthTable(nil, append(index, "clustered=yes"))}, []*catalog.Object{berthTable(nil)}, "CREATE UNIQUE INDEX i ON h.berth", ""},
		{"a check", []*catalog.Object{berthTable(nil, check)}, []*catalog.Object{berthTable(nil)}, "ADD CONSTRAINT c CHECK ((name <> ''::text)) NOT VALID;", "ALTER TABLE h.berth VALIDATE CONSTRAINT c;"},
		{"one that is not to be valid", []*catalog.Object{berthTable(nil, append(check, "not valid=yes"))}, []*catalog.Object{berthTable(nil)}, "ADD CONSTRAINT c CHECK ((name <> ''::text)) NOT VALID;", ""},
		{"a unique key", []*catalog.Object{berthTable(nil, unique)}, []*catalog.Object{berthTable(nil)}, "",
			"CREATE UNIQUE INDEX CONCURRENTLY u ON h.berth USING btree (name) NULLS NOT DISTINCT;|ADD CONSTRAINT u UNIQUE USING INDEX u DEFERRABLE;"},
		{"a primary key", []*catalog.Object{berthTable(nil, primary)}, []*catalog.Object{berthTable(nil)}, "", "ADD CONSTRAINT p PRIMARY KEY USING INDEX p;"},
		{"an index of a partitioned table", []*catalog.Object{whole, part}, []*catalog.Object{berthTable([]string{"partition by=LIST (name)"}), part},
			"CREATE UNIQUE INDEX i ON ONLY h.berth USING btree (name);", "CREATE UNIQUE INDEX CONCURRENTLY berth_a_name_idx ON h.berth_a USING btree (name);|ALTER INDEX h.i ATTACH PARTITION h.berth_a_name_idx;"},
	} {
		for _, avoid := range []bool{true, false} {
			var inside, later []string
			for _, s := range gentle(t, avoid, c.source, c.target).Steps {
				if s.Later {
					later = append(later, s.SQL...)
					for _, r := range s.Risks {
						if r.Kind == order.Lock {
							t.Errorf("%s: others wait: %s", c.name, r.Text)
						}
					}
				} else {
					inside = append(inside, s.SQL...)
				}
			}
			if !avoid {
				if len(later) > 0 || strings.Contains(strings.Join(inside, " "), "CONCURRENTLY") {
					t.Errorf("%s, without being asked: %q", c.name, later)
				}
				continue
			}
			for _, part := range [][2]string{{c.inside, strings.Join(inside, "\n")}, {c.later, strings.Join(later, "\n")}} {
				if part[0] == "" && part[1] != "" {
					t.Errorf("%s: too much: %s", c.name, part[1])
				}
				for _, want := range strings.Split(part[0], "|") {
					if !strings.Contains(part[1], want) {
						t.Errorf("%s: no %s in\n%s", c.name, want, part[1])
					}
				}
			}
		}
	}
}
