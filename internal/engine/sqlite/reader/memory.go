package reader

import (
	"database/sql"
	"fmt"
	"maps"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/vocab"
)

// memory is a database in memory in which SQLite itself carries out a statement
// that changes earlier ones (ALTER TABLE, CREATE TABLE … AS). For each it is made
// anew and holds what that concerns: the thing it changes, what names it, and what
// all of these name. So a statement costs what it concerns, not the whole text.
type memory struct {
	db     *sql.DB
	loaded map[int]bool     // rows that are in it, by their place
	names  map[int][]string // the relations a row's text names
	users  map[string][]int // the rows that name a relation
}

func (m *memory) close() {
	if m.db != nil {
		m.db.Close()
		m.db = nil
	}
}

// relations are the folded names in a statement.
func relations(text string) []string {
	var out []string
	for _, tok := range sqltext.Lex(vocab.Dialect, text) {
		if tok.IsName() {
			out = append(out, catalog.FoldASCII(tok.Name()))
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// added notes what a row names, once any statement wanted to know.
func (m *memory) added(t *textReader, i int) {
	if m.names == nil || t.rows[i].Type == "" {
		return
	}
	m.names[i] = relations(t.rows[i].SQL)
	for _, n := range m.names[i] {
		m.users[n] = append(m.users[n], i)
	}
}

// concerned are the rows that a statement concerns, by their place. changed is
// the folded name of what it changes; "" where it only looks.
func (m *memory) concerned(t *textReader, stmt, changed string) map[int]bool {
	in := map[int]bool{}
	var down func(i int)
	down = func(i int) { // a row with all it names
		if in[i] || t.rows[i].Type == "" {
			return
		}
		in[i] = true
		if t.rows[i].Type == "table" { // it can refer to what is not there
			return
		}
		for _, n := range m.names[i] {
			if j, ok := t.at["relation "+n]; ok {
				down(j)
			}
		}
	}
	seen := map[string]bool{}
	var up func(name string)
	up = func(name string) { // all that names a thing, and a view in its stead
		if seen[name] {
			return
		}
		seen[name] = true
		for _, i := range m.users[name] {
			down(i)
			if t.rows[i].Type == "view" {
				up(catalog.FoldASCII(t.rows[i].Name))
			}
		}
	}
	for _, n := range relations(stmt) {
		if i, ok := t.at["relation "+n]; ok {
			down(i)
		}
	}
	if changed != "" {
		up(changed)
	}
	return in
}

// hold makes the database and puts in what a statement concerns.
func (m *memory) hold(t *textReader, stmt, changed string) error {
	if m.names == nil {
		m.names, m.users = map[int][]string{}, map[string][]int{}
		for i := range t.rows {
			m.added(t, i)
		}
	}
	m.close()
	db, err := sql.Open("sqlite", ":memory:")
	if err != nil {
		return err
	}
	db.SetMaxOpenConns(1)
	m.db, m.loaded = db, m.concerned(t, stmt, changed)
	rank := map[string]int{"table": 0, "view": 1, "index": 2, "trigger": 3}
	batch := slices.SortedFunc(maps.Keys(m.loaded), func(a, b int) int {
		if n := rank[t.rows[a].Type] - rank[t.rows[b].Type]; n != 0 {
			return n
		}
		return a - b
	})
	for _, i := range batch {
		r := t.rows[i]
		if _, err := m.db.ExecContext(t.ctx, r.SQL); err != nil {
			return fmt.Errorf("%s: %w", position(r.Origin, r.SQL, 0), Explain(err))
		}
	}
	return nil
}

// alter carries out ALTER TABLE.
func (t *textReader) alter(stmt, table string, origin *catalog.Origin) error {
	if _, ok := t.at[rowKey("table", table)]; !ok {
		return textError(origin, stmt, 0, "there is no table %s", sqltext.CommentSafe(table))
	}
	m := &t.memory
	if err := m.hold(t, stmt, catalog.FoldASCII(table)); err != nil {
		return err
	}
	defer m.close()
	if _, err := m.db.ExecContext(t.ctx, stmt); err != nil {
		return textError(origin, stmt, 0, "%v", Explain(err))
	}
	return t.settle()
}

// settle lets the rows say what the database in memory has.
func (t *textReader) settle() error {
	m := &t.memory
	now, err := SchemaRows(t.ctx, m.db)
	if err != nil {
		return err
	}
	place := map[string]int{}
	for i := range m.loaded {
		if r := t.rows[i]; r.Type != "" {
			place[rowKey(r.Type, r.Name)] = i
		}
	}
	var fresh []Row
	for _, r := range now {
		if r.SQL == "" || strings.HasPrefix(catalog.FoldASCII(r.Name), "sqlite_") {
			continue
		}
		key := rowKey(r.Type, r.Name)
		if i, ok := place[key]; ok {
			delete(place, key)
			if r.SQL != t.rows[i].SQL {
				r.Origin = t.rows[i].Origin
				t.rows[i] = r
				m.added(t, i)
			}
			continue
		}
		fresh = append(fresh, r)
	}
	// What is left had another name; a table has one new name for its old one.
	origin := map[string]*catalog.Origin{}
	for _, i := range place {
		origin[t.rows[i].Type] = t.rows[i].Origin
		t.remove(i)
	}
	for _, r := range fresh {
		if r.Origin = origin[r.Type]; r.Origin == nil {
			r.Origin = &catalog.Origin{File: "text", Line: 1, Column: 1}
		}
		t.add(r)
	}
	return nil
}

// affinityNames are the types that CREATE TABLE … AS gives its columns, by
// their affinity (SQLite: CREATE TABLE, section 2.1).
var affinityNames = map[string]string{"INTEGER": " INT", "TEXT": " TEXT", "REAL": " REAL", "NUMERIC": " NUM", "BLOB": ""}

// createAs finds out which table CREATE TABLE … AS makes. Its query is never
// run: it need not end. A view over it has the same columns.
func (t *textReader) createAs(name, stmt string, origin *catalog.Origin) error {
	p := newParser(stmt)
	if _, err := p.parseHead(); err != nil || !p.Take("as") {
		return textError(origin, stmt, 0, "AS expected")
	}
	query := vocab.Statement(stmt[p.Peek().Pos:])
	m := &t.memory
	if err := m.hold(t, query, ""); err != nil {
		return err
	}
	defer m.close()
	const view = "dapper_mirror_as"
	if _, err := m.db.ExecContext(t.ctx, "CREATE TEMP VIEW "+view+" AS "+query); err != nil {
		return textError(origin, stmt, 0, "%v", Explain(err))
	}
	rows, err := m.db.QueryContext(t.ctx, "SELECT name, type FROM pragma_table_xinfo('"+view+"')")
	if err != nil {
		return textError(origin, stmt, 0, "%v", Explain(err))
	}
	defer rows.Close()
	var cols []string
	for rows.Next() {
		col := &catalog.Object{}
		var typ string
		if err := rows.Scan(&col.Name, &typ); err != nil {
			return Explain(err)
		}
		col.Set("type", catalog.Scalar(strings.ToUpper(typ)))
		cols = append(cols, sqltext.Always(col.Name)+affinityNames[vocab.Affinity(col)])
	}
	if err := rows.Err(); err != nil {
		return textError(origin, stmt, 0, "%v", Explain(err))
	}
	rows.Close()
	t.add(Row{Type: "table", Name: name, Table: name, SQL: "CREATE TABLE " + sqltext.Always(name) + " (" + strings.Join(cols, ", ") + ")", Origin: origin})
	return nil
}
