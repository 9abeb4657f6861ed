package mysql

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/mysql/grants"
	"dappermirror/internal/engine/mysql/vocab"
)

// Writer turns changes into MariaDB's and MySQL's SQL.
type Writer struct {
	// Fill gives the value for existing rows of a column.
	Fill map[catalog.Ref]string
	// Back says that the script is the way back of another one: what that
	// one put into new columns is no loss.
	Back bool
	// AvoidBlocking spells out how each ALTER TABLE is carried out, so that the
	// server refuses rather than blocks.
	AvoidBlocking bool
}

var _ order.Writer = (*Writer)(nil)

// maria tells whether the target is MariaDB, which replaces routines,
// triggers and events in one statement.
func maria(c *order.Change) bool {
	return c.Actual.Version == "" || strings.Contains(c.Actual.Version, "MariaDB")
}

func names(o *catalog.Object) []order.Name {
	if o.Space == "" {
		return nil
	}
	return []order.Name{{Space: o.Space, Name: o.Name}}
}

func created(o *catalog.Object, sql ...string) *order.Action {
	return &order.Action{About: o.Ref(), Title: "create " + vocab.Title(o), SQL: sql, Makes: []catalog.Ref{o.Ref()}, Creates: true, Takes: names(o), Locks: []order.TableLock{}}
}

// Create implements order.Writer.
func (w *Writer) Create(c *order.Change) []*order.Action {
	o := c.Source
	switch o.Kind {
	case vocab.Grant:
		return []*order.Action{grants.Action(c)}
	case catalog.Table:
		return locked(w.createTable(c))
	case catalog.Sequence:
		return []*order.Action{created(o, "CREATE SEQUENCE "+vocab.Quote(o.Name)+" "+sequenceOptions(o, nil)+";")}
	case vocab.Database:
		return nil
	}
	a := created(o, statement(c, o, "CREATE ", definer(c))...)
	if o.Kind != catalog.View { // it notes the database's collation
		a.After = append(a.After, catalog.Ref{Kind: vocab.Database, Name: "defaults"})
	}
	return []*order.Action{a}
}

// Drop implements order.Writer.
func (w *Writer) Drop(c *order.Change) []*order.Action {
	o := c.Target
	switch o.Kind {
	case vocab.Database:
		return nil
	case vocab.Grant:
		return []*order.Action{grants.Action(c)}
	}
	a := &order.Action{About: o.Ref(), Title: "drop " + vocab.Title(o), Removes: []catalog.Ref{o.Ref()}, Frees: names(o), Late: c.Source == nil,
		SQL: []string{"DROP " + keyword(o) + " " + vocab.Quote(o.Name) + ";"}}
	if o.Kind == vocab.PackageBody { // it may have gone with its package
		a.SQL[0], a.Late = "DROP PACKAGE BODY IF EXISTS "+vocab.Quote(o.Name)+";", false
	}
	if o.Kind == vocab.Package || o.Kind == vocab.PackageBody {
		a.SQL = session(c, o, strings.TrimSuffix(a.SQL[0], ";")) // only the SQL mode they were made in knows them
	}
	if o.Kind != catalog.Table {
		return []*order.Action{a}
	}
	lockExclusive.takes(a)
	var out []*order.Action
	for _, p := range o.Parts {
		if p.Kind == catalog.ForeignKey && p.Text("parent") != o.Name {
			out = append(out, w.dropKey(o, p)) // keys first, so that tables can go in any order
			continue
		}
		a.Removes = append(a.Removes, o.PartRef(p))
		if p.Kind == catalog.Trigger {
			a.Frees = append(a.Frees, names(p)...)
		}
	}
	a.Risks = []order.Risk{{Kind: order.Loss, On: o.Ref(), Text: "every row of table " + o.Name, Ask: anyRow(c, o)}}
	return locked(append(out, a))
}

// Alter implements order.Writer.
func (w *Writer) Alter(c *order.Change) ([]*order.Action, bool) {
	o := c.Source
	if len(c.Properties) == 0 && o.Kind != catalog.Table {
		return nil, true
	}
	switch o.Kind {
	case vocab.Grant:
		return []*order.Action{grants.Action(c)}, true
	case catalog.Table:
		return locked(w.alterTable(c)), true
	case vocab.Database:
		return []*order.Action{{About: o.Ref(), Title: "change " + vocab.Title(o), Makes: []catalog.Ref{o.Ref()},
			SQL: []string{fmt.Sprintf("ALTER DATABASE CHARACTER SET = %s COLLATE = %s;", o.Text("charset"), o.Text("collation"))}}}, true
	case catalog.Sequence:
		return []*order.Action{alterSequence(c)}, true
	case catalog.View:
		return []*order.Action{{About: o.Ref(), Title: "replace " + vocab.Title(o), Makes: []catalog.Ref{o.Ref()}, SQL: statement(c, o, "CREATE OR REPLACE ", definer(c))}}, true
	}
	if c.Property("procedure") != nil || !maria(c) {
		return nil, false
	}
	a := &order.Action{About: o.Ref(), Title: "replace " + vocab.Title(o), Makes: []catalog.Ref{o.Ref()}, SQL: statement(c, o, "CREATE OR REPLACE ", definer(c)),
		After: []catalog.Ref{{Kind: vocab.Database, Name: "defaults"}}}
	if body := c.Actual.Find(catalog.Ref{Kind: vocab.PackageBody, Name: o.Name}); o.Kind == vocab.Package && body != nil {
		a.Removes = append(a.Removes, body.Ref()) // it goes with the old one
	}
	return []*order.Action{a}, true
}

// alterSequence changes a sequence, which keeps its counter but where it turns
// round: its numbers begin anew then.
func alterSequence(c *order.Change) *order.Action {
	o := c.Source
	a := &order.Action{About: o.Ref(), Title: "change " + vocab.Title(o), Makes: []catalog.Ref{o.Ref()}}
	options := sequenceOptions(o, c.Target)
	down := func(s *catalog.Object) bool { return strings.HasPrefix(s.Text("increment"), "-") }
	switch {
	case down(o) != down(c.Target):
		options += " RESTART WITH " + o.Text("start")
		a.Note = "It counts the other way from now on, and begins at its start."
	case c.Property("minimum") != nil || c.Property("maximum") != nil:
		a.Risks = []order.Risk{{Kind: order.MayFail, On: o.Ref(), Text: "fails when its counter is outside the new limits",
			Ask: &order.Question{Count: fmt.Sprintf("SELECT count(*) FROM %s WHERE next_not_cached_value NOT BETWEEN %s AND %s", vocab.Quote(o.Name), o.Text("minimum"), o.Text("maximum")), What: "stands outside them"}}}
	}
	a.SQL = []string{"ALTER SEQUENCE " + vocab.Quote(o.Name) + " " + options + ";"}
	return a
}

// Survives implements order.Writer. Views and bodies are bound when they are
// used; a foreign key stands in the way of a change of its columns and of the
// indexes under it (MariaDB: Foreign Keys, Constraints).
func (w *Writer) Survives(_, part *catalog.Object, need catalog.Need, effect order.Effect) bool {
	switch {
	case part == nil:
		return true
	case part.Kind == catalog.Trigger: // those behind it in the same slot keep their order
		return need.On.PartKind != catalog.Trigger || !effect.Gone
	}
	return part.Kind != catalog.ForeignKey
}

func keyword(o *catalog.Object) string {
	switch {
	case o.Kind == catalog.Routine && o.Has("procedure"):
		return "PROCEDURE"
	case o.Kind == catalog.Routine:
		return "FUNCTION"
	case o.Kind == vocab.PackageBody:
		return "PACKAGE BODY"
	}
	return strings.ToUpper(string(o.Kind))
}

// definer writes the definer of what was asked for or is put back.
func definer(c *order.Change) string {
	if d := c.Source.Text("definer"); d != "" && (c.Target != nil || c.Groups["definers"]) {
		return "DEFINER=" + d + " "
	}
	return ""
}

// statement is how a view, routine or event is made, in the session it was
// made in.
func statement(c *order.Change, o *catalog.Object, create, definer string) []string {
	sql := create
	switch o.Kind {
	case catalog.View:
		if a := o.Text("algorithm"); a != "" {
			sql += "ALGORITHM=" + strings.ToUpper(a) + " "
		}
		sql += definer
		if s := o.Text("security"); s != "" {
			sql += "SQL SECURITY " + strings.ToUpper(s) + " "
		}
		sql += "VIEW " + vocab.Quote(o.Name)
		if l := o.Text("columns"); l != "" {
			sql += " " + l
		}
		sql += " AS\n" + o.Text("definition")
	default:
		sql += definer + o.Text("definition")
	}
	return session(c, o, sql)
}

// session wraps a statement into what its text depends on, and gives it back.
func session(c *order.Change, o *catalog.Object, sql string) []string {
	var before, after []string
	if m := o.Property("sql mode"); m != nil && m.Value.Text != vocab.Mode {
		before = append(before, "SET SESSION sql_mode = "+vocab.Literal(m.Value.Text)+";")
		after = append(after, "SET SESSION sql_mode = '"+vocab.Mode+"';")
	}
	if z := o.Text("time zone"); z != "" {
		before = append(before, "SET SESSION time_zone = "+vocab.Literal(z)+";")
		after = append(after, "SET SESSION time_zone = '+00:00';")
	}
	if cn := o.Text("connection"); cn != "" && cn != vocab.ConnectionSet {
		charset, collation, _ := strings.Cut(cn, " ")
		before = append(before, fmt.Sprintf("SET character_set_client = %s, collation_connection = %s;", charset, collation))
		after = append(after, "SET NAMES utf8mb4 COLLATE utf8mb4_general_ci;")
	}
	if at := executedAt(o); at != "" { // one whose time has gone would be made disabled, or not at all
		before = append(before, "SET SESSION timestamp = UNIX_TIMESTAMP("+at+") - 1;")
		after = append([]string{"SET SESSION timestamp = DEFAULT;"}, after...)
	}
	return append(append(before, delivered(c, o, sql)), after...)
}

// executedAt is the one time at which an event runs; "" where it recurs.
func executedAt(o *catalog.Object) string {
	if o.Kind != vocab.Event {
		return ""
	}
	toks := vocab.Cursor(o.Text("definition")).Significant()
	for i := 0; i+2 < len(toks); i++ {
		if toks[i].Is("schedule") && toks[i+1].Is("at") && toks[i+2].Kind == sqltext.String {
			return toks[i+2].Text
		}
	}
	return ""
}

// delivered ends a statement so that the client brings all of it to the
// server. Comments in it, and carriage returns, are taken away by MariaDB's
// client unless it is told otherwise: such a text goes as a string (MariaDB
// 10.6: EXECUTE IMMEDIATE takes every statement).
func delivered(c *order.Change, o *catalog.Object, sql string) string {
	major, minor := 0, 0
	_, _ = fmt.Sscanf(c.Actual.Version, "%d.%d", &major, &minor)
	if !maria(c) || major < 10 || major == 10 && minor < 6 || !strings.Contains(sql, "\r") && !commented(sql) {
		return delimited(sql)
	}
	text := "'" + strings.ReplaceAll(sql, "'", "''") + "'"
	if !strings.Contains(o.Text("sql mode"), "NO_BACKSLASH_ESCAPES") {
		text = strings.ReplaceAll(text, `\`, `\\`)
	}
	if strings.Contains(text, "\r") {
		text = "CONCAT(" + strings.ReplaceAll(text, "\r", "', CHAR(13), '") + ")"
	}
	return delimited("EXECUTE IMMEDIATE " + text)
}

func commented(sql string) bool {
	return slices.ContainsFunc(sqltext.Lex(vocab.Dialect, sql), func(t sqltext.Token) bool { return t.Kind == sqltext.Comment })
}

// delimited ends a statement so that the client finds its end, whatever
// semicolons stand in it.
func delimited(sql string) string {
	if !strings.Contains(sql, ";") {
		return sql + ";"
	}
	mark := ";;"
	for strings.Contains(sql, mark) {
		mark += ";"
	}
	return "DELIMITER " + mark + "\n" + sql + "\n" + mark + "\nDELIMITER ;"
}

// sequenceOptions writes the options that differ from those of was, or all.
func sequenceOptions(o, was *catalog.Object) string {
	var out []string
	for _, f := range [][2]string{{"start", "START WITH "}, {"minimum", "MINVALUE "}, {"maximum", "MAXVALUE "}, {"increment", "INCREMENT BY "}, {"cache", "CACHE "}} {
		if v := o.Text(f[0]); v != "" && (was == nil || was.Text(f[0]) != v) {
			out = append(out, f[1]+v)
		}
	}
	if was == nil && o.Has("cycle") || was != nil && o.Has("cycle") != was.Has("cycle") {
		out = append(out, map[bool]string{true: "CYCLE", false: "NOCYCLE"}[o.Has("cycle")])
	}
	if e := o.Text("engine"); e != "" && (was == nil || was.Text("engine") != e) {
		out = append(out, "ENGINE="+e)
	}
	if c := o.Text("comment"); was == nil && c != "" || was != nil && was.Text("comment") != c {
		out = append(out, "COMMENT="+vocab.Literal(c))
	}
	return strings.Join(out, " ")
}

// withoutKey is how a table loses a foreign key.
func withoutKey(o *catalog.Object) (string, lockMode) {
	if vocab.Hashed(o) {
		return copying, lockShared
	}
	return online, lockNone
}

func (w *Writer) dropKey(o, p *catalog.Object) *order.Action {
	how, lock := withoutKey(o)
	return w.lockedAs(o, lock, &order.Action{About: o.PartRef(p), Title: fmt.Sprintf("drop foreign key %s of %s", p.Name, o.Name), Removes: []catalog.Ref{o.PartRef(p)},
		Frees: []order.Name{{Space: "constraint", Name: p.Name}}, SQL: []string{fmt.Sprintf("ALTER TABLE %s DROP FOREIGN KEY %s%s;", vocab.Quote(o.Name), vocab.Quote(p.Name), w.how(o, ", "+how))}})
}

// how is what a statement says of how it is carried out, where that is asked
// for.
func (w *Writer) how(o *catalog.Object, text string) string {
	if !w.AvoidBlocking || !strings.EqualFold(o.Text("engine"), "InnoDB") || o.Has("system versioning") {
		return ""
	}
	return text
}

// lockedAs says which lock the action takes where it asks for one.
func (w *Writer) lockedAs(o *catalog.Object, m lockMode, a *order.Action) *order.Action {
	if w.how(o, "asked") != "" {
		m.takes(a)
	}
	return a
}

// renameKey gives a foreign key another name. The rows were held to it under the
// old one, so they need not be looked at, nor the table be copied (MariaDB:
// foreign_key_checks).
func (w *Writer) renameKey(c *order.Change, it *compare.Item) *order.Action {
	o := c.Source
	ref := o.PartRef(it.Source)
	how, lock := withoutKey(o)
	if vocab.Hashed(c.Target) {
		how, lock = withoutKey(c.Target)
	}
	alter := fmt.Sprintf("ALTER TABLE %s DROP FOREIGN KEY %s, ADD CONSTRAINT %s %s%s;", vocab.Quote(o.Name), vocab.Quote(it.Target.Name), vocab.Quote(it.Source.Name), it.Source.Text("definition"), w.how(o, ", "+how))
	return w.lockedAs(o, lock, &order.Action{About: ref, Title: fmt.Sprintf("change the name of foreign key %s of %s", it.Target.Name, o.Name), Makes: []catalog.Ref{ref},
		Frees: []order.Name{{Space: "constraint", Name: it.Target.Name}}, Takes: []order.Name{{Space: "constraint", Name: it.Source.Name}},
		SQL: []string{"SET SESSION foreign_key_checks = 0;", delimited(strings.TrimSuffix(alter, ";")), "SET SESSION foreign_key_checks = 1;"}})
}

func (w *Writer) addKey(o, p *catalog.Object) *order.Action {
	ref := o.PartRef(p)
	return w.lockedAs(o, lockShared, &order.Action{About: ref, Title: fmt.Sprintf("add foreign key %s to %s", p.Name, o.Name), Makes: []catalog.Ref{ref}, Takes: []order.Name{{Space: "constraint", Name: p.Name}},
		Prefix: "ALTER TABLE " + vocab.Quote(o.Name) + w.how(o, " "+copying+","), Clauses: []string{"ADD CONSTRAINT " + vocab.Quote(p.Name) + " " + p.Text("definition")},
		Risks: []order.Risk{{Kind: order.MayFail, On: ref, Text: "fails when a row refers to a row that is not there"},
			{Kind: order.Rewrite, On: ref, Text: "table " + o.Name + " is copied, and writes to it wait"}}})
}

func triggerTitle(verb string, o, p *catalog.Object) string {
	return fmt.Sprintf("%s trigger %s on %s", verb, p.Name, o.Name)
}

func createTrigger(o, p *catalog.Object, c *order.Change, create string) *order.Action {
	ref := o.PartRef(p)
	d := ""
	had := c.Target != nil && c.Target.Part(p.Kind, p.Key()) != nil // a new one is its maker's
	if t := p.Text("definer"); t != "" && (had || c.Groups["definers"]) {
		d = "DEFINER=" + t + " "
	}
	sql := create + d + p.Text("definition")
	return lockExclusive.takes(&order.Action{About: ref, Title: triggerTitle("create", o, p), Makes: []catalog.Ref{ref}, Takes: names(p), SQL: session(c, p, sql)})
}

func dropTrigger(o, p *catalog.Object) *order.Action {
	return lockExclusive.takes(&order.Action{About: o.PartRef(p), Title: fmt.Sprintf("drop trigger %s of %s", p.Name, o.Name), Removes: []catalog.Ref{o.PartRef(p)}, Frees: names(p),
		SQL: []string{"DROP TRIGGER " + vocab.Quote(p.Name) + ";"}})
}
