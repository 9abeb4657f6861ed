package reader

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/mysql/vocab"
)

// ErrChanged says that something was made or dropped while it was read: the
// server has no one view of all definitions.
var ErrChanged = errors.New("the structure changed while it was read")

// Read fills a structure from a database over a connection whose names are
// printed in backticks. Lazily, tables that their texts may prove equal are left
// unread (catalog.Object.Unread).
func Read(ctx context.Context, conn *sql.Conn, database string, c *catalog.Catalog, lazy bool) error {
	return (&reader{conn: conn, database: database, c: c, lazy: lazy, texts: map[*catalog.Object]string{}}).read(ctx)
}

// Needs notes what needs what in a structure that was put together otherwise.
func Needs(c *catalog.Catalog) { (&reader{c: c}).needs() }

// reader fills a catalog from SHOW CREATE and the lists that name things.
type reader struct {
	conn     *sql.Conn
	database string
	c        *catalog.Catalog
	// lazy leaves tables unread that their text may prove equal.
	lazy  bool
	texts map[*catalog.Object]string
}

// together is how many SHOW CREATE statements make one round trip.
const together = 50

// row is one row of a result, by column name.
type row map[string]string

func (r *reader) rows(ctx context.Context, query string, each func(row) error) error {
	rows, err := r.conn.QueryContext(ctx, query)
	if err != nil {
		return err
	}
	defer rows.Close()
	for {
		if err := scan(rows, each); err != nil {
			return err
		}
		if !rows.NextResultSet() {
			return rows.Err()
		}
	}
}

func scan(rows *sql.Rows, each func(row) error) error {
	cols, err := rows.Columns()
	if err != nil {
		return err
	}
	vals := make([]sql.NullString, len(cols))
	ptrs := make([]any, len(cols))
	for i := range vals {
		ptrs[i] = &vals[i]
	}
	for rows.Next() {
		if err := rows.Scan(ptrs...); err != nil {
			return err
		}
		m := make(row, len(cols))
		for i, c := range cols {
			m[c] = vals[i].String
		}
		if err := each(m); err != nil {
			return err
		}
	}
	return rows.Err()
}

// shown runs SHOW CREATE for every name, many to a round trip.
func (r *reader) shown(ctx context.Context, what string, names []string, each func(row) error) error {
	for len(names) > 0 {
		n := min(together, len(names))
		var b strings.Builder
		for _, name := range names[:n] {
			fmt.Fprintf(&b, "SHOW CREATE %s %s;", what, vocab.Quote(name))
		}
		if err := r.rows(ctx, b.String(), each); err != nil {
			return fmt.Errorf("reading %s definitions: %w", strings.ToLower(what), err)
		}
		names = names[n:]
	}
	return nil
}

// read reads the database. There is no one consistent view of definitions:
// the list of names is read again at the end.
func (r *reader) read(ctx context.Context) error {
	before, err := r.list(ctx)
	if err != nil {
		return err
	}
	for _, f := range []func(context.Context, map[string][]string) error{r.rights, r.defaults, r.tables, r.views, r.sequences, r.triggers, r.routines, r.events, r.grants} {
		if err := f(ctx, before); err != nil {
			return err
		}
	}
	after, err := r.list(ctx)
	if err != nil {
		return err
	}
	if fmt.Sprint(before) != fmt.Sprint(after) {
		return ErrChanged
	}
	if r.lazy {
		r.digest()
	} else {
		r.needs()
	}
	r.c.Sort()
	return nil
}

// digest gives the unread tables their digests: equal texts and triggers are
// equal tables.
func (r *reader) digest() {
	for o, text := range r.texts {
		h := sha256.New()
		h.Write([]byte(text))
		for _, p := range o.PartsOf(catalog.Trigger) {
			fmt.Fprintf(h, "%q", p.Name)
			for i := range p.Properties {
				fmt.Fprintf(h, "%q", p.Properties[i].Value.String())
			}
		}
		o.Digest = string(h.Sum(nil)[:16])
	}
	texts := r.texts
	r.c.Text = func(o *catalog.Object) string {
		var b strings.Builder
		b.WriteString(texts[o])
		for _, x := range append([]*catalog.Object{o}, o.Parts...) {
			b.WriteString(" " + x.Text("definition") + " " + x.Text("body"))
		}
		return b.String()
	}
	r.c.Link = r.needs
	r.c.Expand = func(_ context.Context, objects []*catalog.Object) error {
		for _, o := range objects {
			t, err := ParseTable(texts[o])
			if err != nil {
				return err
			}
			for _, p := range o.PartsOf(catalog.Trigger) {
				t.Add(p)
			}
			*o = *t
		}
		return nil
	}
}

// WithoutCounter is what the server prints of a table without its counter, which
// stands behind the engine; line ends in comments are printed as \n.
func WithoutCounter(text string) string {
	at := strings.LastIndex(text, "\n) ENGINE=")
	if at < 0 {
		return text
	}
	options := text[at:]
	i := strings.Index(options, " AUTO_INCREMENT=")
	if i < 0 || strings.ContainsAny(options[len("\n) ENGINE="):i], " '") { // in a comment
		return text
	}
	rest := strings.TrimLeft(options[i+len(" AUTO_INCREMENT="):], "0123456789")
	return text[:at] + options[:i] + rest
}

// outline is a table of which only the name, the text and the names of its
// indexes are known.
func (r *reader) outline(name, text string) *catalog.Object {
	text = WithoutCounter(text)
	o := &catalog.Object{Kind: catalog.Table, Name: name, Space: "relation", Unread: true}
	for _, line := range strings.Split(text, "\n") {
		for _, word := range []string{"  KEY `", "  UNIQUE KEY `", "  FULLTEXT KEY `", "  SPATIAL KEY `"} {
			if rest, ok := strings.CutPrefix(line, word); ok {
				n, _, _ := strings.Cut(rest, "`")
				o.Add(&catalog.Object{Kind: catalog.Index, Name: n})
			}
		}
	}
	r.texts[o] = text
	return o
}

// list names the relations by kind.
func (r *reader) list(ctx context.Context) (map[string][]string, error) {
	out := map[string][]string{}
	err := r.rows(ctx, "SHOW FULL TABLES", func(m row) error {
		kind := m["Table_type"]
		for k, v := range m {
			if k != "Table_type" {
				if kind == "SYSTEM VERSIONED" {
					kind = "BASE TABLE"
				}
				out[kind] = append(out[kind], v)
			}
		}
		return nil
	})
	return out, err
}

// seen says, by kind, which privilege shows all of it: without one of them the
// server lists nothing, which must not be taken for absence.
var seen = map[catalog.Kind][]string{
	catalog.Trigger: {"TRIGGER"}, vocab.Event: {"EVENT"}, catalog.Routine: {"EXECUTE", "CREATE ROUTINE", "ALTER ROUTINE"},
}

// rights notes which kinds the account cannot see.
func (r *reader) rights(ctx context.Context, _ map[string][]string) error {
	has := map[string]bool{}
	const query = `SELECT p.privilege FROM (SELECT GRANTEE AS grantee, PRIVILEGE_TYPE AS privilege FROM information_schema.USER_PRIVILEGES
  UNION ALL SELECT GRANTEE, PRIVILEGE_TYPE FROM information_schema.SCHEMA_PRIVILEGES WHERE DATABASE() LIKE TABLE_SCHEMA) p
WHERE REPLACE(p.grantee, CHAR(39), SPACE(0)) IN (CURRENT_USER(), CONCAT(CURRENT_ROLE(), '@'), CURRENT_ROLE())`
	if err := r.rows(ctx, query, func(m row) error { has[m["privilege"]] = true; return nil }); err != nil {
		return fmt.Errorf("reading the account's privileges: %w", err)
	}
	for _, kind := range []catalog.Kind{catalog.Trigger, catalog.Routine, vocab.Event} {
		if !slices.ContainsFunc(seen[kind], func(p string) bool { return has[p] }) {
			r.c.Gaps = append(r.c.Gaps, catalog.Gap{Kind: kind, Why: "the account has no privilege that shows them (" + strings.Join(seen[kind], ", ") + ")"})
		}
	}
	return nil
}

func (r *reader) defaults(ctx context.Context, _ map[string][]string) error {
	return r.rows(ctx, "SELECT @@character_set_database AS cs, @@collation_database AS co", func(m row) error {
		o := &catalog.Object{Kind: vocab.Database, Name: "defaults"}
		o.Set("charset", catalog.Scalar(m["cs"]))
		o.Set("collation", catalog.Scalar(m["co"]))
		r.c.Add(o)
		return nil
	})
}

func (r *reader) tables(ctx context.Context, names map[string][]string) error {
	return r.shown(ctx, "TABLE", names["BASE TABLE"], func(m row) error {
		text := Plain(m["Create Table"], r.database)
		if r.lazy {
			r.c.Add(r.outline(m["Table"], text))
			return nil
		}
		o, err := ParseTable(text)
		if err != nil {
			return err
		}
		r.c.Add(o)
		return nil
	})
}

// withoutDefiner takes the definer out of a CREATE statement, and the word
// CREATE with what stands between.
func withoutDefiner(text string) (definer, algorithm, rest string) {
	c := vocab.Cursor(text)
	c.Take("create")
	for !c.End() {
		switch {
		case c.Take("or", "replace"):
		case c.Take("algorithm", "="):
			algorithm = c.Next().Text
		case c.Take("definer", "="):
			start := c.Peek().Pos
			c.Next()
			if c.Take("@") {
				c.Next()
			}
			definer = strings.TrimSpace(c.Text[start:c.Behind()])
		default:
			return definer, algorithm, c.Rest()
		}
	}
	return definer, algorithm, ""
}

func connection(m row) string { return m["character_set_client"] + " " + m["collation_connection"] }

func (r *reader) views(ctx context.Context, names map[string][]string) error {
	return r.shown(ctx, "VIEW", names["VIEW"], func(m row) error {
		o := ParseView(m["View"], Plain(m["Create View"], r.database))
		o.Carry("connection", catalog.Scalar(connection(m)))
		r.c.Add(o)
		return nil
	})
}

// ParseView makes an object of what SHOW CREATE VIEW prints.
func ParseView(name, text string) *catalog.Object {
	definer, algorithm, rest := withoutDefiner(text)
	o := &catalog.Object{Kind: catalog.View, Name: name, Space: "relation"}
	c := vocab.Cursor(rest)
	if c.Take("sql", "security") {
		o.Set("security", catalog.Scalar(strings.ToLower(c.Next().Text)))
	}
	c.Take("view")
	c.Next()
	if c.Peek().Text == "(" { // MySQL names the columns here, too
		o.Carry("columns", catalog.Scalar(c.Group()))
	}
	c.Take("as")
	if algorithm != "" && !strings.EqualFold(algorithm, "undefined") {
		o.Set("algorithm", catalog.Scalar(strings.ToLower(algorithm)))
	}
	o.Set("definition", catalog.PlainSQL(c.Rest()))
	o.Optional("definer", "definers", catalog.Scalar(definer))
	return o
}

func (r *reader) sequences(ctx context.Context, names map[string][]string) error {
	return r.shown(ctx, "SEQUENCE", names["SEQUENCE"], func(m row) error {
		o := &catalog.Object{Kind: catalog.Sequence, Name: m["Table"], Space: "relation"}
		c := vocab.Cursor(m["Create Table"])
		c.Take("create", "sequence")
		c.Next()
		c.Take("as")
		for !c.End() {
			switch {
			case c.Take("start", "with"):
				o.Set("start", catalog.Scalar(signed(c)))
			case c.Take("minvalue"):
				o.Set("minimum", catalog.Scalar(signed(c)))
			case c.Take("maxvalue"):
				o.Set("maximum", catalog.Scalar(signed(c)))
			case c.Take("increment", "by"):
				o.Set("increment", catalog.Scalar(signed(c)))
			case c.Take("cache"):
				o.Set("cache", catalog.Scalar(signed(c)))
			case c.Take("nocache"):
				o.Set("cache", catalog.Scalar("0"))
			case c.Take("cycle"):
				o.SetIf("cycle", true)
			case c.Take("engine", "="):
				o.Set("engine", catalog.Scalar(c.Next().Text))
			case c.Take("comment", "="):
				o.Set("comment", catalog.Scalar(vocab.Unquote(c.Next().Text)))
			default:
				c.Next()
			}
		}
		r.c.Add(o)
		return nil
	})
}

func signed(c *sqltext.Cursor) string {
	s := c.Next().Text
	if s == "-" {
		s += c.Next().Text
	}
	return s
}

func (r *reader) triggers(ctx context.Context, _ map[string][]string) error {
	last := map[string]string{} // by table, event and time
	parts := map[string]*catalog.Object{}
	var names []string
	err := r.rows(ctx, "SHOW TRIGGERS", func(m row) error {
		t := r.c.Find(catalog.Ref{Kind: catalog.Table, Name: m["Table"]})
		if t == nil {
			return nil
		}
		o := &catalog.Object{Kind: catalog.Trigger, Name: m["Trigger"], Space: "trigger"}
		o.Set("when", catalog.Scalar(m["Timing"]+" "+m["Event"]))
		o.Set("body", catalog.PlainSQL(WithoutDatabase(m["Statement"], r.database)))
		o.Set("sql mode", catalog.Scalar(m["sql_mode"]))
		o.Set("connection", catalog.Scalar(connection(m)))
		o.Optional("definer", "definers", catalog.Scalar(account(m["Definer"])))
		slot := m["Table"] + "\x00" + m["Timing"] + m["Event"]
		if before := last[slot]; before != "" {
			o.Set("follows", catalog.Scalar(before))
			o.Need(t.PartRef(t.Part(catalog.Trigger, before)), catalog.AspectName)
		}
		last[slot] = o.Name
		t.Add(o)
		parts[o.Name] = o
		names = append(names, o.Name)
		return nil
	})
	if err != nil {
		return err
	}
	return r.shown(ctx, "TRIGGER", names, func(m row) error {
		if o := parts[m["Trigger"]]; o != nil {
			_, _, rest := withoutDefiner(m["SQL Original Statement"])
			o.Carry("definition", catalog.PlainSQL(WithoutDatabase(rest, r.database)))
		}
		return nil
	})
}

// account writes user@host as SQL.
func account(s string) string {
	i := strings.LastIndex(s, "@")
	if i < 0 {
		return vocab.Quote(s)
	}
	return vocab.Quote(s[:i]) + "@" + vocab.Quote(s[i+1:])
}

func (r *reader) routines(ctx context.Context, _ map[string][]string) error {
	names := map[string][]string{}
	err := r.rows(ctx, "SELECT ROUTINE_TYPE AS kind, ROUTINE_NAME AS name FROM information_schema.ROUTINES WHERE ROUTINE_SCHEMA = DATABASE()", func(m row) error {
		names[m["kind"]] = append(names[m["kind"]], m["name"])
		return nil
	})
	if err != nil {
		return err
	}
	functions := map[string]bool{}
	hidden := 0
	for _, kind := range []string{"FUNCTION", "PROCEDURE", "PACKAGE", "PACKAGE BODY"} {
		err := r.shown(ctx, kind, names[kind], func(m row) error {
			column := map[string]string{"FUNCTION": "Create Function", "PROCEDURE": "Create Procedure", "PACKAGE": "Create Package", "PACKAGE BODY": "Create Package Body"}[kind]
			name := m[map[string]string{"FUNCTION": "Function", "PROCEDURE": "Procedure", "PACKAGE": "Package", "PACKAGE BODY": "Package body"}[kind]]
			if m[column] == "" { // the account may call it, not see it
				hidden++
				return nil
			}
			definer, _, rest := withoutDefiner(m[column])
			o := &catalog.Object{Kind: catalog.Routine, Name: name, Space: strings.ToLower(kind)}
			switch kind {
			case "FUNCTION":
				functions[strings.ToLower(name)] = true
			case "PROCEDURE":
				o.SetIf("procedure", true)
				if functions[strings.ToLower(name)] {
					o.ID = name + " (procedure)"
				}
			default:
				o.Kind = catalog.Kind(strings.ReplaceAll(strings.ToLower(kind), " ", "-"))
			}
			o.Set("definition", catalog.PlainSQL(WithoutDatabase(rest, r.database)))
			o.Set("sql mode", catalog.Scalar(m["sql_mode"]))
			o.Set("connection", catalog.Scalar(connection(m)))
			o.Optional("definer", "definers", catalog.Scalar(definer))
			r.c.Add(o)
			return nil
		})
		if err != nil {
			return err
		}
	}
	if hidden > 0 {
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{Kind: catalog.Routine, Why: fmt.Sprintf("the account may not see the text of %d of them", hidden)})
	}
	return nil
}

func (r *reader) events(ctx context.Context, _ map[string][]string) error {
	var names []string
	if err := r.rows(ctx, "SHOW EVENTS", func(m row) error { names = append(names, m["Name"]); return nil }); err != nil {
		if _, said := r.c.Unseen(vocab.Event, ""); !said {
			return err
		}
		return nil // not seen, which is said
	}
	return r.shown(ctx, "EVENT", names, func(m row) error {
		definer, _, rest := withoutDefiner(m["Create Event"])
		o := &catalog.Object{Kind: vocab.Event, Name: m["Event"], Space: "event"}
		o.Set("definition", catalog.PlainSQL(WithoutDatabase(rest, r.database)))
		o.Set("sql mode", catalog.Scalar(m["sql_mode"]))
		o.Set("time zone", catalog.Scalar(m["time_zone"]))
		o.Set("connection", catalog.Scalar(connection(m)))
		o.Optional("definer", "definers", catalog.Scalar(definer))
		r.c.Add(o)
		return nil
	})
}

// needs finds what things need. The server records nothing for views and
// bodies: their texts are read for names.
func (r *reader) needs() {
	relations, routines := map[string]catalog.Ref{}, map[string][]catalog.Ref{}
	for _, o := range r.c.Objects {
		name := strings.ToLower(o.Name)
		switch o.Kind {
		case catalog.Table, catalog.View, catalog.Sequence:
			relations[name] = o.Ref()
		case catalog.Routine:
			routines[name] = append(routines[name], o.Ref())
		}
	}
	mention := func(o *catalog.Object, self catalog.Ref, text string, sure bool) {
		for n := range vocab.Mentions(text) {
			if ref, ok := relations[n]; ok && ref != self {
				o.Needs = append(o.Needs, catalog.Need{On: ref, Aspect: catalog.AspectRowType, Text: !sure})
			}
			for _, ref := range routines[n] {
				if ref != self {
					o.Needs = append(o.Needs, catalog.Need{On: ref, Aspect: catalog.AspectSignature, Text: !sure})
				}
			}
		}
		sort.SliceStable(o.Needs, func(i, j int) bool { return o.Needs[i].On.Less(o.Needs[j].On) })
	}
	for _, o := range r.c.Objects {
		switch o.Kind {
		case catalog.View:
			mention(o, o.Ref(), o.Text("definition"), true)
			r.viewColumns(o)
		case vocab.PackageBody:
			o.Need(catalog.Ref{Kind: vocab.Package, Name: o.Name}, catalog.AspectSignature)
		case catalog.Routine, vocab.Event:
			mention(o, o.Ref(), o.Text("definition"), false)
		case catalog.Table:
			r.tableNeeds(o, mention)
		}
	}
}

func (r *reader) tableNeeds(o *catalog.Object, mention func(*catalog.Object, catalog.Ref, string, bool)) {
	for _, p := range o.Parts {
		switch p.Kind {
		case catalog.ForeignKey:
			keyNeeds(r.c, o, p)
		case catalog.Index, catalog.PrimaryKey:
			for _, c := range p.List("columns") {
				if col := o.Part(catalog.Column, c); col != nil {
					p.Need(o.PartRef(col), catalog.AspectType)
				}
			}
		case catalog.Trigger:
			mention(p, o.Ref(), p.Text("body"), false)
		case catalog.Check:
			columnsIn(o, p, p.Text("definition"))
		case catalog.Column:
			columnsIn(o, p, p.Text("expression")+" "+p.Text("check"))
			if d := p.Text("default"); strings.Contains(strings.ToLower(d), "nextval") {
				mention(p, o.Ref(), d, true)
			}
		}
	}
}

// viewColumns notes the columns that a view reads: those whose names stand in it,
// and that only one of its tables has.
func (r *reader) viewColumns(v *catalog.Object) {
	names, found := vocab.Mentions(v.Text("definition")), map[string][]catalog.Ref{}
	for _, n := range v.Needs {
		if t := r.c.Find(n.On); t != nil && t.Kind == catalog.Table && !n.Text {
			for _, col := range t.PartsOf(catalog.Column) {
				if names[col.Key()] {
					found[col.Key()] = append(found[col.Key()], t.PartRef(col))
				}
			}
		}
	}
	for _, name := range slices.Sorted(maps.Keys(found)) {
		if refs := found[name]; len(refs) == 1 {
			v.Need(refs[0], catalog.AspectName)
		}
	}
}

// columnsIn notes the columns of its table that a part computes with.
func columnsIn(o, p *catalog.Object, text string) {
	if strings.TrimSpace(text) == "" {
		return
	}
	names := vocab.Mentions(text)
	for _, col := range o.PartsOf(catalog.Column) {
		if names[col.Key()] && col != p {
			p.Need(o.PartRef(col), catalog.AspectType)
		}
	}
}

// keyNeeds notes what a foreign key stands on: columns on both ends, and the
// indexes that begin with them.
func keyNeeds(cat *catalog.Catalog, o, fk *catalog.Object) {
	stand := func(t *catalog.Object, cols []string) {
		if t == nil {
			return
		}
		for _, c := range cols {
			if col := t.Part(catalog.Column, c); col != nil {
				fk.Need(t.PartRef(col), catalog.AspectType)
			}
		}
		for _, p := range t.Parts {
			if l := p.List("columns"); (p.Kind == catalog.Index || p.Kind == catalog.PrimaryKey) && len(l) >= len(cols) && strings.Join(l[:len(cols)], "\x00") == strings.Join(cols, "\x00") {
				fk.Need(t.PartRef(p), catalog.AspectIndex)
			}
		}
	}
	stand(o, fk.List("columns"))
	parent := cat.Find(catalog.Ref{Kind: catalog.Table, Name: fk.Text("parent")})
	stand(parent, fk.List("parent columns"))
	if parent != nil && parent != o {
		fk.Need(parent.Ref(), catalog.AspectName)
	}
}
