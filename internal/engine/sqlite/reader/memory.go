package reader

import (
	"database/sql"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/vocab"
)

// memory is a database in memory that holds those objects of a text which a
// later statement changes, with all they name and all that name them: SQLite
// itself carries out ALTER TABLE. It is made when the first one comes, and
// what it holds is read back at the end, or when a table got another name.
type memory struct {
	db     *sql.DB
	loaded map[int]bool     // rows that are in it, by their place
	names  map[int][]string // the relations a row's text names
	users  map[string][]int // the rows that name a relation
	behind bool             // the rows do not yet say what ALTER TABLE did
	late   []int            // rows that came since and name what it holds
	// originOf is where the rows it holds came from.
	originOf map[string]*catalog.Origin
}

func (m *memory) close() {
	if m.db != nil {
		m.db.Close()
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

// open makes the database and learns what names what.
func (m *memory) open(t *textReader) error {
	if m.db != nil {
		return nil
	}
	db, err := sql.Open("sqlite", ":memory:")
	if err != nil {
		return err
	}
	db.SetMaxOpenConns(1)
	m.db, m.loaded, m.names, m.users, m.originOf = db, map[int]bool{}, map[int][]string{}, map[string][]int{}, map[string]*catalog.Origin{}
	for i := range t.rows {
		m.added(t, i)
	}
	return nil
}

// added notes a new row.
func (m *memory) added(t *textReader, i int) {
	if m.db == nil || t.rows[i].Type == "" {
		return
	}
	m.names[i] = relations(t.rows[i].SQL)
	for _, n := range m.names[i] {
		m.users[n] = append(m.users[n], i)
		if j, ok := t.at["relation "+n]; ok && m.loaded[j] && j != i {
			m.late = append(m.late, i)
		}
	}
	if slices.ContainsFunc(m.users[catalog.FoldASCII(t.rows[i].Name)], func(j int) bool { return m.loaded[j] }) {
		m.late = append(m.late, i)
	}
}

// load brings in what a statement concerns: everything it names, what names
// that, and what those name in turn.
func (m *memory) load(t *textReader, stmt string) error {
	var batch []int
	queue := m.late
	m.late = nil
	seen := map[string]bool{}
	visit := func(n string) {
		if j, ok := t.at["relation "+n]; ok && !seen[n] {
			seen[n] = true
			queue = append(queue, j)
			if !m.loaded[j] {
				queue = append(queue, m.users[n]...)
			}
		}
	}
	for _, n := range relations(stmt) {
		visit(n)
	}
	for len(queue) > 0 {
		i := queue[0]
		queue = queue[1:]
		if m.loaded[i] || t.rows[i].Type == "" {
			continue
		}
		m.loaded[i] = true
		batch = append(batch, i)
		for _, n := range m.names[i] {
			visit(n)
		}
	}
	rank := map[string]int{"table": 0, "view": 1, "index": 2, "trigger": 3}
	slices.SortStableFunc(batch, func(a, b int) int {
		if n := rank[t.rows[a].Type] - rank[t.rows[b].Type]; n != 0 {
			return n
		}
		return a - b
	})
	for _, i := range batch {
		r := t.rows[i]
		m.originOf[rowKey(r.Type, r.Name)] = r.Origin
		if _, err := m.db.ExecContext(t.ctx, r.SQL); err != nil {
			return fmt.Errorf("%s: %w", position(r.Origin, r.SQL, 0), Explain(err))
		}
	}
	return nil
}

// drop takes a row that is about to go out of the database as well.
func (m *memory) drop(t *textReader, i int) error {
	if m.db == nil || !m.loaded[i] {
		return nil
	}
	if err := t.settle(); err != nil {
		return err
	}
	r := t.rows[i]
	_, err := m.db.ExecContext(t.ctx, "DROP "+r.Type+" "+sqltext.Always(r.Name))
	if err != nil {
		return Explain(err)
	}
	return nil
}

// alter carries out ALTER TABLE.
func (t *textReader) alter(stmt, table string, origin *catalog.Origin) error {
	i, ok := t.at[rowKey("table", table)]
	if !ok {
		return textError(origin, stmt, 0, "there is no table %s", sqltext.CommentSafe(table))
	}
	m := &t.memory
	if err := m.open(t); err != nil {
		return err
	}
	if err := m.load(t, stmt); err != nil {
		return err
	}
	if _, err := m.db.ExecContext(t.ctx, stmt); err != nil {
		return textError(origin, stmt, 0, "%v", Explain(err))
	}
	m.behind = true
	more := relations(stmt) // it may name what the table did not
	m.names[i] = append(m.names[i], more...)
	for _, n := range more {
		m.users[n] = append(m.users[n], i)
	}
	p := newParser(stmt)
	for range 2 { // ALTER TABLE
		p.Next()
	}
	if _, err := p.qualifiedName(); err == nil && p.Take("rename", "to") {
		return t.settle()
	}
	return nil
}

// settle lets the rows say what the database in memory has.
func (t *textReader) settle() error {
	m := &t.memory
	if !m.behind {
		return nil
	}
	m.behind = false
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
			r.Origin = t.rows[i].Origin
			t.rows[i] = r
			delete(place, key)
			continue
		}
		fresh = append(fresh, r)
	}
	// What is left had another name; a table has one new name for its old one.
	origin := map[string]*catalog.Origin{}
	for _, i := range place {
		origin[t.rows[i].Type] = t.rows[i].Origin
		delete(m.loaded, i)
		t.remove(i)
	}
	for _, r := range fresh {
		if r.Origin = origin[r.Type]; r.Origin == nil {
			r.Origin = &catalog.Origin{File: "text", Line: 1, Column: 1}
		}
		t.add(r)
		m.loaded[len(t.rows)-1] = true
	}
	m.late = nil
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
	if err := m.open(t); err != nil {
		return err
	}
	if err := m.load(t, query); err != nil {
		return err
	}
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
	if _, err := m.db.ExecContext(t.ctx, "DROP VIEW temp."+view); err != nil {
		return Explain(err)
	}
	t.add(Row{Type: "table", Name: name, Table: name, SQL: "CREATE TABLE " + sqltext.Always(name) + " (" + strings.Join(cols, ", ") + ")", Origin: origin})
	return nil
}
