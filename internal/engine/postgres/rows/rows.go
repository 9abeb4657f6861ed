// Package rows knows what PostgreSQL's rows can be asked about a change: the
// queries, the guards a script carries, and how rows are written down.
package rows

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/postgres/vocab"
)

var (
	quote     = vocab.Quote
	qualified = vocab.Qualified
	literal   = vocab.Literal
)

// about asks how many rows of a table meet a condition; "" is every row.
func about(o *catalog.Object, from, where, what string) *order.Question {
	return order.RowsWhere(from, where, what)
}

// Guarded makes the script stop when there are such rows: it locks the table,
// then looks.
func Guarded(q *order.Question, o *catalog.Object, message string) *order.Question {
	look := q.Count
	if q.List != "" {
		look = q.List
	}
	q.On = append(q.On, o.Ref())
	q.Locks = []string{"LOCK TABLE " + qualified(o) + " IN ACCESS EXCLUSIVE MODE;"}
	q.Guard = []string{stopIf("EXISTS ("+look+")", message)}
	return q
}

// stopIf is a statement that stops the script where a condition holds.
func stopIf(condition, message string) string {
	tag := "$guard$"
	for n := 2; strings.Contains(condition+message, tag); n++ {
		tag = fmt.Sprintf("$guard%d$", n)
	}
	return fmt.Sprintf("DO %[1]s\nBEGIN\n  IF %[2]s THEN\n    RAISE EXCEPTION USING ERRCODE = '%[4]s', MESSAGE = %[3]s;\n  END IF;\nEND\n%[1]s;", tag, condition, literal(message), engine.GuardState)
}

// AsMany is a statement that stops the script unless a table holds as many rows
// as waited for it in another.
func AsMany(o *catalog.Object, aside string) string {
	return stopIf(fmt.Sprintf("(SELECT count(*) FROM %s) <> (SELECT count(*) FROM %s)", Own(o), aside), "not every row of table "+o.Name+" came back, or one came twice")
}

// Own is how the rows of a table are read that are its own or its
// partitions', not those of tables that inherit from it.
func Own(o *catalog.Object) string {
	if o.Has("partition by") {
		return qualified(o)
	}
	return "ONLY " + qualified(o)
}

// Any asks whether a table that goes holds rows.
func Any(o *catalog.Object) *order.Question {
	return Guarded(about(o, Own(o), "", "would go"), o, "table "+o.Name+" holds rows by now")
}

// Needing asks for rows that would have no value.
func Needing(o *catalog.Object) *order.Question {
	return about(o, qualified(o), "", "would have no value")
}

// Values asks whether a column holds values, besides those given.
func Values(o, col *catalog.Object, given string) *order.Question {
	where := present(col)
	if given != "" {
		where += fmt.Sprintf(" AND %s IS DISTINCT FROM (%s)", quote(col.Name), given)
	}
	q := Guarded(about(o, qualified(o), where, "hold a value"), o, fmt.Sprintf("column %s of table %s holds values by now", col.Name, o.Name))
	return q
}

// Null asks for rows without a value where one is needed.
func Null(o, col *catalog.Object) *order.Question {
	return Guarded(about(o, qualified(o), Empty(col), "hold NULL"), o, fmt.Sprintf("column %s of table %s holds NULL by now", col.Name, o.Name))
}

// Changed asks for values that do not survive the way to another type; there and
// back is the expression for what comes back of them.
func Changed(o, col *catalog.Object, thereAndBack string) *order.Question {
	name := quote(col.Name)
	switch col.Text("type") { // which have no equality
	case "json":
		thereAndBack, name = fmt.Sprintf("regexp_replace((%s)::text, '\\s', '', 'g')", thereAndBack), fmt.Sprintf("regexp_replace(%s::text, '\\s', '', 'g')", name)
	case "xml", "point", "json[]", "xml[]":
		thereAndBack, name = fmt.Sprintf("(%s)::text", thereAndBack), name+"::text"
	}
	q := Guarded(about(o, qualified(o), fmt.Sprintf("(%s) IS DISTINCT FROM %s", thereAndBack, name), "hold a value that would change"), o,
		fmt.Sprintf("column %s of table %s holds values that would change", col.Name, o.Name))
	q.Converts = true
	return q
}

// shapes are the texts that become a value of a type, as far as a pattern can
// tell; the conversion itself has the last word.
var shapes = map[string]string{
	"smallint": `^\s*[-+]?[0-9]+\s*$`, "integer": `^\s*[-+]?[0-9]+\s*$`, "bigint": `^\s*[-+]?[0-9]+\s*$`,
	"numeric": `^\s*([-+]?([0-9]+(\.[0-9]*)?|\.[0-9]+)([eE][-+]?[0-9]+)?|NaN|[-+]?[iI]nf(inity)?)\s*$`,
	"boolean": `^\s*([tT]([rR]([uU]([eE])?)?)?|[fF]([aA]([lL]([sS]([eE])?)?)?)?|[yY]([eE]([sS])?)?|[nN]([oO])?|[oO][nN]|[oO][fF]([fF])?|0|1)\s*$`,
	"uuid":    `^\{?([0-9a-fA-F]{4}-?){8}\}?$`, "date": `^\s*[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}\s*$`,
}

// limits are the least and greatest values of the whole-number types.
var limits = map[string]string{"smallint": "-32768 AND 32767", "integer": "-2147483648 AND 2147483647", "bigint": "-9223372036854775808 AND 9223372036854775807"}

// Fitting asks for values that a type cannot take. The conversion itself is
// tried; to is the type's name without its modifier, text says that the
// values are texts.
func Fitting(o, col *catalog.Object, via, to string, text bool) *order.Question {
	name := quote(col.Name)
	q := &order.Question{Probe: fmt.Sprintf("SELECT count(%s) FROM %s", via, qualified(o)), What: "hold a value that does not fit"}
	where := ""
	switch {
	case text && shapes[to] != "":
		where = name + " !~ " + literal(shapes[to])
	case !text && limits[to] != "":
		where = name + " NOT BETWEEN " + limits[to]
	}
	if where != "" {
		like := about(o, qualified(o), where, "")
		q.Count, q.Total, q.List = like.Count, like.Total, like.List
	}
	return q
}

// Labels asks for values of a column that are none of an enum's.
func Labels(o, col *catalog.Object, labels []string, array bool) *order.Question {
	return about(o, qualified(o), notAmong(quote(col.Name), labels, array), "hold another value")
}

func list(values []string) string {
	out := make([]string, len(values))
	for i, v := range values {
		out[i] = literal(v)
	}
	return strings.Join(out, ", ")
}

func notAmong(name string, labels []string, array bool) string {
	if array {
		return fmt.Sprintf("NOT %s::text[] <@ ARRAY[%s]::text[]", name, list(labels))
	}
	return fmt.Sprintf("%s::text <> ALL (ARRAY[%s]::text[])", name, list(labels))
}

// Use is one column of a type.
type Use struct {
	Table, Column *catalog.Object
	Array         bool
}

// InUse asks for rows that hold a value that an enum loses.
func InUse(uses []Use, gone []string) *order.Question {
	if len(uses) == 0 {
		return nil
	}
	var counts, looks, totals []string
	q := &order.Question{What: "hold a value that goes"}
	for _, u := range uses {
		where := fmt.Sprintf("%s::text IN (%s)", quote(u.Column.Name), list(gone))
		if u.Array {
			where = fmt.Sprintf("%s::text[] && ARRAY[%s]::text[]", quote(u.Column.Name), list(gone))
		}
		counts = append(counts, fmt.Sprintf("(SELECT count(*) FROM %s WHERE %s)", qualified(u.Table), where))
		totals = append(totals, fmt.Sprintf("(SELECT count(*) FROM %s)", qualified(u.Table)))
		looks = append(looks, fmt.Sprintf("SELECT %s AS table, %s::text AS value FROM %s WHERE %s", literal(qualified(u.Table)), quote(u.Column.Name), qualified(u.Table), where))
	}
	q.Count, q.Total, q.List = "SELECT "+strings.Join(counts, " + "), "SELECT "+strings.Join(totals, " + "), strings.Join(looks, " UNION ALL ")
	Guarded(q, uses[0].Table, "a row holds "+strings.Join(gone, ", ")+" by now")
	for _, u := range uses[1:] {
		if l := "LOCK TABLE " + qualified(u.Table) + " IN ACCESS EXCLUSIVE MODE;"; !slices.Contains(q.Locks, l) {
			q.On, q.Locks = append(q.On, u.Table.Ref()), append(q.Locks, l)
		}
	}
	return q
}

// Attributes asks for values of a composite type, in columns of it and in typed
// tables, whose attribute meets a condition, in which $ is the attribute; nil
// where an array of it is in use, whose elements no plain condition reaches.
func Attributes(uses []Use, typed []*catalog.Object, attribute, condition, what string) *order.Question {
	q := &order.Question{What: what}
	var counts, looks []string
	add := func(o *catalog.Object, expr, show string) {
		where := qualified(o) + " WHERE " + strings.ReplaceAll(condition, "$", expr)
		counts = append(counts, "(SELECT count(*) FROM "+where+")")
		looks = append(looks, fmt.Sprintf("SELECT %s AS table, %s::text AS value FROM %s", literal(qualified(o)), show, where))
		q.On = append(q.On, o.Ref())
		q.Locks = append(q.Locks, "LOCK TABLE "+qualified(o)+" IN ACCESS EXCLUSIVE MODE;")
	}
	for _, u := range uses {
		if u.Array {
			return nil
		}
		add(u.Table, "("+quote(u.Column.Name)+")."+attribute, quote(u.Column.Name))
	}
	for _, t := range typed {
		add(t, attribute, attribute)
	}
	q.Count, q.List = "SELECT "+strings.Join(counts, " + "), strings.Join(looks, " UNION ALL ")
	q.Guard = []string{stopIf("EXISTS ("+q.List+")", "values of attribute "+attribute+" "+what+" by now")}
	return q
}

// NullIn asks for NULLs in any column of a domain.
func NullIn(uses []Use) *order.Question {
	var counts []string
	for _, u := range uses {
		if !u.Array {
			counts = append(counts, fmt.Sprintf("(SELECT count(*) FROM %s WHERE %s IS NULL)", qualified(u.Table), quote(u.Column.Name)))
		}
	}
	if len(counts) == 0 {
		return nil
	}
	return &order.Question{Count: "SELECT " + strings.Join(counts, " + "), What: "hold NULL"}
}

// BreakIn asks for values in any column of a domain that break a new check of
// it; nil where an array of it is in use, whose elements no plain condition
// reaches.
func BreakIn(uses []Use, def string) *order.Question {
	toks := sqltext.Lex(vocab.Dialect, def)
	var counts, looks []string
	for _, u := range uses {
		if u.Array {
			return nil
		}
		var cond strings.Builder
		for _, t := range toks {
			if t.Is("value") {
				cond.WriteString(quote(u.Column.Name))
			} else {
				cond.WriteString(t.Text)
			}
		}
		inner, _ := brackets(cond.String(), sqltext.Lex(vocab.Dialect, cond.String()), 0)
		where := qualified(u.Table) + " WHERE NOT (" + inner + ")"
		counts = append(counts, "(SELECT count(*) FROM "+where+")")
		looks = append(looks, fmt.Sprintf("SELECT %s AS table, %s::text AS value FROM %s", literal(qualified(u.Table)), quote(u.Column.Name), where))
	}
	if len(counts) == 0 {
		return nil
	}
	return &order.Question{Count: "SELECT " + strings.Join(counts, " + "), List: strings.Join(looks, " UNION ALL "), What: "break the check", None: "none does"}
}

// Counter asks whether a sequence stands outside its new limits.
func Counter(o *catalog.Object, minimum, maximum string) *order.Question {
	if minimum == "" || maximum == "" {
		return nil
	}
	q := about(o, qualified(o), fmt.Sprintf("last_value NOT BETWEEN %s AND %s", minimum, maximum), "stands outside them")
	q.Total = ""
	return q
}

// Refused asks for the rows a new constraint or unique index would refuse; nil
// where that cannot be told. The table is the target's, the part the source's.
func Refused(o, p *catalog.Object, actual *catalog.Catalog) *order.Question {
	def := p.Text("definition")
	toks := sqltext.Lex(vocab.Dialect, def)
	switch p.Kind {
	case catalog.Check:
		cond, _ := brackets(def, toks, 0)
		if cond == "" {
			return nil
		}
		from := qualified(o)
		if strings.HasSuffix(def, " NO INHERIT") {
			from = Own(o)
		}
		return about(o, from, "NOT ("+cond+")", "break the check")
	case catalog.PrimaryKey, catalog.Unique, catalog.Index:
		return duplicates(o, def, toks)
	case catalog.ForeignKey:
		return orphans(o, p, def, toks, actual)
	}
	return nil
}

// brackets is what stands in the first round brackets from a token on, and
// the token behind them.
func brackets(text string, toks []sqltext.Token, from int) (string, int) {
	depth, start := 0, 0
	for i := from; i < len(toks); i++ {
		switch {
		case toks[i].IsOp("("):
			if depth == 0 {
				start = toks[i].Pos + 1
			}
			depth++
		case toks[i].IsOp(")"):
			if depth--; depth == 0 {
				return text[start:toks[i].Pos], i + 1
			}
		}
	}
	return "", len(toks)
}

// items cuts a list at its commas.
func items(text string) []string {
	var out []string
	depth, start := 0, 0
	for _, t := range sqltext.Lex(vocab.Dialect, text) {
		switch {
		case t.IsOp("("), t.IsOp("["):
			depth++
		case t.IsOp(")"), t.IsOp("]"):
			depth--
		case t.IsOp(",") && depth == 0:
			out = append(out, strings.TrimSpace(text[start:t.Pos]))
			start = t.Pos + 1
		}
	}
	return append(out, strings.TrimSpace(text[start:]))
}

// expression is an index key without operator class and order.
func expression(key string) string {
	toks := sqltext.Significant(vocab.Dialect, key)
	if len(toks) == 0 {
		return key
	}
	i := 1
	if toks[0].IsOp("(") {
		i = 0
	}
	for i+1 < len(toks) && toks[i].IsOp(".") {
		i += 2
	}
	if i < len(toks) && toks[i].IsOp("(") {
		depth := 0
		for ; i < len(toks); i++ {
			if toks[i].IsOp("(") {
				depth++
			} else if toks[i].IsOp(")") {
				if depth--; depth == 0 {
					i++
					break
				}
			}
		}
	}
	end := len(key)
	if i < len(toks) {
		end = toks[i].Pos
	}
	out := strings.TrimSpace(key[:end])
	if i+1 < len(toks) && toks[i].Is("collate") {
		j := i + 2
		for j+1 < len(toks) && toks[j].IsOp(".") {
			j += 2
		}
		end = len(key)
		if j < len(toks) {
			end = toks[j].Pos
		}
		out += " " + strings.TrimSpace(key[toks[i].Pos:end])
	}
	return out
}

// duplicates asks for rows that share a key.
func duplicates(o *catalog.Object, def string, toks []sqltext.Token) *order.Question {
	inner, next := brackets(def, toks, 0)
	if inner == "" || strings.Contains(def, " WITHOUT OVERLAPS") {
		return nil
	}
	var keys, given []string
	for _, k := range items(inner) {
		e := expression(k)
		keys = append(keys, e)
		if !strings.Contains(def, " NULLS NOT DISTINCT") {
			given = append(given, "("+e+") IS NOT NULL")
		}
	}
	for i := next; i < len(toks); i++ {
		if toks[i].Is("where") {
			given = append(given, def[toks[i].Pos+len("where"):])
			break
		}
	}
	where := ""
	if len(given) > 0 {
		where = " WHERE " + strings.Join(given, " AND ")
	}
	by := strings.Join(keys, ", ")
	return &order.Question{What: "share their key with another", Total: "SELECT count(*) FROM " + Own(o),
		Count: fmt.Sprintf("SELECT coalesce(sum(n), 0)::bigint FROM (SELECT count(*) AS n FROM %s%s GROUP BY %s HAVING count(*) > 1) AS shared", Own(o), where, by),
		List:  fmt.Sprintf("SELECT %s, count(*) FROM %s%s GROUP BY %s HAVING count(*) > 1", by, Own(o), where, by)}
}

// orphans asks for rows that refer to a row that is not there.
func orphans(o, p *catalog.Object, def string, toks []sqltext.Token, actual *catalog.Catalog) *order.Question {
	parent := Referred(actual, p)
	if parent == nil {
		return nil
	}
	given, match, end, ok := keyPairs(def, toks)
	if !ok {
		return nil
	}
	needed := strings.Join(given, " AND ")
	if i := end; i < len(toks) && strings.Contains(def[toks[min(i, len(toks)-1)].Pos:], "MATCH FULL") {
		needed = strings.Join(given, " OR ")
	}
	return about(o, qualified(o)+" AS c", fmt.Sprintf("(%s) AND NOT EXISTS (SELECT 1 FROM %s AS p WHERE %s)", needed, qualified(parent), strings.Join(match, " AND ")), "refer to a row that is not there")
}

// keyPairs are the conditions that a row c gives a foreign key and that a row p
// is the one it refers to, and the token behind the keys.
func keyPairs(def string, toks []sqltext.Token) (given, match []string, end int, ok bool) {
	inner, next := brackets(def, toks, 0)
	to, end := brackets(def, toks, next)
	cols, refs := items(inner), items(to)
	if inner == "" || to == "" || strings.Contains(def, " PERIOD ") || len(cols) != len(refs) {
		return nil, nil, 0, false
	}
	for i := range cols {
		given = append(given, "c."+cols[i]+" IS NOT NULL")
		match = append(match, "p."+refs[i]+" = c."+cols[i])
	}
	return given, match, end, true
}

// Referring asks for the rows of a table whose foreign key refers to a row of
// a partition; nil where that cannot be told.
func Referring(o, fk, partition *catalog.Object) *order.Question {
	def := fk.Text("definition")
	_, match, _, ok := keyPairs(def, sqltext.Lex(vocab.Dialect, def))
	if !ok {
		return nil
	}
	return about(o, qualified(o)+" AS c", fmt.Sprintf("EXISTS (SELECT 1 FROM %s AS p WHERE %s)", qualified(partition), strings.Join(match, " AND ")), "refer to a row of "+partition.Name)
}

// Referred is the table a foreign key points at, in a catalog; nil
// where it has none of that name.
func Referred(cat *catalog.Catalog, fk *catalog.Object) *catalog.Object {
	def := fk.Text("definition")
	toks := sqltext.Lex(vocab.Dialect, def)
	_, next := brackets(def, toks, 0)
	var name []sqltext.Token
	for _, t := range toks[next:] {
		if t.IsOp("(") {
			break
		}
		if !t.Blank() && !t.Is("references") {
			name = append(name, t)
		}
	}
	if len(name) != 3 || !name[1].IsOp(".") {
		return nil
	}
	return cat.Find(catalog.Ref{Kind: catalog.Table, Schema: name[0].Name(), Name: name[2].Name()})
}

// KeyNames are the names an index's columns have in generated names; "expr"
// stands for expressions.
func KeyNames(def string) []string {
	toks := sqltext.Lex(vocab.Dialect, def)
	keys, next := brackets(def, toks, 0)
	list := items(keys)
	if next < len(toks) {
		for i := next; i < len(toks) && !toks[i].Is("where"); i++ {
			if toks[i].Is("include") {
				more, _ := brackets(def, toks, i)
				list = append(list, items(more)...)
				break
			}
		}
	}
	var out []string
	for _, k := range list {
		t := sqltext.Significant(vocab.Dialect, expression(k))
		for len(t) > 2 && t[1].IsOp(".") { // a schema
			t = t[2:]
		}
		if len(t) == 1 || len(t) > 2 && t[0].IsName() && t[1].IsOp("(") {
			out = append(out, t[0].Name()) // a column, or what is called
		} else {
			out = append(out, "expr")
		}
	}
	return out
}

// Bound is the condition a partition's rows meet, by its parent's key and its
// bound; "" where that cannot be told.
func Bound(by, bound string, parent *catalog.Object) string {
	toks := sqltext.Lex(vocab.Dialect, by)
	inner, _ := brackets(by, toks, 0)
	var keys []string
	for _, k := range items(inner) {
		keys = append(keys, expression(k))
	}
	b := sqltext.Lex(vocab.Dialect, bound)
	first, next := brackets(bound, b, 0)
	second, _ := brackets(bound, b, next)
	switch {
	case strings.HasPrefix(bound, "FOR VALUES IN"):
		var in []string
		null := ""
		for _, v := range items(first) {
			if strings.EqualFold(v, "null") {
				null = " OR " + keys[0] + " IS NULL"
			} else {
				in = append(in, v)
			}
		}
		if len(in) == 0 {
			return keys[0] + " IS NULL"
		}
		return fmt.Sprintf("(coalesce(%s IN (%s), false)%s)", keys[0], strings.Join(in, ", "), null)
	case strings.HasPrefix(bound, "FOR VALUES FROM"):
		// MINVALUE and MAXVALUE stand before and behind every value, so the
		// keys from there on do not matter (PostgreSQL: CREATE TABLE).
		cond := []string{keys[0] + " IS NOT NULL"}
		for _, k := range keys[1:] {
			cond = append(cond, k+" IS NOT NULL")
		}
		for _, end := range []struct {
			bound         []string
			op, low, high string // of all keys, and of those before MINVALUE or MAXVALUE
		}{{items(first), ">=", ">=", ">"}, {items(second), "<", "<", "<="}} {
			if len(end.bound) != len(keys) {
				return ""
			}
			n, op := len(keys), end.op
			for i, v := range slices.Backward(end.bound) {
				switch strings.ToLower(v) {
				case "minvalue":
					n, op = i, end.low
				case "maxvalue":
					n, op = i, end.high
				}
			}
			switch n {
			case 0:
			case 1:
				cond = append(cond, keys[0]+" "+op+" "+end.bound[0])
			default:
				cond = append(cond, "("+strings.Join(keys[:n], ", ")+") "+op+" ("+strings.Join(end.bound[:n], ", ")+")")
			}
		}
		return "(" + strings.Join(cond, " AND ") + ")"
	case strings.HasPrefix(bound, "FOR VALUES WITH") && parent != nil:
		var modulus, remainder string
		for _, v := range items(first) {
			name, n, _ := strings.Cut(v, " ")
			if name == "modulus" {
				modulus = n
			} else {
				remainder = n
			}
		}
		return fmt.Sprintf("satisfies_hash_partition(%s::regclass, %s, %s, %s)", literal(qualified(parent)), modulus, remainder, strings.Join(keys, ", "))
	}
	return ""
}

// Meeting asks for rows that meet a condition.
func Meeting(o *catalog.Object, condition, what string) *order.Question {
	return about(o, Own(o), condition, what)
}

// Placeless asks for the rows of a partition that goes which no other one
// takes: those that meet the condition are taken.
func Placeless(o *catalog.Object, taken string) *order.Question {
	return Guarded(about(o, Own(o), "NOT "+taken, "would go"), o, "table "+o.Name+" holds rows by now that no partition takes")
}

// Outside asks for rows that meet none of the conditions.
func Outside(o *catalog.Object, conditions []string, what string) *order.Question {
	if len(conditions) == 0 || slices.Contains(conditions, "") {
		return nil
	}
	return about(o, qualified(o), "NOT ("+strings.Join(conditions, " OR ")+")", what)
}

// columns are the columns of a table that hold values of their own.
func columns(o *catalog.Object) (names []string, identity bool) {
	for _, c := range o.PartsOf(catalog.Column) {
		if !c.Has("generated") {
			names = append(names, quote(c.Name))
			identity = identity || c.Has("identity")
		}
	}
	return names, identity
}

// Move is a statement that puts rows from a temporary table into a partition;
// those of a condition, or all.
func Move(from, to *catalog.Object, aside, where string) string {
	cols, identity := columns(to)
	had, _ := columns(from)
	cols = slices.DeleteFunc(cols, func(c string) bool { return !slices.Contains(had, c) })
	list, over := strings.Join(cols, ", "), ""
	if identity {
		over = " OVERRIDING SYSTEM VALUE"
	}
	if where != "" {
		where = " WHERE " + where
	}
	return fmt.Sprintf("INSERT INTO %s (%s)%s\nSELECT %s FROM %s%s;", qualified(to), list, over, list, aside, where)
}

// InsertLines is a query whose rows are INSERT statements for all rows.
func InsertLines(o *catalog.Object, from string) string {
	cols, identity := columns(o)
	if len(cols) == 0 {
		return ""
	}
	head := "INSERT INTO " + qualified(o) + " (" + strings.Join(cols, ", ") + ")"
	if identity {
		head += " OVERRIDING SYSTEM VALUE"
	}
	vals := make([]string, len(cols))
	for i, c := range cols {
		vals[i] = "quote_nullable(" + c + "::text)"
	}
	return fmt.Sprintf("SELECT %s || %s || ');' FROM %s", literal(head+" VALUES ("), strings.Join(vals, " || ', ' || "), from)
}

// Empty is the condition that a column holds nothing. A row of NULLs is a value
// (PostgreSQL: Comparison Functions and Operators, IS NULL).
func Empty(col *catalog.Object) string {
	if mayBeRow(col) {
		return quote(col.Name) + " IS NOT DISTINCT FROM NULL"
	}
	return quote(col.Name) + " IS NULL"
}

// present is the condition that a column holds something.
func present(col *catalog.Object) string {
	if mayBeRow(col) {
		return quote(col.Name) + " IS DISTINCT FROM NULL"
	}
	return quote(col.Name) + " IS NOT NULL"
}

func mayBeRow(col *catalog.Object) bool {
	base := col.Text("type")
	return strings.Contains(base, ".") || base == "record"
}

// UpdateLines is a query whose rows are UPDATE statements that give a column
// its values back, by the table's key. Without a key, rows that are alike in
// all that is left of them get the values they have among them, each one: nobody
// can tell such rows apart.
func UpdateLines(o, col *catalog.Object, lost []*catalog.Object) string {
	var keys []string
	for _, k := range o.PartsOf(catalog.PrimaryKey) {
		def := k.Text("definition")
		inner, _ := brackets(def, sqltext.Lex(vocab.Dialect, def), 0)
		keys = items(inner)
	}
	name := quote(col.Name)
	if len(keys) == 0 || keys[0] == "" || strings.Contains(keys[len(keys)-1], "WITHOUT OVERLAPS") || slices.Contains(keys, name) {
		return alikeLines(o, col, lost)
	}
	where := make([]string, len(keys))
	for i, k := range keys {
		where[i] = fmt.Sprintf("%s || quote_nullable(%s::text)", literal(map[bool]string{true: "", false: " AND "}[i == 0]+k+" = "), k)
	}
	query := fmt.Sprintf("SELECT %s || quote_nullable(%s::text) || ' WHERE ' || %s || ';' FROM %s", literal("UPDATE "+qualified(o)+" SET "+name+" = "), name, strings.Join(where, " || "), qualified(o))
	if !col.Has("default") && !col.Has("identity") { // which would stand where nothing stood
		query += " WHERE " + present(col)
	}
	return query
}

// alikeLines is UpdateLines for a table without a key: a statement for the rows
// that are alike, which brings back all that is lost of them at once.
func alikeLines(o, col *catalog.Object, lost []*catalog.Object) string {
	if len(lost) > 0 && lost[0] != col {
		return "" // saved with the first
	}
	if len(lost) == 0 {
		lost = []*catalog.Object{col}
	}
	var others, where, sets, given, held, names []string
	for _, c := range o.PartsOf(catalog.Column) {
		if n := quote(c.Name); !slices.Contains(lost, c) && !c.Has("generated") {
			others = append(others, n+"::text")
			where = append(where, fmt.Sprintf("%s || quote_nullable(%s::text)", literal(n+"::text IS NOT DISTINCT FROM "), n))
		}
	}
	for i, c := range lost {
		n := quote(c.Name)
		names = append(names, fmt.Sprintf("x%d", i))
		sets = append(sets, fmt.Sprintf("%s = (v.x%d)::%s", n, i, c.Text("type")))
		given = append(given, "quote_nullable("+n+"::text)")
		held = append(held, "bool_or("+present(c)+")")
		if c.Has("default") || c.Has("identity") {
			held = append(held, "true")
		}
	}
	match, by := literal("true"), ""
	if len(others) > 0 {
		match, by = strings.Join(where, " || ' AND ' || "), " GROUP BY "+strings.Join(others, ", ")
	}
	list := strings.Join(names, ", ")
	return fmt.Sprintf("SELECT %s || %s || %s || string_agg('(' || %s || ')', ', ') || %s || ';' FROM %s%s HAVING %s",
		literal(fmt.Sprintf("UPDATE %s AS t SET %s FROM (SELECT ctid AS place, row_number() OVER () AS n FROM %s WHERE ", qualified(o), strings.Join(sets, ", "), qualified(o))), match,
		literal(") AS k, (SELECT row_number() OVER () AS n, "+list+" FROM (VALUES "), strings.Join(given, " || ', ' || "), literal(") AS given ("+list+")) AS v WHERE t.ctid = k.place AND k.n = v.n"), Own(o), by, strings.Join(held, " OR "))
}

// SavedSession is what the meaning of saved rows depends on.
const SavedSession = "SET client_encoding = 'UTF8'; SET DateStyle = 'ISO, YMD'; SET IntervalStyle = 'postgres'; SET standard_conforming_strings = on;"
