package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/reader"
	"dappermirror/internal/engine/sqlite/vocab"
)

// rebuild is the documented way to change what ALTER TABLE cannot (SQLite:
// ALTER TABLE, section 7): a new table, the rows copied, the old one dropped,
// the new one renamed. Rowids and the AUTOINCREMENT counter are kept.
func (w *Writer) rebuild(c *order.Change, changes []*compare.Item) *order.Action {
	o, old := c.Source, c.Target
	tmp := scratchName(c, o.Name)
	a := &order.Action{About: o.Ref(), Title: fmt.Sprintf("rebuild table %s (%s)", o.Name, summary(c, changes)),
		Removes: []catalog.Ref{}, Makes: []catalog.Ref{o.Ref()}}
	a.Risks = append(a.Risks, order.Risk{Kind: order.Rewrite, On: o.Ref(), Text: "every row is copied"})
	for _, it := range c.Parts {
		switch {
		case vocab.Inline(it.Kind()) && it.Source != nil:
			a.Makes = append(a.Makes, o.PartRef(it.Source))
		case !vocab.Inline(it.Kind()) && it.Target != nil:
			a.Removes = append(a.Removes, old.PartRef(it.Target))
			a.Frees = append(a.Frees, relation(it.Target)...)
		}
	}
	for _, it := range changes {
		a.Risks = append(a.Risks, w.partRisks(c, it)...)
		if fill, ok := w.Fill[o.PartRef(it.Object())]; ok && it.Kind() == catalog.Column && it.Target == nil {
			a.Fills = append(a.Fills, order.NewFill(o.PartRef(it.Source), vocab.Quote(old.Name), fill))
		}
		if it.Kind() != catalog.Column || it.Source == nil || it.Target == nil || !it.Source.Has("not null") || it.Target.Has("not null") {
			continue
		}
		if value, _ := w.forNulls(o, it.Source); value != "" {
			a.Fills = append(a.Fills, order.Fill{On: o.PartRef(it.Source), Value: value, Ask: noValue(old, it.Target)})
		}
	}
	a.Risks = append(a.Risks, w.sameKeyRisks(c)...)
	for _, it := range c.Parts { // what is the same to the letter can mean another thing in another kind of table
		if it.Kind() == catalog.Column && it.Status == compare.Same {
			a.Risks = append(a.Risks, typeRisks(c, it.Source, it.Target)...)
		}
	}
	a.Risks = append(a.Risks, strictRisks(c)...)
	if o.Has("strict") && !old.Has("strict") { // a column that stays as it is can forbid it
		for i, r := range a.Risks {
			if was := old.Part(catalog.Column, r.On.Part); r.On.PartKind == catalog.Column && was != nil && !strictTypes[strings.ToUpper(was.Text("type"))] {
				a.Risks[i].On = o.Ref()
			}
		}
	}
	into, from := w.copyLists(c)
	text := tableSQL(o, o.Name)
	under, named := reader.Unqualified(text, o.Name, tmp)
	a.SQL = append(a.SQL, vocab.Statement(under))
	if len(into) > 0 {
		// What is not known to lose rows must not: this overrides conflict
		// clauses (SQLite: INSERT, OR ABORT).
		verb := "INSERT OR ABORT INTO"
		if slices.ContainsFunc(a.Risks, func(r order.Risk) bool { return r.Kind == order.Loss && w.byConflict(c, r) }) {
			verb = "INSERT INTO"
		}
		a.SQL = append(a.SQL, fmt.Sprintf("%s %s (%s)\n  SELECT %s\n  FROM %s;", verb, vocab.Quote(tmp), strings.Join(into, ", "), strings.Join(from, ", "), vocab.Quote(old.Name)))
	}
	if autoincrement(o) && autoincrement(old) {
		a.SQL = append(a.SQL,
			fmt.Sprintf("DELETE FROM sqlite_sequence WHERE name = %s;", sqltext.Literal(tmp)),
			fmt.Sprintf("INSERT INTO sqlite_sequence (name, seq) SELECT %s, seq FROM sqlite_sequence WHERE name = %s;", sqltext.Literal(tmp), sqltext.Literal(old.Name)))
	}
	a.SQL = append(a.SQL, statisticsOf(c, old.Name, tmp)...)
	a.SQL = append(a.SQL, fmt.Sprintf("DROP TABLE %s;", vocab.Quote(old.Name)),
		fmt.Sprintf("ALTER TABLE %s RENAME TO %s;", vocab.Quote(tmp), vocab.Quote(o.Name)))
	a.SQL = append(a.SQL, statisticsOf(c, tmp, o.Name)...)
	if named {
		// A rename that mends the table's own name inside its checks looks at
		// every view and trigger, and fails on a broken one. So the new table is
		// made without it, and its text is put right.
		a.SQL = append(a.SQL, putRight("table", o.Name, text)...)
	} else {
		a.SQL = append(a.SQL, exactly("table", o.Name, text)...)
	}
	return a
}

// statisticsOf lets what ANALYZE found of a table be that of another one: a table
// that goes takes it along (SQLite: ANALYZE).
func statisticsOf(c *order.Change, from, to string) []string {
	if c.Actual.Limits[vocab.Statistics] == 0 {
		return nil
	}
	return []string{fmt.Sprintf("UPDATE sqlite_stat1 SET tbl = %s WHERE tbl = %s;", sqltext.Literal(to), sqltext.Literal(from))}
}

func autoincrement(o *catalog.Object) bool {
	pk := o.Part(catalog.PrimaryKey, "primary key")
	return pk != nil && pk.Has("autoincrement")
}

// scratchName is a name for the new table that nothing on either side has.
func scratchName(c *order.Change, name string) string {
	base := "dapper_mirror_new_" + name
	for n := 0; ; n++ {
		try := base
		if n > 0 {
			try = fmt.Sprintf("%s_%d", base, n)
		}
		free := true
		for _, k := range []catalog.Kind{catalog.Table, catalog.VirtualTable, catalog.View} {
			r := catalog.Ref{Kind: k, Name: catalog.FoldASCII(try)}
			free = free && c.Actual.Find(r) == nil && c.Desired.Find(r) == nil
		}
		if free {
			return try
		}
	}
}

// summary says in a few words why a table is rebuilt.
func summary(c *order.Change, changes []*compare.Item) string {
	var words []string
	for _, p := range c.Properties {
		words = append(words, p.Name)
	}
	verb := map[compare.Status]string{compare.SourceOnly: "new ", compare.TargetOnly: "without ", compare.Differs: ""}
	for _, it := range changes {
		title := it.Object().Title()
		if it.Kind() == catalog.Column || it.Object().Name != "" {
			title = it.Kind().Title() + " " + title
		}
		words = append(words, verb[it.Status]+title)
	}
	if len(words) > 3 {
		words = append(words[:3], fmt.Sprintf("%d more", len(words)-3))
	}
	return strings.Join(words, "; ")
}

// copyLists pairs the columns of the new table with what fills them.
func (w *Writer) copyLists(c *order.Change) (into, from []string) {
	for _, col := range c.Source.PartsOf(catalog.Column) {
		if col.Has("generated") {
			continue
		}
		fill, filled := w.Fill[c.Source.PartRef(col)]
		was := c.Target.Part(catalog.Column, col.ID)
		if was != nil && !filled && col.Has("not null") && !was.Has("not null") {
			fill, _ = w.forNulls(c.Source, col)
			filled = fill != ""
		}
		switch {
		case was == nil && filled:
			into, from = append(into, vocab.Quote(col.Name)), append(from, fill)
		case was != nil && filled:
			into, from = append(into, vocab.Quote(col.Name)), append(from, fmt.Sprintf("coalesce(%s, %s)", vocab.Quote(was.Name), fill))
		case was != nil:
			into, from = append(into, vocab.Quote(col.Name)), append(from, vocab.Quote(was.Name))
		}
	}
	// Rows keep their rowid also where no column shows it.
	if !c.Source.Has("without rowid") && !c.Target.Has("without rowid") && vocab.RowidAlias(c.Source) == "" {
		for _, name := range vocab.RowidNames {
			if c.Source.Part(catalog.Column, name) == nil && c.Target.Part(catalog.Column, name) == nil {
				return append([]string{name}, into...), append([]string{name}, from...)
			}
		}
	}
	return into, from
}

// partRisks are the risks of one changed column or constraint in a rebuild.
func (w *Writer) partRisks(c *order.Change, it *compare.Item) []order.Risk {
	o := c.Source
	if it.Status == compare.TargetOnly {
		if it.Kind() == catalog.Column {
			return w.dropRisks(c.Target, it.Target)
		}
		return nil
	}
	on := o.PartRef(it.Source)
	risk := func(k order.RiskKind, text string, args ...any) []order.Risk {
		return []order.Risk{{Kind: k, On: on, Text: fmt.Sprintf(text, args...), Ask: w.partQuestion(c, it.Source)}}
	}
	switch it.Kind() {
	case catalog.Unique, catalog.PrimaryKey:
		if it.Target != nil && slices.Equal(it.Target.List("columns"), it.Source.List("columns")) && !compared(c, it.Source) {
			return nil // it was a key of the same rows before
		}
		return []order.Risk{w.keyRisk(c, it.Source)}
	case catalog.Check:
		return risk(order.MayFail, "fails when a row breaks the check")
	case catalog.ForeignKey:
		return risk(order.MayFail, "fails when a row refers to a row of %s that is not there", it.Source.Text("parent"))
	case catalog.Column:
		return w.columnRisks(c, it)
	}
	return nil
}

// forNulls is the value for rows that hold NULL in a column that may not any
// more: what the user gives, or the source's default. whose says which.
func (w *Writer) forNulls(o, col *catalog.Object) (value, whose string) {
	if fill, ok := w.Fill[o.PartRef(col)]; ok {
		return fill, fmt.Sprintf("--fill %s.%s=%s", o.Name, col.Name, fill)
	}
	if def := col.Property("default"); def != nil && def.Value.Canonical() != "null" {
		value = def.Value.String()
		return value, fmt.Sprintf("the default of column %s of table %s, %s,", col.Name, o.Name, value)
	}
	return "", ""
}

func (w *Writer) columnRisks(c *order.Change, it *compare.Item) []order.Risk {
	col := it.Source
	on := c.Source.PartRef(col)
	_, filled := w.Fill[c.Source.PartRef(col)]
	var out []order.Risk
	add := func(k order.RiskKind, ask *order.Question, text string, args ...any) {
		out = append(out, order.Risk{Kind: k, On: on, Text: fmt.Sprintf(text, args...), Ask: ask})
	}
	def := col.Property("default")
	if it.Status == compare.SourceOnly {
		if col.Has("not null") && !filled && !col.Has("generated") && (def == nil || def.Value.Canonical() == "null") {
			add(order.MayFail, noRows(c.Target), "fails when there are rows: column %s is NOT NULL and has no value for them (--fill %s.%s=…)", col.Name, c.Source.Name, col.Name)
		}
		return out
	}
	if value, whose := w.forNulls(c.Source, col); it.Property("not null") != nil && it.Property("not null").Target == nil && value != "" {
		add(order.MayFail, &order.Question{Tries: whose, What: "would still hold NULL", None: "none would",
			Count: fmt.Sprintf("SELECT count(*) FROM %s WHERE %s IS NULL AND (%s) IS NULL", vocab.Quote(c.Target.Name), vocab.Quote(it.Target.Name), value)},
			"fails when the value for column %s is NULL itself", col.Name)
	} else if d := it.Property("not null"); d != nil && d.Target == nil && col.Text("not null conflict") == "ignore" {
		add(order.Loss, noValue(c.Target, it.Target), "rows that hold NULL in column %s (ON CONFLICT IGNORE; --fill %s.%s=…)", col.Name, c.Source.Name, col.Name)
	} else if d != nil && d.Target == nil {
		add(order.MayFail, noValue(c.Target, it.Target), "fails when a row holds NULL in column %s (--fill %s.%s=…)", col.Name, c.Source.Name, col.Name)
	}
	was := it.Target
	if col.Has("generated") && !was.Has("generated") {
		add(order.Loss, w.anyValue(c.Target, was), "every value of column %s of table %s, which becomes generated", col.Name, c.Source.Name)
	} else {
		out = append(out, typeRisks(c, col, was)...)
	}
	return out
}

// byConflict tells whether a loss is one of rows that a conflict clause drops.
func (w *Writer) byConflict(c *order.Change, r order.Risk) bool {
	p := c.Source.Part(r.On.PartKind, r.On.Part)
	return p != nil && (dropsRows(p.Text("conflict")) || p.Text("not null conflict") == "ignore")
}

// rebuildVirtual makes a virtual table anew. The rows are copied where the
// module keeps them and gives them back.
func (w *Writer) rebuildVirtual(c *order.Change) *order.Action {
	o, old := c.Source, c.Target
	a := &order.Action{About: o.Ref(), Title: "rebuild virtual table " + o.Name, Makes: []catalog.Ref{o.Ref()}}
	for _, it := range c.Parts {
		if it.Target != nil {
			a.Removes = append(a.Removes, old.PartRef(it.Target))
		}
	}
	was, now := virtualColumns(old), virtualColumns(o)
	shared, lost := []string{}, []string{}
	for _, col := range was {
		if containsFold(now, col) {
			shared = append(shared, vocab.Quote(col))
		} else {
			lost = append(lost, col)
		}
	}
	loss := func(text string) {
		a.Risks = append(a.Risks, order.Risk{Kind: order.Loss, On: o.Ref(), Text: text, Ask: anyRow(old)})
	}
	a.Risks = append(a.Risks, order.Risk{Kind: order.Rewrite, On: o.Ref(), Text: "every row is copied"})
	external := option(o, "content")
	if was == nil || now == nil || external == "''" || option(old, "content") == "''" {
		loss("every row of virtual table " + o.Name + ": its module does not give them back")
		a.SQL = []string{fmt.Sprintf("DROP TABLE %s;", vocab.Quote(old.Name)), vocab.Statement(virtualSQL(o, o.Name))}
		return a
	}
	if len(lost) > 0 {
		loss("every value of " + strings.Join(lost, ", ") + " of virtual table " + o.Name)
	}
	if strings.HasPrefix(o.Text("module"), "fts") {
		shared = append([]string{"rowid"}, shared...)
	}
	tmp := scratchName(c, o.Name)
	list := strings.Join(shared, ", ")
	a.SQL = []string{vocab.Statement(virtualSQL(o, tmp))}
	if o.Text("module") == "fts5" && old.Text("module") == "fts5" { // SQLite FTS5: Configuration Options, kept beside the rows
		a.SQL = append(a.SQL, fmt.Sprintf("INSERT INTO %[1]s (%[1]s, rank) SELECT k, v FROM %[2]s WHERE k <> 'version';", vocab.Quote(tmp), vocab.Quote(old.Name+"_config")))
	}
	if external == "" {
		a.SQL = append(a.SQL, fmt.Sprintf("INSERT INTO %s (%s)\n  SELECT %s\n  FROM %s;", vocab.Quote(tmp), list, list, vocab.Quote(old.Name)))
	}
	a.SQL = append(a.SQL, fmt.Sprintf("DROP TABLE %s;", vocab.Quote(old.Name)),
		fmt.Sprintf("ALTER TABLE %s RENAME TO %s;", vocab.Quote(tmp), vocab.Quote(o.Name)))
	if external != "" { // the rows are in another table; the index is made of them
		a.SQL = append(a.SQL, fmt.Sprintf("INSERT INTO %[1]s (%[1]s) VALUES ('rebuild');", vocab.Quote(o.Name)))
	}
	return a
}

func containsFold(l []string, s string) bool {
	for _, x := range l {
		if catalog.FoldASCII(x) == catalog.FoldASCII(s) {
			return true
		}
	}
	return false
}

// virtualColumns are the columns of a full-text or R*Tree table, in order;
// nil for modules not known.
func virtualColumns(o *catalog.Object) []string {
	m := o.Text("module")
	if !strings.HasPrefix(m, "fts") && !strings.HasPrefix(m, "rtree") {
		return nil
	}
	var out []string
	for _, arg := range o.List("written arguments") {
		sig := sqltext.Significant(vocab.Dialect, arg)
		if len(sig) > 1 && sig[1].IsOp("=") {
			continue
		}
		if len(sig) > 1 && sig[0].IsOp("+") { // R*Tree: an auxiliary column
			sig = sig[1:]
		}
		if len(sig) > 0 {
			out = append(out, sig[0].Name())
		}
	}
	return out
}

// option is the text of an argument `name=value` of a virtual table.
func option(o *catalog.Object, name string) string {
	for _, arg := range o.List("written arguments") {
		sig := sqltext.Significant(vocab.Dialect, arg)
		if len(sig) > 2 && sig[1].IsOp("=") && sig[0].Is(name) {
			if t := sig[2]; t.Kind == sqltext.Quoted {
				return sqltext.Literal(t.Name())
			}
			return sig[2].Text
		}
	}
	return ""
}
