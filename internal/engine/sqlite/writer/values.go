package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/vocab"
)

// becomesNumber tells of a value whether a column of a number's affinity makes
// a number of it: comparing applies the affinity, and so finds out (SQLite:
// Datatypes, section 4.2).
const becomesNumber = "CAST(%[1]s AS NUMERIC) = %[1]s"

// changedBy is the condition under which a value of a column of one affinity is
// another one after it was stored in a column of another, so that no way leads
// back; "" where there are no such values (SQLite: Datatypes, section 3).
func changedBy(name, from, to string) string {
	var any []string
	add := func(format string) { any = append(any, fmt.Sprintf(format, name)) }
	switch {
	case from == to, to == "BLOB":
	case to == "TEXT" && from == "BLOB":
		add("typeof(%[1]s) IN ('integer', 'real')")
	case to == "TEXT":
		add("typeof(%[1]s) IN ('integer', 'real') AND CAST(CAST(%[1]s AS TEXT) AS NUMERIC) IS NOT %[1]s")
	default:
		number := "NUMERIC"
		if to == "REAL" {
			number = "REAL"
			add("typeof(%[1]s) = 'integer' AND CAST(%[1]s AS REAL) <> %[1]s")
		}
		switch from {
		case "BLOB":
			add("typeof(%[1]s) = 'text' AND " + becomesNumber)
		case "TEXT":
			add("typeof(%[1]s) = 'text' AND " + becomesNumber + " AND CAST(CAST(%[1]s AS " + number + ") AS TEXT) IS NOT %[1]s")
		}
	}
	return strings.Join(any, " OR ")
}

// stored is what a column of an affinity makes of a value.
func stored(name, from, to string) string {
	switch {
	case from == to, to == "BLOB":
		return name
	case to == "TEXT":
		return fmt.Sprintf("CASE WHEN typeof(%[1]s) IN ('integer', 'real') THEN CAST(%[1]s AS TEXT) ELSE %[1]s END", name)
	}
	number := "NUMERIC"
	if to == "REAL" {
		number = "REAL"
	}
	return fmt.Sprintf("CASE WHEN typeof(%[1]s) = 'text' AND "+becomesNumber+" OR typeof(%[1]s) = 'integer' THEN CAST(%[1]s AS "+number+") ELSE %[1]s END", name)
}

// typeRisks are what can become of values when a column's affinity changes, by
// its own type or by what the table makes of it.
func typeRisks(c *order.Change, col, was *catalog.Object) []order.Risk {
	if col.Has("generated") || was.Has("generated") {
		return nil
	}
	on, name := c.Source.PartRef(col), vocab.Quote(was.Name)
	from, to := vocab.AffinityIn(c.Target, was), vocab.AffinityIn(c.Source, col)
	var out []order.Risk
	if where := changedBy(name, from, to); where != "" {
		q := guarded(about(c.Target, where, "hold a value that would change"), c.Target, fmt.Sprintf("column %s of table %s holds values that would change", was.Name, c.Target.Name))
		out = append(out, order.Risk{Kind: order.Loss, On: on, Text: fmt.Sprintf("column %s of table %s: values are converted from %s to %s", col.Name, c.Source.Name, affinityWord(from), affinityWord(to)), Ask: q})
	}
	if vocab.RowidAlias(c.Source) == col.Name && vocab.RowidAlias(c.Target) != was.Name {
		// It becomes the rowid: NULL is a number that is free, and nothing but
		// whole numbers fits (SQLite: ROWIDs and the INTEGER PRIMARY KEY).
		q := guarded(about(c.Target, name+" IS NULL", "hold NULL"), c.Target, fmt.Sprintf("column %s of table %s holds NULL by now", was.Name, c.Target.Name))
		out = append(out, order.Risk{Kind: order.Loss, On: on, Text: fmt.Sprintf("column %s of table %s: a NULL becomes a number", col.Name, c.Source.Name), Ask: q})
		whole := fmt.Sprintf("typeof(%[1]s) = 'blob' OR typeof(%[1]s) IN ('text', 'real') AND (CAST(%[1]s AS INTEGER) = %[1]s) IS NOT 1", name)
		out = append(out, order.Risk{Kind: order.MayFail, On: on, Text: fmt.Sprintf("fails when a value of column %s is no whole number", col.Name), Ask: about(c.Target, whole, "hold no whole number")})
	}
	return out
}

// refused are the values that a column of a STRICT table does not take, by its
// type (SQLite: STRICT Tables, section 2).
var refused = map[string]string{
	"INT":     "typeof(%[1]s) = 'blob' OR typeof(%[1]s) IN ('text', 'real') AND (CAST(%[1]s AS INTEGER) = %[1]s) IS NOT 1",
	"INTEGER": "typeof(%[1]s) = 'blob' OR typeof(%[1]s) IN ('text', 'real') AND (CAST(%[1]s AS INTEGER) = %[1]s) IS NOT 1",
	"REAL":    "typeof(%[1]s) = 'blob' OR typeof(%[1]s) = 'text' AND (" + becomesNumber + ") IS NOT 1",
	"TEXT":    "typeof(%[1]s) = 'blob'",
	"BLOB":    "typeof(%[1]s) NOT IN ('blob', 'null')",
}

// strictTypes are the types that a STRICT table knows (SQLite: STRICT Tables,
// section 2).
var strictTypes = map[string]bool{"INT": true, "INTEGER": true, "REAL": true, "TEXT": true, "BLOB": true, "ANY": true}

// strictRisks are the values that a STRICT table does not take, where the table
// or a column's type was another before.
func strictRisks(c *order.Change) []order.Risk {
	if !c.Source.Has("strict") {
		return nil
	}
	var where []string
	for _, col := range c.Source.PartsOf(catalog.Column) {
		was := c.Target.Part(catalog.Column, col.ID)
		if was == nil || col.Has("generated") || c.Target.Has("strict") && strings.EqualFold(was.Text("type"), col.Text("type")) {
			continue
		}
		if r := refused[strings.ToUpper(col.Text("type"))]; r != "" {
			where = append(where, fmt.Sprintf(r, vocab.Quote(was.Name)))
		}
	}
	if len(where) == 0 {
		return nil
	}
	return []order.Risk{{Kind: order.MayFail, On: c.Source.Ref(), Text: "fails when a value has another type than its column", Ask: about(c.Target, strings.Join(where, " OR "), "hold a value of another type")}}
}

func affinityWord(a string) string {
	if a == "BLOB" {
		return "no type"
	}
	return a
}

// keys are the parts of a table that no two rows may share.
func keys(o *catalog.Object) []*catalog.Object {
	return slices.DeleteFunc(slices.Clone(o.Parts), func(p *catalog.Object) bool {
		return p.Kind != catalog.PrimaryKey && p.Kind != catalog.Unique && !(p.Kind == catalog.Index && p.Has("unique"))
	})
}

// compared tells whether what a key compares is another thing than before: its
// columns hold their values in another way, or have another collation. What is
// new has no rows yet.
func compared(c *order.Change, key *catalog.Object) bool {
	return slices.ContainsFunc(key.Needs, func(n catalog.Need) bool {
		was, now := c.Actual.Resolve(n.On), c.Desired.Resolve(n.On)
		return n.On.PartKind == catalog.Column && was != nil && now != nil &&
			(vocab.AffinityIn(c.Target, was) != vocab.AffinityIn(c.Source, now) || !c.Keeps(n.On, "collation", "generated", "expression"))
	})
}

// keyRisk is what a key does about rows that share it: by default it fails, but
// a conflict clause lets rows go (SQLite: The ON CONFLICT Clause).
func (w *Writer) keyRisk(c *order.Change, key *catalog.Object) order.Risk {
	on, list := c.Source.PartRef(key), strings.Join(key.List("columns"), ", ")
	if !dropsRows(key.Text("conflict")) {
		return order.Risk{Kind: order.MayFail, On: on, Text: "fails when two rows have the same " + list, Ask: w.partQuestion(c, key)}
	}
	r := order.Risk{Kind: order.Loss, On: on, Text: fmt.Sprintf("of rows of table %s that have the same %s all but one (ON CONFLICT %s)", c.Source.Name, list, strings.ToUpper(key.Text("conflict"))), Ask: w.partQuestion(c, key)}
	if r.Ask != nil {
		guarded(r.Ask, c.Target, fmt.Sprintf("rows of table %s share a key by now", c.Target.Name))
	}
	return r
}

func dropsRows(conflict string) bool { return conflict == "replace" || conflict == "ignore" }

// sameKeyRisks are those of keys that stay, over columns that do not.
func (w *Writer) sameKeyRisks(c *order.Change) []order.Risk {
	var out []order.Risk
	for _, it := range c.Parts {
		if it.Status == compare.Same && it.Kind() != catalog.Index && slices.Contains(keys(c.Source), it.Source) && compared(c, it.Source) {
			out = append(out, w.keyRisk(c, it.Source))
		}
	}
	return out
}

// duplicates asks for rows that share a key, as it will compare them. A primary
// key that is not the rowid takes NULLs, and two of them are not equal (SQLite:
// CREATE TABLE, section 3.5). It is nil where that cannot be told.
func (w *Writer) duplicates(c *order.Change, p *catalog.Object) *order.Question {
	o := c.Target
	var terms, given []string
	for _, k := range p.List("columns") {
		toks := sqltext.Significant(vocab.Dialect, k)
		if n := len(toks); n > 1 && (toks[n-1].Is("asc") || toks[n-1].Is("desc")) {
			k = strings.TrimSpace(k[:toks[n-1].Pos])
			toks = toks[:n-1]
		}
		term, ok := w.keyTerm(c, k, toks)
		if !ok {
			return nil
		}
		terms = append(terms, term)
		given = append(given, "("+k+") IS NOT NULL")
	}
	if where := p.Property("where"); where != nil {
		if !w.asIs(c, p) {
			return nil
		}
		given = append(given, "("+where.Value.String()+")")
	}
	list, from, where := strings.Join(terms, ", "), vocab.Quote(o.Name), strings.Join(given, " AND ")
	return &order.Question{What: "share their key with another", Total: "SELECT count(*) FROM " + from,
		Count: fmt.Sprintf("SELECT coalesce(sum(n), 0) FROM (SELECT count(*) AS n FROM %s WHERE %s GROUP BY %s HAVING count(*) > 1)", from, where, list),
		List:  fmt.Sprintf("SELECT %s, count(*) FROM %s WHERE %s GROUP BY %s HAVING count(*) > 1", list, from, where, list)}
}

// keyTerm is one term of a key, over the rows that are there, as its column will
// hold and compare it.
func (w *Writer) keyTerm(c *order.Change, term string, toks []sqltext.Token) (string, bool) {
	if len(toks) == 0 || !toks[0].IsName() || len(toks) > 1 && !toks[1].Is("collate") {
		return term, w.asIs(c, &catalog.Object{Needs: columnsIn(c.Source, toks)}) // an expression
	}
	id := catalog.FoldASCII(toks[0].Name())
	col, was := c.Source.Part(catalog.Column, id), c.Target.Part(catalog.Column, id)
	if col == nil || was == nil {
		return term, false
	}
	if _, filled := w.Fill[c.Source.PartRef(col)]; filled || !c.Keeps(c.Target.PartRef(was), "expression", "generated") {
		return "", false
	}
	value := vocab.Quote(was.Name)
	if from, to := vocab.AffinityIn(c.Target, was), vocab.AffinityIn(c.Source, col); from != to {
		value = "(" + stored(value, from, to) + ")"
	}
	switch {
	case len(toks) > 2:
		return value + " COLLATE " + toks[2].Text, true
	case value != vocab.Quote(was.Name) || col.Text("collation") != was.Text("collation"):
		collation := col.Text("collation")
		if collation == "" {
			collation = "binary"
		}
		return value + " COLLATE " + vocab.Quote(strings.ToUpper(collation)), true
	}
	return term, true
}

// columnsIn are the columns of a table that tokens name, as needs.
func columnsIn(o *catalog.Object, toks []sqltext.Token) []catalog.Need {
	var out []catalog.Need
	for _, t := range toks {
		if col := o.Part(catalog.Column, catalog.FoldASCII(t.Name())); t.IsName() && col != nil {
			out = append(out, catalog.Need{On: o.PartRef(col)})
		}
	}
	return out
}
