package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
)

// Rows says which rows of a table are listed.
type Rows struct {
	Table   string   // a pattern that names one
	Columns []string // none for all
	Where   string   // a condition in the engine's SQL
	Key     []string // of one row: the values of the primary key, in its order
	Limit   int
	Sample  bool // rows from anywhere, and not the first
	Letters int  // of a value
	Time    time.Duration
}

// Cell is a value of a row.
type Cell struct {
	Null bool
	Kind string // "number", "text" or "binary"
	Text string // its beginning; of what is binary in hexadecimal
	Size int    // how long it is, in letters or bytes, where it is cut
}

// RowList are rows of a table.
type RowList struct {
	Place, Table string
	Columns      []string
	Types        []string
	Key          []string // the columns of the primary key
	Rows         [][]Cell
	More         bool // there are more
}

// ListRows lists a few rows of a table. Nothing is written, and it ends after the time
// that was given.
func (s *Session) ListRows(ctx context.Context, at string, r Rows) (*RowList, error) {
	p, err := s.Place(at, false)
	if err != nil {
		return nil, err
	}
	if !p.Writable() {
		return nil, Troubled("not-a-database", "%s is no database; a structure has no rows", p.Label)
	}
	c, err := s.structure(ctx, p, place.Options{})
	if err != nil {
		return nil, Troubled("reading", "%w", err)
	}
	table, err := oneTable(c, r.Table)
	if err != nil {
		return nil, err
	}
	out := &RowList{Place: p.Label, Table: table.Ref().String()}
	db, err := p.Open(ctx, engine.OpenOptions{LockWait: s.LockWait})
	if err != nil {
		return nil, Troubled("open", "%w", err)
	}
	defer db.Close()
	reader, ok := db.(engine.RowReader)
	if !ok {
		return nil, Troubled("rows", "%s cannot list rows", p.Engine.Title())
	}
	within, cancel := context.WithTimeout(ctx, r.Time)
	defer cancel()
	if table, err = withColumns(within, p.Engine, reader, table); err != nil {
		return nil, Troubled("rows", "%s of %s: %w", out.Table, p.Label, err)
	}
	query, err := rowQuery(p.Engine, c, table, r, out)
	if err != nil {
		return nil, err
	}
	err = reader.Lines(within, query, func(line string) error {
		if len(out.Rows) == r.Limit {
			out.More = true
			return errEnough
		}
		row, err := cells(line)
		if err == nil && len(row) != len(out.Columns) {
			err = fmt.Errorf("%d values of %d columns", len(row), len(out.Columns))
		}
		out.Rows = append(out.Rows, row)
		return err
	})
	switch {
	case err == nil || errors.Is(err, errEnough):
		return out, nil
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case within.Err() != nil || errors.Is(err, engine.ErrTime):
		return nil, Troubled("rows", "%s of %s: it took longer than %s; --row-check-time gives it more", out.Table, p.Label, r.Time)
	}
	return nil, Troubled("rows", "%s of %s: %w", out.Table, p.Label, err)
}

// oneTable is the table or view that a pattern names.
func oneTable(c *catalog.Catalog, text string) (*catalog.Object, error) {
	ps, err := scope.Parse(text)
	if err != nil || len(ps) != 1 {
		return nil, Troubled("usage", "%q: one table is wanted, as berth or table:harbour.berth", text)
	}
	var found []*catalog.Object
	var known []string
	for _, o := range c.Objects {
		if len(o.PartsOf(catalog.Column)) == 0 && o.Kind != catalog.View && (o.Space != "relation" || o.Kind == catalog.Sequence) {
			continue
		}
		known = append(known, o.Name)
		if ps[0].MatchSelf(o.Ref(), c.FoldName) {
			found = append(found, o)
		}
	}
	switch {
	case len(found) == 0:
		return nil, Troubled("no-match", "%s has no table %s%s", c.Place, text, words.Suggest(text, known))
	case len(found) > 1:
		var list []string
		for _, o := range found {
			list = append(list, o.Ref().String())
		}
		return nil, Troubled("usage", "%s is several things: %s; say which", text, words.Join(list, 5))
	}
	return found[0], nil
}

// withColumns is a table, or a view with the columns that the database tells.
func withColumns(ctx context.Context, e engine.Engine, db engine.RowReader, table *catalog.Object) (*catalog.Object, error) {
	lister, ok := e.(engine.RowLister)
	if !ok || len(table.PartsOf(catalog.Column)) > 0 {
		return table, nil
	}
	out := table.Clone()
	err := db.Lines(ctx, lister.ColumnQuery(table.Schema, table.Own().Name), func(line string) error {
		var name, typ string
		if err := json.Unmarshal([]byte(line), &[]any{&name, &typ}); err != nil {
			return fmt.Errorf("the answer %q: %w", line, err)
		}
		out.Add((&catalog.Object{Kind: catalog.Column, Name: name}).SetText("type", typ))
		return nil
	})
	return out, err
}

// rowQuery is the query for the rows, whose columns are noted.
func rowQuery(e engine.Engine, c *catalog.Catalog, table *catalog.Object, r Rows, out *RowList) (string, error) {
	lister, ok := e.(engine.RowLister)
	if !ok {
		return "", Troubled("rows", "%s cannot list rows", e.Title())
	}
	var columns []*catalog.Object
	var names, known []string
	all := table.PartsOf(catalog.Column)
	for _, col := range all {
		known = append(known, col.Name)
	}
	for _, w := range r.Columns {
		if !slices.ContainsFunc(known, func(k string) bool { return c.FoldName(k, true) == c.FoldName(w, true) }) {
			return "", Troubled("no-match", "%s has no column %s%s", table.Ref(), w, words.Suggest(w, known))
		}
	}
	for _, col := range all {
		if len(r.Columns) > 0 && !slices.ContainsFunc(r.Columns, func(w string) bool { return c.FoldName(col.Name, true) == c.FoldName(w, true) }) {
			continue
		}
		columns = append(columns, col)
		names = append(names, c.Spell(col.Own().Name, false))
		out.Columns, out.Types = append(out.Columns, col.Name), append(out.Types, col.Text("type"))
	}
	if len(columns) == 0 {
		return "", Troubled("rows", "the columns of %s are not known, so its rows cannot be listed", table.Ref())
	}
	for _, pk := range table.PartsOf(catalog.PrimaryKey) {
		if out.Key = pk.List("columns"); out.Key != nil {
			break
		}
		for _, n := range pk.Needs { // where an engine says it so
			if n.On.PartKind == catalog.Column && n.On.Object() == table.Ref() {
				out.Key = append(out.Key, n.On.Part)
			}
		}
	}
	expr, random := lister.RowText(columns, names, r.Letters)
	from := c.Spell(table.Own().Name, false)
	if table.Schema != "" {
		from = c.Spell(table.Schema, false) + "." + from
	}
	query := "SELECT " + expr + " FROM " + from
	where, err := condition(e.Dialect(), c, out, r)
	if err != nil {
		return "", err
	}
	if where != "" {
		query += " WHERE (" + where + "\n)"
	}
	order := random
	if !r.Sample {
		var keys []string
		for _, k := range out.Key {
			keys = append(keys, c.Spell(k, false))
		}
		order = strings.Join(keys, ", ")
	}
	if pager, ok := e.(engine.RowPager); ok {
		query += pager.RowTail(order, r.Limit+1)
	} else {
		if order != "" {
			query += " ORDER BY " + order
		}
		query += fmt.Sprintf(" LIMIT %d", r.Limit+1)
	}
	// It is one statement that reads, whatever the condition says.
	if err := sqltext.Closed(e.Dialect(), e.Dialect().Ended(query)); err != nil {
		return "", Troubled("usage", "--where: %w", err)
	}
	return query, nil
}

// condition is what rows must meet.
func condition(d sqltext.Dialect, c *catalog.Catalog, out *RowList, r Rows) (string, error) {
	depth := 0
	for _, t := range sqltext.Lex(d, r.Where) { // it stays within its brackets
		switch {
		case t.IsOp("("):
			depth++
		case t.IsOp(")"):
			depth--
		case t.Blank() && strings.ContainsRune(t.Text, '!'): // a comment that a server may run
			depth = -1
		}
		if depth < 0 {
			break
		}
	}
	if depth != 0 {
		return "", Troubled("usage", "--where %q: it is one condition, with its brackets closed", r.Where)
	}
	if len(r.Key) == 0 {
		return r.Where, nil
	}
	if len(out.Key) != len(r.Key) {
		return "", Troubled("usage", "--key: %s has a primary key of %s: %s", out.Table, words.Number(len(out.Key), "column", "columns"), words.Join(out.Key, 8))
	}
	var parts []string
	if r.Where != "" {
		parts = append(parts, "("+r.Where+"\n)")
	}
	for i, k := range out.Key {
		if strings.ContainsAny(r.Key[i], "\\\x00") { // engines read it differently
			return "", Troubled("usage", "--key: a value with a backslash is written with --where")
		}
		parts = append(parts, c.Spell(k, false)+" = '"+strings.ReplaceAll(r.Key[i], "'", "''")+"'")
	}
	return strings.Join(parts, " AND "), nil
}

// cells reads a row.
func cells(line string) ([]Cell, error) {
	var raw [][]any
	dec := json.NewDecoder(strings.NewReader(line))
	dec.UseNumber()
	if err := dec.Decode(&raw); err != nil {
		return nil, fmt.Errorf("a row is not understood: %w", err)
	}
	out := make([]Cell, len(raw))
	for i, v := range raw {
		if v == nil {
			out[i].Null = true
			continue
		}
		if len(v) != 3 {
			return nil, errors.New("a row is not understood")
		}
		out[i].Kind, _ = v[0].(string)
		out[i].Text, _ = v[1].(string)
		if n, ok := v[2].(json.Number); ok {
			size, _ := n.Int64()
			out[i].Size = int(size)
		}
	}
	return out, nil
}
