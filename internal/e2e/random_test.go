package e2e

import (
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/report"
)

var (
	randomRuns = flag.Int("random-runs", 48, "how many random pairs of each engine are tried")
	randomSeed = flag.Uint64("random-seed", 1, "the first seed")
)

// A spec is a made-up structure that both engines can have. It is small and
// dense on purpose: few names, so that changes meet each other.
type spec struct {
	tables []*tableSpec
	views  []*viewSpec
	// What only SQLite has: texts in views that look like columns of other
	// tables, by view, and a full-text table with these columns.
	quoted map[string][2]string
	search []string
}

type tableSpec struct {
	name    string
	cols    []*colSpec // the first is the key, "id"
	checks  []string   // columns with a check (col > 0)
	uniques []string
	refs    map[string]string // column -> table
	indexes map[string]indexSpec
	trigger bool
	fresh   bool // without rows, so nothing with rows may point at it
	lite    liteTable
	served  servedTable
}

// liteTable is what only SQLite has.
type liteTable struct {
	strict, withoutRowid bool
	conflicts            map[string]string // what happens on a conflict: of a unique column, or of "not null " and a column
	collations           map[string]string
}

type colSpec struct {
	name, typ string // typ: int, big, real, text
	notNull   bool
	def       string // "", or a literal
	computed  string // a column it doubles
	fresh     bool   // its values, if any, are of another column
}

type indexSpec struct {
	cols    []string
	partial string
}

type viewSpec struct {
	name string
	over string // table or view
	cols []string
}

var tableNames = []string{"berth", "vessel", "call", "pilot", "tide", "cargo", "order", "it's"}
var columnNames = []string{"a", "b", "c", "d", "e", "Mixed", "select"}

func newSpec(r *rand.Rand) *spec {
	s := &spec{}
	for _, n := range pick(r, tableNames, 2+r.IntN(4)) {
		s.tables = append(s.tables, newTable(r, n))
	}
	s.settle(r)
	return s
}

func pick(r *rand.Rand, from []string, n int) []string {
	p := r.Perm(len(from))
	var out []string
	for _, i := range p[:min(n, len(p))] {
		out = append(out, from[i])
	}
	return out
}

func newTable(r *rand.Rand, name string) *tableSpec {
	t := &tableSpec{name: name, cols: []*colSpec{{name: "id", typ: "int", notNull: true}}, refs: map[string]string{}, indexes: map[string]indexSpec{}}
	for _, c := range pick(r, columnNames, 1+r.IntN(5)) {
		t.cols = append(t.cols, newColumn(r, c))
	}
	return t
}

func newColumn(r *rand.Rand, name string) *colSpec {
	c := &colSpec{name: name, typ: []string{"int", "int", "big", "real", "text"}[r.IntN(5)]}
	if r.IntN(3) == 0 {
		c.def = map[string]string{"int": "7", "big": "8", "real": "2.5", "text": "'it''s'"}[c.typ]
		c.notNull = r.IntN(2) == 0
	}
	return c
}

func (t *tableSpec) col(name string) *colSpec {
	for _, c := range t.cols {
		if c.name == name {
			return c
		}
	}
	return nil
}

func (s *spec) table(name string) *tableSpec {
	for _, t := range s.tables {
		if t.name == name {
			return t
		}
	}
	return nil
}

// settle adds what hangs on the tables, and takes away what no longer can.
func (s *spec) settle(r *rand.Rand) {
	for _, t := range s.tables {
		plain := func() *colSpec {
			var l []*colSpec
			for _, c := range t.cols[1:] {
				if c.computed == "" {
					l = append(l, c)
				}
			}
			if len(l) == 0 {
				return nil
			}
			return l[r.IntN(len(l))]
		}
		if c := plain(); c != nil && r.IntN(3) == 0 && c.typ != "text" && !slices.Contains(t.checks, c.name) && t.refs[c.name] == "" {
			t.checks = append(t.checks, c.name)
		}
		if c := plain(); c != nil && r.IntN(4) == 0 && c.def == "" && !slices.Contains(t.uniques, c.name) {
			t.uniques = append(t.uniques, c.name)
		}
		if c := plain(); c != nil && r.IntN(3) == 0 && c.typ == "int" && c.def == "" && !c.fresh && !slices.Contains(t.checks, c.name) {
			if to := s.tables[r.IntN(len(s.tables))]; !to.fresh {
				t.refs[c.name] = to.name
			}
		}
		if c := plain(); c != nil && r.IntN(2) == 0 {
			ix := indexSpec{cols: []string{c.name}}
			if d := plain(); d != nil && d != c {
				ix.cols = append(ix.cols, d.name)
			}
			if r.IntN(4) == 0 && c.typ != "text" {
				ix.partial = c.name
			}
			t.indexes[fmt.Sprintf("ix_%s_%d", strings.Trim(t.name, "'s"), r.IntN(3))] = ix
		}
		if c := plain(); c != nil && r.IntN(6) == 0 && c.typ == "int" && t.col("double") == nil {
			t.cols = append(t.cols, &colSpec{name: "double", typ: "int", computed: c.name})
		}
		if r.IntN(4) == 0 {
			t.trigger = !t.trigger
		}
		t.prune(s)
	}
	if r.IntN(2) == 0 && len(s.tables) > 0 {
		t := s.tables[r.IntN(len(s.tables))]
		s.views = append(s.views, &viewSpec{name: fmt.Sprintf("v%d", r.IntN(4)), over: t.name, cols: []string{"id", t.cols[len(t.cols)-1].name}})
	}
	if n := len(s.views); n > 0 && r.IntN(2) == 0 {
		s.views = append(s.views, &viewSpec{name: fmt.Sprintf("w%d", r.IntN(3)), over: s.views[n-1].name, cols: []string{"id"}})
	}
	s.pruneViews()
}

func (t *tableSpec) prune(s *spec) {
	has := func(c string) bool { return t.col(c) != nil }
	t.checks = slices.DeleteFunc(t.checks, func(c string) bool { return !has(c) || t.col(c).typ == "text" })
	t.uniques = slices.DeleteFunc(t.uniques, func(c string) bool { return !has(c) || t.col(c).def != "" })
	for c, to := range t.refs {
		if !has(c) || s.table(to) == nil || t.col(c).typ != "int" || t.col(c).def != "" {
			delete(t.refs, c)
		}
	}
	for n, ix := range t.indexes {
		if slices.ContainsFunc(ix.cols, func(c string) bool { return !has(c) }) || ix.partial != "" && t.col(ix.partial).typ == "text" {
			delete(t.indexes, n)
		}
	}
	t.cols = slices.DeleteFunc(t.cols, func(c *colSpec) bool {
		return c.computed != "" && (!has(c.computed) || t.col(c.computed).typ != "int")
	})
}

func (s *spec) pruneViews() {
	seen := map[string]*viewSpec{}
	var kept []*viewSpec
	for _, v := range s.views {
		ok := seen[v.name] == nil
		if t := s.table(v.over); t != nil {
			for _, c := range v.cols {
				ok = ok && t.col(c) != nil
			}
		} else if o := seen[v.over]; o != nil {
			for _, c := range v.cols {
				ok = ok && slices.Contains(o.cols, c)
			}
		} else {
			ok = false
		}
		if len(v.cols) == 2 && v.cols[0] == v.cols[1] {
			ok = false
		}
		if ok {
			seen[v.name] = v
			kept = append(kept, v)
		}
	}
	s.views = kept
}

// mutate makes the structure some weeks older.
func (s *spec) mutate(r *rand.Rand) *spec {
	n := &spec{}
	for _, t := range s.tables {
		if len(s.tables) > 2 && r.IntN(9) == 0 {
			continue
		}
		c := *t
		c.cols, c.checks, c.uniques = nil, slices.Clone(t.checks), slices.Clone(t.uniques)
		c.refs, c.indexes = map[string]string{}, map[string]indexSpec{}
		for k, v := range t.refs {
			c.refs[k] = v
		}
		for k, v := range t.indexes {
			if r.IntN(5) > 0 {
				c.indexes[k] = v
			}
		}
		for i, col := range t.cols {
			if i > 0 && r.IntN(7) == 0 {
				continue
			}
			x := *col
			if i > 0 && x.computed == "" && t.refs[x.name] == "" {
				switch r.IntN(9) {
				case 0:
					x.notNull = !x.notNull
				case 1:
					x.def = ""
				case 2:
					if x.typ == "int" && x.def == "" && !slices.Contains(t.checks, x.name) {
						x.typ = "big"
					}
				case 3:
					if x.typ == "int" && x.def == "" && !slices.Contains(t.checks, x.name) {
						x.typ = "text"
					}
				}
			}
			c.cols = append(c.cols, &x)
		}
		for _, name := range pick(r, columnNames, 1) {
			if c.col(name) == nil && r.IntN(2) == 0 {
				col := newColumn(r, name)
				if was := t.col(name); was != nil && was.typ == "text" && col.typ != "text" {
					continue // the texts that are there are no numbers
				}
				col.notNull, col.fresh = col.def != "", true
				c.cols = slices.Insert(c.cols, 1+r.IntN(len(c.cols)), col)
			}
		}
		if r.IntN(5) == 0 && len(c.checks) > 0 {
			c.checks = c.checks[1:]
		}
		if r.IntN(5) == 0 && len(c.uniques) > 0 {
			c.uniques = c.uniques[1:]
		}
		n.tables = append(n.tables, &c)
	}
	for _, name := range pick(r, tableNames, 1) {
		if n.table(name) == nil && s.table(name) == nil {
			t := newTable(r, name)
			t.fresh = true
			n.tables = append(n.tables, t)
		}
	}
	for _, v := range s.views {
		if r.IntN(4) > 0 {
			n.views = append(n.views, v)
		}
	}
	n.settle(r)
	return n
}

// ages gives a structure what only SQLite has, or changes that after some weeks;
// was is the structure before them, nil for the first.
func (s *spec) ages(r *rand.Rand, was *spec) {
	words := []string{"", "", "ABORT", "FAIL", "IGNORE", "REPLACE", "ROLLBACK"}
	s.quoted = map[string][2]string{}
	for _, t := range s.tables {
		old := liteTable{}
		if was != nil && was.table(t.name) != nil {
			old = was.table(t.name).lite
		}
		one := func(now map[string]string, before map[string]string, key string, from []string) {
			if now[key] = before[key]; r.IntN(3) == 0 {
				now[key] = from[r.IntN(len(from))]
			}
		}
		t.lite = liteTable{strict: old.strict != (r.IntN(5) == 0), withoutRowid: old.withoutRowid != (r.IntN(6) == 0), conflicts: map[string]string{}, collations: map[string]string{}}
		for _, c := range t.cols[1:] {
			one(t.lite.conflicts, old.conflicts, c.name, words)
			one(t.lite.conflicts, old.conflicts, "not null "+c.name, words)
			if c.typ == "text" {
				one(t.lite.collations, old.collations, c.name, []string{"", "NOCASE", "RTRIM", "binary"})
			}
		}
		if text := columnNames[r.IntN(len(columnNames))]; r.IntN(3) == 0 && t.col(text) == nil {
			s.quoted[fmt.Sprintf("q%d", r.IntN(3))] = [2]string{t.name, text}
		}
	}
	if was != nil {
		s.search = slices.Clone(was.search)
	}
	if r.IntN(3) == 0 {
		s.search = pick(r, []string{"title", "body", "tag"}, r.IntN(4))
	}
}

// lite ends a definition with what only SQLite has.
func (p pen) lite(t *tableSpec, c *colSpec) string {
	if p.engine != "sqlite" || t.lite.collations[c.name] == "" {
		return ""
	}
	return p.word(" COLLATE ") + t.lite.collations[c.name]
}

func (p pen) conflict(t *tableSpec, key string) string {
	if p.engine != "sqlite" || t.lite.conflicts[key] == "" {
		return ""
	}
	return p.word(" ON CONFLICT ") + p.word(t.lite.conflicts[key])
}

// extras are the whole objects that only SQLite has.
func (p pen) extras(s *spec) string {
	var b strings.Builder
	for _, n := range sortedNames(s.quoted) {
		q := s.quoted[n]
		text := `"` + q[1] + `"`
		if p.maybe() {
			text = "'" + q[1] + "'"
		}
		fmt.Fprintf(&b, "CREATE VIEW %s AS SELECT id, %s AS said FROM %s;\n", p.name(n), text, p.name(q[0]))
	}
	if len(s.search) > 0 {
		fmt.Fprintf(&b, "CREATE VIRTUAL TABLE search USING fts5(%s);\n", strings.Join(s.search, ", "))
	}
	return b.String()
}

// A pen writes a spec as SQL of one engine; with a random source it writes
// another spelling of the same.
type pen struct {
	engine string
	r      *rand.Rand
}

func (p pen) maybe() bool { return p.r != nil && p.r.IntN(2) == 0 }

func (p pen) name(s string) string {
	if p.engine == "mysql" {
		return "`" + strings.ReplaceAll(s, "`", "``") + "`"
	}
	if p.engine == "sqlserver" && p.maybe() {
		return "[" + strings.ReplaceAll(s, "]", "]]") + "]"
	}
	if p.engine == "sqlite" && p.maybe() && !strings.Contains(s, "]") {
		return "[" + s + "]"
	}
	return `"` + strings.ReplaceAll(s, `"`, `""`) + `"`
}

func (p pen) word(s string) string {
	if p.maybe() {
		return strings.ToLower(s)
	}
	return s
}

func (p pen) typ(t string) string {
	m := map[string]string{"int": "INTEGER", "big": "BIGINT", "real": "REAL", "text": "TEXT"}
	if p.engine == "mysql" {
		m = map[string]string{"int": "INT", "big": "BIGINT", "real": "DOUBLE", "text": "VARCHAR(40)"}
		if p.maybe() {
			m = map[string]string{"int": "INTEGER(11)", "big": "INT8", "real": "DOUBLE PRECISION", "text": "CHARACTER VARYING(40)"}
		}
	}
	if p.engine == "sqlserver" {
		m = map[string]string{"int": "INT", "big": "BIGINT", "real": "FLOAT", "text": "NVARCHAR(40)"}
		if p.maybe() {
			m = map[string]string{"int": "INTEGER", "big": "[bigint]", "real": "DOUBLE PRECISION", "text": "NATIONAL CHARACTER VARYING(40)"}
		}
	}
	if p.engine == "postgres" && p.maybe() {
		m = map[string]string{"int": "int4", "big": "int8", "real": "float4", "text": "text"}
	}
	return p.word(m[t])
}

func (p pen) sql(s *spec) string {
	var b strings.Builder
	var late []string
	if p.engine == "sqlserver" {
		b.WriteString(p.partitions(s))
	}
	for _, t := range s.tables {
		var items []string
		for i, c := range t.cols {
			line := p.name(c.name) + " " + p.typ(c.typ) + p.lite(t, c)
			if p.engine == "sqlite" && t.lite.strict && c.typ == "big" {
				line = p.name(c.name) + " INT"
			}
			switch {
			case i == 0 && p.engine == "sqlserver" && t.served.identity:
				line += p.word(" IDENTITY NOT NULL PRIMARY KEY")
			case i == 0 && p.engine == "sqlserver":
				line += p.word(" NOT NULL PRIMARY KEY")
			case i == 0:
				line += p.word(" PRIMARY KEY")
			case c.computed != "" && p.engine == "sqlserver":
				line = p.name(c.name) + p.word(" AS") + " (" + p.name(c.computed) + " * 2)" + p.word(" PERSISTED")
			case c.computed != "":
				line += p.word(" GENERATED ALWAYS AS") + " (" + p.name(c.computed) + " * 2)" + p.word(" STORED")
			}
			if c.notNull && i > 0 {
				line += p.word(" NOT NULL") + p.conflict(t, "not null "+c.name)
			}
			if c.def != "" {
				line += p.word(" DEFAULT ")
				if p.maybe() {
					line += "(" + c.def + ")"
				} else {
					line += c.def
				}
			}
			items = append(items, line)
		}
		for _, c := range t.checks {
			name := "ck_" + c
			if p.engine == "sqlserver" { // names are the schema's
				name = "ck_" + t.name + c
			}
			items = append(items, fmt.Sprintf("%s %s %s (%s > 0)", p.word("CONSTRAINT"), p.name(name), p.word("CHECK"), p.name(c)))
		}
		for _, c := range t.uniques {
			if p.engine == "sqlserver" { // where NULLs would be equal
				late = append(late, fmt.Sprintf("CREATE UNIQUE INDEX %s ON %s (%s) WHERE %s IS NOT NULL ON [PRIMARY];", p.name("uq_"+t.name+c), p.name(t.name), p.name(c), p.name(c)))
				continue
			}
			items = append(items, fmt.Sprintf("CONSTRAINT %s UNIQUE (%s)%s", p.name("uq_"+t.name+c), p.name(c), p.conflict(t, c)))
		}
		for _, c := range t.cols {
			if to := t.refs[c.name]; to != "" {
				fk := fmt.Sprintf("CONSTRAINT %s FOREIGN KEY (%s) REFERENCES %s (%s) ON DELETE SET NULL", p.name("fk_"+c.name), p.name(c.name), p.name(to), p.name("id"))
				if p.engine == "mysql" || p.engine == "sqlserver" { // names are the database's, and what is computed from the column must stay
					fk = fmt.Sprintf("CONSTRAINT %s FOREIGN KEY (%s) REFERENCES %s (%s)", p.name("fk_"+t.name+c.name), p.name(c.name), p.name(to), p.name("id"))
				}
				if p.engine == "sqlite" {
					items = append(items, fk)
				} else {
					late = append(late, fmt.Sprintf("ALTER TABLE %s ADD %s;", p.name(t.name), fk))
				}
			}
		}
		sep := ", "
		if p.maybe() {
			sep = ",\n\t"
		}
		if p.engine != "mysql" && p.maybe() { // the order of constraints says nothing
			n := len(t.cols)
			slices.Reverse(items[n:])
		}
		items = append(items, p.periods(t)...)
		var options []string
		if p.engine == "sqlserver" {
			options = append(options, p.placed(t))
		}
		if p.engine == "sqlite" && t.lite.strict {
			options = append(options, p.word(" STRICT"))
		}
		if p.engine == "sqlite" && t.lite.withoutRowid {
			options = append(options, p.word(" WITHOUT ROWID"))
		}
		if p.maybe() {
			slices.Reverse(options)
		}
		fmt.Fprintf(&b, "%s %s (%s)%s;\n", p.word("CREATE TABLE"), p.name(t.name), strings.Join(items, sep), strings.Join(options, ","))
		for _, n := range sortedNames(t.indexes) {
			ix := t.indexes[n]
			var cols []string
			for _, c := range ix.cols {
				cols = append(cols, p.name(c))
			}
			where := ""
			if ix.partial != "" && p.engine != "mysql" {
				where = fmt.Sprintf(" WHERE %s > 1", p.name(ix.partial))
			}
			fmt.Fprintf(&b, "CREATE INDEX %s ON %s (%s)%s;\n", p.name(n), p.name(t.name), strings.Join(cols, ", "), where)
		}
	}
	b.WriteString(strings.Join(late, "\n") + "\n")
	for _, v := range s.views {
		var cols []string
		for _, c := range v.cols {
			cols = append(cols, p.name(c))
		}
		if p.engine == "sqlserver" {
			b.WriteString("GO\n")
		}
		fmt.Fprintf(&b, "CREATE VIEW %s AS %s %s FROM %s;\n", p.name(v.name), p.word("SELECT"), strings.Join(cols, ", "), p.name(v.over))
	}
	for _, t := range s.tables {
		if t.trigger {
			name := p.name("tr_" + t.name)
			if p.engine == "mysql" {
				fmt.Fprintf(&b, "CREATE TRIGGER %s AFTER DELETE ON %s FOR EACH ROW SET @gone = OLD.id;\n", name, p.name(t.name))
			} else if p.engine == "sqlserver" {
				fmt.Fprintf(&b, "GO\nCREATE TRIGGER %s ON %s AFTER DELETE AS PRINT 'gone';\n", name, p.name(t.name))
			} else if p.engine == "sqlite" {
				fmt.Fprintf(&b, "CREATE TRIGGER %s AFTER DELETE ON %s BEGIN UPDATE %s SET id = id WHERE id = OLD.id; END;\n", name, p.name(t.name), p.name(t.name))
			} else {
				fmt.Fprintf(&b, "CREATE FUNCTION %s() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RETURN OLD; END $$;\nCREATE TRIGGER %s BEFORE DELETE ON %s FOR EACH ROW EXECUTE FUNCTION %s();\n", name, name, p.name(t.name), name)
			}
		}
	}
	switch p.engine {
	case "sqlite":
		b.WriteString(p.extras(s))
	case "sqlserver":
		b.WriteString("GO\n" + p.policies(s) + "GO\n")
	}
	return b.String()
}

func sortedNames[V any](m map[string]V) []string {
	var out []string
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// rows are three rows a table that obey everything either structure asks.
func (p pen) rows(s *spec) string {
	var b strings.Builder
	for i := 1; i <= 3; i++ {
		for _, t := range s.tables {
			var cols, vals []string
			for _, c := range t.cols {
				if c.computed != "" || t.refs[c.name] != "" {
					continue
				}
				cols = append(cols, p.name(c.name))
				vals = append(vals, map[string]string{"int": fmt.Sprint(i), "big": fmt.Sprint(i * 10), "real": fmt.Sprintf("%d.5", i), "text": fmt.Sprintf("'r%d'", i)}[c.typ])
			}
			insert := fmt.Sprintf("INSERT INTO %s (%s) VALUES (%s);", p.name(t.name), strings.Join(cols, ", "), strings.Join(vals, ", "))
			if t.served.identity {
				insert = "SET IDENTITY_INSERT " + p.name(t.name) + " ON; " + insert + " SET IDENTITY_INSERT " + p.name(t.name) + " OFF;"
			}
			b.WriteString(insert + "\n")
		}
	}
	for _, t := range s.tables {
		for _, c := range sortedNames(t.refs) {
			fmt.Fprintf(&b, "UPDATE %s SET %s = id;\n", p.name(t.name), p.name(c))
		}
	}
	return b.String()
}

// kept are queries over what both structures have with one type: its values
// must stay.
func (p pen) kept(source, target *spec) []string {
	var out []string
	for _, t := range target.tables {
		n := source.table(t.name)
		if n == nil {
			continue
		}
		cols := []string{}
		for _, c := range t.cols {
			if d := n.col(c.name); d != nil && d.typ == c.typ && d.computed == c.computed {
				cols = append(cols, p.name(c.name))
			}
		}
		out = append(out, fmt.Sprintf("SELECT %s FROM %s ORDER BY 1", strings.Join(cols, ", "), p.name(t.name)))
	}
	return out
}

// careful runs the script that nobody gave permission for anything: whatever
// column held values holds as many afterwards.
func careful(t *testing.T, dir string, p places, plain pen, old *spec, source string) {
	place := p.make(t, plain.sql(old)+plain.rows(old))
	var queries, before []string
	for _, tab := range old.tables {
		var all, held []string
		for _, c := range tab.cols {
			all = append(all, fmt.Sprintf("count(%s)", plain.name(c.name)))
		}
		answer := p.ask(t, place, "SELECT "+strings.Join(all, ", ")+" FROM "+plain.name(tab.name))
		for i, n := range strings.FieldsFunc(answer, func(r rune) bool { return r < '0' || r > '9' }) {
			if n != "0" && tab.cols[i].computed == "" {
				held = append(held, all[i])
			}
		}
		if len(held) > 0 {
			queries = append(queries, "SELECT "+strings.Join(held, ", ")+" FROM "+plain.name(tab.name))
			before = append(before, strings.TrimSpace(p.ask(t, place, queries[len(queries)-1])))
		}
	}
	r := run(t, dir, "script", source, place, "-o", "careful.sql")
	if r.code != 0 && r.code != 3 || strings.Contains(r.errout, "will fail") {
		return // rows that stand in the way are another matter
	}
	file := filepath.Join(dir, "careful.sql")
	if out, err := p.client(place, file); err != nil {
		t.Fatalf("the careful script fails: %v\n%s\n%s", err, out, read(t, file))
	}
	for i, q := range queries {
		if now := strings.TrimSpace(p.ask(t, place, q)); now != before[i] {
			t.Fatalf("%s: was %s, is %s\n%s", q, before[i], now, read(t, file))
		}
	}
}

func TestRandomPairsSQLite(t *testing.T) {
	t.Parallel()
	n := 0
	randomPairs(t, "sqlite", litePlaces{t.TempDir(), &n}, *randomRuns*3/2)
}

func TestRandomPairsSQLServer(t *testing.T) {
	t.Parallel()
	randomPairs(t, "sqlserver", standIn(t), *randomRuns/3)
}

func TestRandomPairsPostgres(t *testing.T) {
	t.Parallel()
	randomPairs(t, "postgres", pgPlaces{postgres(t)}, *randomRuns/3)
}

// scoped runs a script for one kind only: of that kind nothing differs any
// more, and all that differed besides differs as before.
func scoped(t *testing.T, r *rand.Rand, dir string, p places, source, target string) {
	t.Helper()
	kind := pick(r, []string{"index", "foreign-key", "check", "view", "table", "unique"}, 1)[0]
	if _, ok := p.(mariaPlaces); ok && kind == "unique" {
		kind = "index"
	}
	place := p.make(t, target)
	only, rest := []string{"--only", kind + ":*"}, []string{"--except", kind + ":*"}
	made := run(t, dir, append([]string{"script", source, place, "--may-lose", "*", "-o", "scoped.sql", "--force"}, only...)...)
	switch made.code {
	case 0:
	case 2:
		if !strings.Contains(made.errout, "matches nothing") {
			t.Fatalf("%s: %s", kind, made.errout)
		}
		return
	default: // it needs what is out of scope, or the rows forbid it
		if made.code != 3 || !strings.Contains(made.errout, "cannot come") && !strings.Contains(made.errout, "cannot go") && !strings.Contains(made.errout, "held back") {
			t.Fatalf("%s: exit %d: %s", kind, made.code, made.errout)
		}
		return
	}
	others := func() string {
		var o report.Output
		out := run(t, dir, append([]string{"compare", source, place, "--format", "json"}, rest...)...)
		if err := json.Unmarshal([]byte(out.out), &o); err != nil {
			t.Fatalf("%s: %v\n%s", kind, err, out.errout)
		}
		text, err := json.Marshal(o.Comparisons[0].Differences)
		if err != nil {
			t.Fatal(err)
		}
		return string(text)
	}
	before := others()
	if out, err := p.client(place, filepath.Join(dir, "scoped.sql")); err != nil {
		t.Fatalf("only %s: the script fails: %v\n%s\n%s", kind, err, out, read(t, filepath.Join(dir, "scoped.sql")))
	}
	answers(t, 0, dir, source, place, only...)
	if after := others(); after != before {
		t.Fatalf("only %s changed more:\nwas %s\nis  %s\n%s", kind, before, after, read(t, filepath.Join(dir, "scoped.sql")))
	}
}

// randomPairs checks on made-up pairs that the same structure in another
// spelling is no difference, and that a script ends like the source with
// every row where it was.
func randomPairs(t *testing.T, engine string, p places, runs int) {
	for i := range runs {
		seed := *randomSeed + uint64(i)
		t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) {
			r := rand.New(rand.NewPCG(seed, 7))
			old := newSpec(r)
			young := old.mutate(r)
			plain := pen{engine: engine}
			if engine == "sqlite" {
				own := rand.New(rand.NewPCG(seed, 8))
				old.ages(own, nil)
				young.ages(own, old)
			}
			if engine == "sqlserver" {
				own := rand.New(rand.NewPCG(seed, 9))
				old.serves(own, nil)
				young.serves(own, old)
			}
			switch r.IntN(12) { // sometimes everything is new, or everything goes
			case 0:
				old = &spec{}
			case 1:
				young = &spec{}
			}
			dir := t.TempDir()
			source, target := p.make(t, plain.sql(young)), p.make(t, plain.sql(old)+plain.rows(old))
			respelled := p.make(t, pen{engine, r}.sql(young))
			answers(t, 0, dir, source, respelled)
			queries := plain.kept(young, old)
			var before []string
			for _, q := range queries {
				before = append(before, p.ask(t, target, q))
			}
			if r := run(t, dir, "compare", source, target); r.code == 0 {
				if d := firstDifference(p.dump(t, source), p.dump(t, target)); d != "" {
					t.Fatalf("a difference was overlooked:\n%s", d)
				}
				return
			}
			answers(t, 1, dir, source, target)
			careful(t, dir, p, plain, old, source)
			scoped(t, r, dir, p, source, plain.sql(old)+plain.rows(old))
			want(t, 0, dir, "script", source, target, "--may-lose", "*", "-o", "up.sql")
			script := filepath.Join(dir, "up.sql")
			if out, err := p.client(target, script); err != nil {
				t.Fatalf("the script fails: %v\n%s\n%s", err, out, read(t, script))
			}
			if d := firstDifference(p.dump(t, source), p.dump(t, target)); d != "" {
				t.Fatalf("the engine's own view differs:\n%s\n%s", d, read(t, script))
			}
			answers(t, 0, dir, source, target)
			for i, q := range queries {
				if now := p.ask(t, target, q); now != before[i] {
					t.Fatalf("%s\nwas %q\nis  %q\n%s", q, before[i], now, read(t, script))
				}
			}
			// The same by the way that keeps others working, and back.
			place := p.make(t, plain.sql(old)+plain.rows(old))
			was := p.dump(t, place)
			want(t, 0, dir, "script", source, place, "--may-lose", "*", "-o", "gentle.sql", "--avoid-blocking", "--backout", "down.sql")
			want(t, 0, dir, "apply", "gentle.sql", place, "--yes")
			if d := firstDifference(p.dump(t, source), p.dump(t, place)); d != "" {
				t.Fatalf("the gentle way ends elsewhere:\n%s\n%s", d, read(t, filepath.Join(dir, "gentle.sql")))
			}
			back := run(t, dir, "apply", "down.sql", place, "--yes")
			if back.code != 0 && (strings.Contains(back.errout, "stands in the way") || strings.Contains(back.errout, "rows would refer to rows that are not there")) {
				return // a key over values or rows that were lost
			}
			if d := firstDifference(was, p.dump(t, place)); back.code != 0 || d != "" {
				t.Fatalf("the way back: exit %d\n%s\n%s\n%s", back.code, d, back.errout, read(t, filepath.Join(dir, "down.sql")))
			}
		})
	}
}
