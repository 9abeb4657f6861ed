package mysql

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/mysql/convert"
	"dappermirror/internal/engine/mysql/vocab"
)

// createTable makes a table as the source's server printed it; foreign keys
// and triggers follow.
func (w *Writer) createTable(c *order.Change) []*order.Action {
	o := c.Source
	a := created(o)
	var lines []string
	for _, p := range o.Parts {
		switch p.Kind {
		case catalog.ForeignKey, catalog.Trigger:
		case catalog.Column:
			lines = append(lines, columnSQL(p))
			a.Makes = append(a.Makes, o.PartRef(p))
		default:
			lines = append(lines, p.Text("written"))
			a.Makes = append(a.Makes, o.PartRef(p))
		}
	}
	sql := "CREATE TABLE " + vocab.Quote(o.Name) + " (\n  " + strings.Join(lines, ",\n  ") + "\n) " + tableOptions(o)
	if p := o.Text("written partitions"); p != "" {
		sql += "\n" + p
	}
	a.SQL = []string{delimited(strings.TrimSpace(sql))}
	out := []*order.Action{a}
	for _, p := range o.Parts {
		switch p.Kind {
		case catalog.ForeignKey:
			k := w.addKey(o, p)
			k.Risks = nil // there are no rows yet
			out = append(out, k)
		case catalog.Trigger:
			out = append(out, createTrigger(o, p, c, "CREATE "))
		}
	}
	return out
}

// tableOptions are the options of a new table, all spelled out.
func tableOptions(o *catalog.Object) string {
	var out []string
	for _, p := range o.Properties {
		if s := optionSQL(p.Name, p.Value.String()); s != "" && !p.Carried {
			out = append(out, s)
		}
	}
	if o.Has("system versioning") {
		out = append(out, "WITH SYSTEM VERSIONING")
	}
	return strings.Join(out, " ")
}

func optionSQL(fact, value string) string {
	switch {
	case fact == "engine":
		return "ENGINE=" + value
	case fact == "charset":
		return "DEFAULT CHARSET=" + value
	case fact == "collation":
		return "COLLATE=" + value
	case fact == "comment":
		return "COMMENT=" + vocab.Literal(value)
	case strings.HasPrefix(fact, "option "):
		name := strings.TrimPrefix(fact, "option ")
		if strings.Contains(name, " ") {
			name = vocab.Quote(name)
		}
		return name + "=" + value
	}
	return ""
}

// unset says how an option is given up.
var unset = map[string]string{"comment": "COMMENT=''", "option ROW_FORMAT": "ROW_FORMAT=DEFAULT", "option KEY_BLOCK_SIZE": "KEY_BLOCK_SIZE=0", "option STATS_PERSISTENT": "STATS_PERSISTENT=DEFAULT",
	"option STATS_AUTO_RECALC": "STATS_AUTO_RECALC=DEFAULT", "option STATS_SAMPLE_PAGES": "STATS_SAMPLE_PAGES=DEFAULT", "option MAX_ROWS": "MAX_ROWS=0", "option MIN_ROWS": "MIN_ROWS=0",
	"option AVG_ROW_LENGTH": "AVG_ROW_LENGTH=0", "option CHECKSUM": "CHECKSUM=0", "option PACK_KEYS": "PACK_KEYS=DEFAULT", "option DELAY_KEY_WRITE": "DELAY_KEY_WRITE=0", "option TRANSACTIONAL": "TRANSACTIONAL=DEFAULT"}

// columnSQL is a column as it stands in CREATE TABLE or behind ADD COLUMN,
// its character set spelled out: the table's default may change beside it.
func columnSQL(c *catalog.Object) string {
	typ := c.Text("type")
	if width := c.Text("display width"); width != "" {
		base, sign, _ := strings.Cut(typ, " ")
		typ = strings.TrimSpace(base + "(" + width + ") " + sign)
	}
	s := vocab.Quote(c.Name) + " " + typ
	if c.Has("compressed") {
		s += " COMPRESSED"
	}
	if cs := c.Text("charset"); cs != "" {
		s += " CHARACTER SET " + cs
		if co := c.Text("collation"); co != "" {
			s += " COLLATE " + co
		}
	}
	if c.Has("generated") {
		s += " GENERATED ALWAYS AS " + c.Text("expression") + " " + strings.ToUpper(c.Text("generated"))
	}
	if v := c.Text("versioning"); strings.HasPrefix(v, "ROW ") {
		s += " GENERATED ALWAYS AS " + v
	} else if v != "" {
		s += " " + v
	}
	switch {
	case c.Has("not null"):
		s += " NOT NULL"
	case c.Has("null"), strings.HasPrefix(typ, "timestamp") && !c.Has("versioning"): // which is NOT NULL by itself on some servers
		s += " NULL"
	}
	if c.Has("default") {
		s += " DEFAULT " + c.Text("default")
	} else if !c.Has("not null") && !c.Has("generated") && !c.Has("versioning") {
		s += " DEFAULT NULL"
	}
	if c.Has("on update") {
		s += " ON UPDATE " + c.Text("on update")
	}
	if c.Has("auto increment") {
		s += " AUTO_INCREMENT"
	}
	if c.Has("also") {
		s += " " + c.Text("also")
	}
	if c.Has("invisible") {
		s += " INVISIBLE"
	}
	if c.Has("comment") {
		s += " COMMENT " + vocab.Literal(c.Text("comment"))
	}
	if c.Has("check") {
		s += " CHECK " + c.Text("check")
	}
	return s
}

// change collects what one ALTER TABLE does.
type change struct {
	*order.Change
	drops, columns, adds, options []string
	action                        *order.Action
	zoned                         []string // clauses that come before, in the zone
	zone                          string
	first, after                  []*order.Action   // before and behind it
	fills, used, notNull          []string          // UPDATEs, the drops of what they read, and the clauses they are for
	nullable                      map[string]string // clauses that set NOT NULL, and the same without
	twice                         bool              // the clauses must come in two statements, the fills between them
	avoidBlocking                 bool
	how                           map[string]algorithm // how clauses are carried out; instant where nothing is said
	apart                         map[string]bool      // clauses that want a statement of their own
	titles                        []string
}

func (ch *change) addTitle(format string, args ...any) {
	ch.titles = append(ch.titles, fmt.Sprintf(format, args...))
}

// alterTable changes a table: foreign keys that must step aside go first,
// then one statement carries all changes of columns, indexes and options, so
// that the table is copied once at most; partitions, keys and triggers follow.
func (w *Writer) alterTable(c *order.Change) []*order.Action {
	o, was := c.Source, c.Target
	ch := &change{Change: c, avoidBlocking: w.AvoidBlocking, how: map[string]algorithm{}, apart: map[string]bool{}, nullable: map[string]string{}, action: &order.Action{About: o.Ref(), Makes: []catalog.Ref{o.Ref()}}}
	var keys, last []*order.Action
	var triggers []*compare.Item
	for _, it := range c.Parts {
		switch it.Kind() {
		case catalog.ForeignKey:
			if it.Source != nil && it.Target != nil && len(it.Properties) == 1 && it.Property("name") != nil && !c.Rebuilds(it) {
				last = append(last, w.renameKey(c, it))
				continue
			}
			if it.Target != nil && (it.Source == nil || it.Status != compare.Same || c.Rebuilds(it)) {
				keys = append(keys, w.dropKey(was, it.Target))
			}
			if it.Source != nil && (it.Target == nil || it.Status != compare.Same || c.Rebuilds(it)) {
				k := w.addKey(o, it.Source)
				k.Risks[0].Ask = w.refused(c, it.Source)
				last = append(last, k)
			}
		case catalog.Trigger:
			triggers = append(triggers, it)
		case catalog.Column:
		default:
			w.index(ch, it)
		}
	}
	w.columns(ch)
	ch.tableFacts()
	for _, it := range triggers {
		last = append(last, w.triggerAround(ch, it)...)
	}
	out := append(keys, ch.first...)
	parts := partitions(c)
	d := c.Property("partitions")
	if d != nil && d.Target != nil && uniqueChanges(c) || ch.partitionColumnGoes() {
		// Every unique key must hold the columns of the partitioning, which
		// cannot go before it does (MariaDB: Partitioning Limitations): the old
		// one goes first.
		first := partitionStep(o, "remove the partitions", "REMOVE PARTITIONING", copyRisk(o))
		if n := len(ch.first); n > 0 {
			first.Sequel = ch.first[n-1]
		}
		ch.first = append(ch.first, first)
		out, parts = append(out, first), nil
		if o.Has("partitions") {
			first.Makes, parts = nil, []*order.Action{layOut(c)}
		}
	}
	if len(parts) > 0 && len(parts[0].Risks) > 0 && parts[0].Risks[0].Kind == order.Loss { // while the rows that go are what they were
		ch.first, out, parts = append(ch.first, parts...), append(out, parts...), nil
	}
	if ch.statement() {
		for _, f := range ch.first {
			ch.action.Sequel = f
		}
		out = append(append(out, ch.action), ch.after...)
		for _, p := range parts {
			p.Sequel, p.Makes = ch.action, nil // the table as a whole is the statement's
		}
	}
	return keepHistory(c, append(append(out, parts...), last...))
}

// partitionColumnGoes tells whether a column that the target is partitioned by
// goes, for good or to come again.
func (ch *change) partitionColumnGoes() bool {
	if !ch.Target.Has("partitions") {
		return false
	}
	head, _ := cutPartitions(ch.Target.Text("written partitions"))
	by := vocab.Mentions(head)
	return slices.ContainsFunc(ch.Target.PartsOf(catalog.Column), func(p *catalog.Object) bool {
		return by[p.Key()] && slices.Contains(ch.drops, "DROP COLUMN "+vocab.Quote(p.Name))
	})
}

// keepHistory lets a system-versioned table change, with the versions it keeps
// (MariaDB: system_versioning_alter_history).
func keepHistory(c *order.Change, actions []*order.Action) []*order.Action {
	if !c.Target.Has("system versioning") {
		return actions
	}
	keep := func(sql []string) []string {
		return slices.Concat([]string{"SET @dapper_mirror_history = @@SESSION.system_versioning_alter_history, SESSION system_versioning_alter_history = KEEP;"}, sql, []string{"SET SESSION system_versioning_alter_history = @dapper_mirror_history;"})
	}
	for _, a := range actions {
		for i, r := range a.Risks {
			if len(r.First) > 0 {
				a.Risks[i].First = keep(r.First)
			}
		}
		if a.Prefix != "" {
			a.SQL = append([]string{delimited(a.Prefix + " " + strings.Join(a.Clauses, ", "))}, a.SQL...)
			a.Prefix, a.Clauses = "", nil
		}
		a.SQL = keep(a.SQL)
	}
	return actions
}

// statement puts the ALTER TABLE together; false where nothing changes.
func (ch *change) statement() bool {
	ch.holdIndexes()
	clauses := slices.Concat(ch.drops, ch.columns, ch.adds, ch.options)
	if len(clauses) == 0 {
		return false
	}
	a := ch.action
	a.Title = ch.titles[0] + " of table " + ch.Source.Name
	if n := len(ch.titles); n > 1 {
		a.Title = fmt.Sprintf("change table %s: %s", ch.Source.Name, strings.Join(ch.titles[:min(n, 4)], ", "))
		if n > 4 {
			a.Title += fmt.Sprintf(" and %d more", n-4)
		}
	}
	if len(ch.zoned) > 0 {
		a.SQL = ch.beforehand(ch.zone, ch.zoned...)
	}
	a.SQL = append(a.SQL, ch.filled()...)
	return true
}

// holdIndexes names anew, as they are, the indexes that the server may have added
// for a foreign key: such an index goes by itself when a key comes that can do
// its work (MySQL: FOREIGN KEY Constraints, "silently dropped later").
func (ch *change) holdIndexes() {
	comes := func(columns []string) bool {
		for _, key := range slices.Concat(ch.Source.PartsOf(catalog.Index), ch.Source.PartsOf(catalog.PrimaryKey)) {
			if by := key.List("columns"); len(by) >= len(columns) && slices.Equal(by[:len(columns)], columns) && slices.Contains(ch.adds, "ADD "+key.Text("written")) {
				return true
			}
		}
		return false
	}
	for _, fk := range ch.Target.PartsOf(catalog.ForeignKey) {
		for _, p := range ch.Target.PartsOf(catalog.Index) {
			name := vocab.Quote(p.Name)
			stays := ch.Source.Part(catalog.Index, p.Key()) != nil && !slices.Contains(ch.drops, "DROP INDEX "+name) && !slices.ContainsFunc(ch.adds, func(c string) bool { return strings.HasPrefix(c, "RENAME INDEX "+name+" ") })
			if columns := p.List("columns"); stays && p.Text("class") != "unique" && slices.Equal(columns, fk.List("columns")) && comes(columns) {
				ch.drops = slices.Insert(ch.drops, 0, fmt.Sprintf("RENAME INDEX %s TO %s", name, name))
			}
		}
	}
}

// statements are the ALTER TABLE statements without fills.
func (ch *change) statements() []string {
	return ch.alters(ch.drops, ch.columns, ch.adds, ch.options)
}

// filled are the statements with the fills where they belong: before the one
// that sets NOT NULL, behind what the values want to be there.
func (ch *change) filled() []string {
	if len(ch.fills) == 0 {
		return ch.statements()
	}
	read := func(drop string) bool { return slices.Contains(ch.used, drop) }
	now, last := slices.Clone(ch.drops), []string(nil)
	if slices.ContainsFunc(ch.drops, read) {
		now = slices.DeleteFunc(now, read)
		last = slices.DeleteFunc(slices.Clone(ch.drops), func(d string) bool { return !read(d) })
	}
	ch.twice = ch.twice || len(now) > 0
	if !ch.twice {
		return slices.Concat(ch.fills, ch.alters(last, ch.columns, ch.adds, ch.options))
	}
	columns := slices.Clone(ch.columns)
	for i, c := range columns {
		columns[i] = cmp.Or(ch.nullable[c], c)
	}
	return slices.Concat(ch.alters(now, columns, nil, ch.options), ch.fills, ch.alters(last, ch.notNull, ch.adds, nil))
}

func (ch *change) risk(kind order.RiskKind, on catalog.Ref, text string, ask *order.Question) {
	for _, r := range ch.action.Risks {
		if r.Kind == kind && r.Text == text {
			return
		}
	}
	ch.action.Risks = append(ch.action.Risks, order.Risk{Kind: kind, On: on, Text: text, Ask: ask})
}

// index changes primary key, indexes, checks and periods.
func (w *Writer) index(ch *change, it *compare.Item) {
	drop := func(p *catalog.Object) {
		ch.action.Removes = append(ch.action.Removes, ch.Target.PartRef(p))
		ch.addTitle("drop %s %s", p.Kind.Title(), p.Name)
		switch p.Kind {
		case catalog.PrimaryKey:
			ch.drops = append(ch.drops, "DROP PRIMARY KEY")
			if len(ch.Source.PartsOf(catalog.PrimaryKey)) == 0 {
				ch.copied(ch.drops)
			} else {
				ch.takes(ch.drops, inplace)
			}
		case catalog.Index:
			ch.drops = append(ch.drops, "DROP INDEX "+vocab.Quote(p.Name))
			ch.takes(ch.drops, nocopy)
		case catalog.Check:
			ch.drops = append(ch.drops, "DROP CONSTRAINT "+vocab.Quote(p.Name))
		case vocab.Period:
			ch.drops = append(ch.drops, "DROP PERIOD FOR "+vocab.Quote(p.Name))
			ch.copied(ch.drops)
		}
	}
	add := func(p *catalog.Object) {
		ref := ch.Source.PartRef(p)
		ch.action.Makes = append(ch.action.Makes, ref)
		ch.addTitle("add %s %s", p.Kind.Title(), p.Name)
		ch.adds = append(ch.adds, "ADD "+p.Text("written"))
		switch {
		case p.Kind == catalog.PrimaryKey || p.Text("class") == "unique":
			ch.risk(order.MayFail, ref, "fails when two rows have the same key "+p.Name, w.refused(ch.Change, p))
		case p.Kind == catalog.Check:
			ch.risk(order.MayFail, ref, "fails when a row breaks check "+p.Name, w.refused(ch.Change, p))
			ch.copied(ch.adds)
		}
		switch {
		case p.Kind == vocab.Period, vocab.HashedKey(ch.Source, p), p.Kind == catalog.PrimaryKey && len(ch.Target.PartsOf(catalog.PrimaryKey)) == 0:
			ch.copied(ch.adds)
		case p.Kind == catalog.PrimaryKey:
			ch.takes(ch.adds, inplace)
		case p.Text("class") == "fulltext", p.Text("class") == "spatial":
			ch.takes(ch.adds, inplaceAlone)
			ch.apart[ch.adds[len(ch.adds)-1]] = true
		case p.Kind == catalog.Index:
			ch.takes(ch.adds, nocopy)
		}
	}
	anew := ch.Property("engine") != nil && (ch.Target.Has("option KEY_BLOCK_SIZE") || ch.Source.Has("option KEY_BLOCK_SIZE")) && (it.Kind() == catalog.Index || it.Kind() == catalog.PrimaryKey) // which the keys would take over
	anew = anew || it.Kind() == catalog.Index && it.Target != nil && it.Source != nil && ch.onColumnAnew(it.Source)
	switch {
	case it.Target == nil:
		add(it.Source)
	case it.Source == nil:
		drop(it.Target)
	case it.Status == compare.Same && !ch.Rebuilds(it) && !anew:
	case it.Kind() == catalog.Index && onlyIgnored(it) && maria(ch.Change):
		word := "NOT IGNORED"
		if _, ignored := cutIgnored(it.Source); ignored {
			word = "IGNORED"
		}
		ch.addTitle("change index %s", it.Source.Name)
		ch.adds = append(ch.adds, fmt.Sprintf("ALTER INDEX %s %s", vocab.Quote(it.Source.Name), word))
		ch.action.Makes = append(ch.action.Makes, ch.Source.PartRef(it.Source))
	case len(it.Properties) == 1 && it.Property("name") != nil && it.Kind() == catalog.Index:
		ch.addTitle("rename index %s", it.Target.Name)
		// First: an index that the server added for a foreign key goes by
		// itself when another can do its work, unless it has a name of ours.
		ch.adds = slices.Insert(ch.adds, 0, fmt.Sprintf("RENAME INDEX %s TO %s", vocab.Quote(it.Target.Name), vocab.Quote(it.Source.Name)))
		ch.action.Makes = append(ch.action.Makes, ch.Source.PartRef(it.Source))
	default:
		drop(it.Target)
		add(it.Source)
	}
}

// cutIgnored is an index's definition without what says that it is not used
// (MariaDB: Ignored Indexes).
func cutIgnored(p *catalog.Object) (string, bool) {
	return strings.CutSuffix(vocab.Spaced(p.Text("definition")), " IGNORED")
}

// onlyIgnored tells whether nothing about an index changes but whether it is
// used.
func onlyIgnored(it *compare.Item) bool {
	if len(it.Properties) != 1 || it.Property("definition") == nil {
		return false
	}
	now, _ := cutIgnored(it.Source)
	was, _ := cutIgnored(it.Target)
	return now == was
}

func (w *Writer) fill(o, col *catalog.Object) (string, bool) {
	f, ok := w.Fill[o.PartRef(col)]
	return f, ok
}

// columns adds, drops, changes and moves columns, in the fewest moves.
func (w *Writer) columns(ch *change) {
	o, was := ch.Source, ch.Target
	items := map[string]*compare.Item{}
	for _, it := range ch.Parts {
		if it.Kind() == catalog.Column {
			items[it.Object().Key()] = it
			if it.Source == nil {
				ref := was.PartRef(it.Target)
				ch.drops = append(ch.drops, "DROP COLUMN "+vocab.Quote(it.Target.Name))
				if ch.apart[ch.drops[len(ch.drops)-1]] = it.Target.Text("generated") == "virtual"; vocab.IndexedVirtual(ch.Target) && !ch.apart[ch.drops[len(ch.drops)-1]] {
					ch.copied(ch.drops)
				}
				ch.action.Removes = append(ch.action.Removes, ref)
				ch.addTitle("drop column %s", it.Target.Name)
				if it.Target.Text("generated") != "virtual" && !it.Target.Has("generated") {
					ch.risk(order.Loss, ref, fmt.Sprintf("every value of column %s of table %s", it.Target.Name, was.Name), w.anyValue(ch.Change, was, it.Target))
				}
			}
		}
	}
	var old []string // columns that stay, as they stand
	for _, p := range was.PartsOf(catalog.Column) {
		if it := items[p.Key()]; it != nil && it.Source != nil && it.Target != nil {
			old = append(old, p.Key())
		}
	}
	var now []string
	for _, p := range o.PartsOf(catalog.Column) {
		now = append(now, p.Key())
	}
	stay := longest(old, now)
	remaining, previous := len(old), ""
	for _, key := range now {
		it := items[key]
		if it == nil || it.Source == nil {
			previous = o.Part(catalog.Column, key).Name
			continue
		}
		place := " FIRST"
		if previous != "" {
			place = " AFTER " + vocab.Quote(previous)
		}
		switch {
		case it.Target == nil:
			if remaining == 0 && previous != "" {
				place = "" // it comes last by itself
			}
			w.addColumn(ch, it.Source, place)
		default:
			remaining--
			if stay[key] {
				place = ""
			}
			if place != "" || it.Status == compare.Differs {
				w.modifyColumn(ch, it, place)
			}
		}
		previous = it.Source.Name
	}
}

// longest is a longest run of old that stands in the same order in now: what
// need not be moved.
func longest(old, now []string) map[string]bool {
	at := map[string]int{}
	for i, k := range now {
		at[k] = i
	}
	best, prev := make([]int, len(old)), make([]int, len(old))
	last := -1
	for i := range old {
		best[i], prev[i] = 1, -1
		for j := range i {
			if at[old[j]] < at[old[i]] && best[j]+1 > best[i] {
				best[i], prev[i] = best[j]+1, j
			}
		}
		if last < 0 || best[i] > best[last] {
			last = i
		}
	}
	out := map[string]bool{}
	for i := last; i >= 0; i = prev[i] {
		out[old[i]] = true
	}
	return out
}

func (w *Writer) addColumn(ch *change, col *catalog.Object, place string) {
	ref := ch.Source.PartRef(col)
	ch.addTitle("add column %s", col.Name)
	ch.action.Makes = append(ch.action.Makes, ref)
	fill, filled := w.fill(ch.Source, col)
	if filled && !col.Has("generated") {
		ch.action.Fills = append(ch.action.Fills, order.NewFill(ref, vocab.Quote(ch.Target.Name), fill))
		if ch.reads(fill) {
			ch.addRead(col, fill, place)
			return
		}
		// The value for the rows that are there is a default for a moment.
		with := col.Clone()
		with.Set("default", catalog.PlainSQL("("+fill+")"))
		ch.columns = append(ch.columns, "ADD COLUMN "+columnSQL(with)+place)
		ch.later(fmt.Sprintf("ALTER TABLE %s MODIFY COLUMN %s;", vocab.Quote(ch.Source.Name), columnSQL(col)), "take the filling default from column "+col.Name)
		return
	}
	ch.columns = append(ch.columns, "ADD COLUMN "+columnSQL(col)+place)
	if col.Text("generated") == "virtual" {
		ch.apart[ch.columns[len(ch.columns)-1]] = true
	}
	if def := strings.ToLower(col.Text("default")); col.Text("generated") == "stored" || col.Has("auto increment") || place != "" && vocab.HasVirtual(ch.Target) || vocab.IndexedVirtual(ch.Target) && !col.Has("generated") || strings.Contains(def, "(") && !strings.HasPrefix(def, "current_timestamp") {
		ch.copied(ch.columns)
	}
}

// addRead adds a column whose values are read from columns that go: it comes empty, gets
// them, and the others go with what makes it as it shall be.
func (ch *change) addRead(col *catalog.Object, fill, place string) {
	empty := col.Clone()
	empty.Remove("not null")
	empty.Remove("default")
	clause, then := "ADD COLUMN "+columnSQL(col)+place, "MODIFY COLUMN "+columnSQL(col)
	ch.columns, ch.notNull, ch.twice = append(ch.columns, clause), append(ch.notNull, then), true
	ch.nullable[clause] = "ADD COLUMN " + columnSQL(empty) + place
	ch.how[then] = inplace
	ch.update(col, fill, "")
}

// update gives rows a value for a column. Columns that note when a row is changed keep
// what they hold.
func (ch *change) update(col *catalog.Object, value, where string) {
	set := []string{vocab.Quote(col.Name) + " = " + value}
	for _, p := range ch.Target.PartsOf(catalog.Column) {
		if p.Has("on update") && p.Key() != col.Key() {
			set = append(set, vocab.Quote(p.Name)+" = "+vocab.Quote(p.Name))
		}
	}
	ch.fills = append(ch.fills, fmt.Sprintf("UPDATE %s SET %s%s;", vocab.Quote(ch.Source.Name), strings.Join(set, ", "), where))
}

// reads notes which columns a value is read from, and tells whether one of them goes.
func (ch *change) reads(value string) (goes bool) {
	by := vocab.Mentions(value)
	for _, p := range ch.Target.PartsOf(catalog.Column) {
		if drop := "DROP COLUMN " + vocab.Quote(p.Name); by[p.Key()] && slices.Contains(ch.drops, drop) {
			ch.used, goes = append(ch.used, drop), true
		}
	}
	return goes
}

// later adds a statement of its own behind the ALTER TABLE.
func (ch *change) later(sql, title string) {
	ch.after = append(ch.after, &order.Action{About: ch.Source.Ref(), Title: title + " of table " + ch.Source.Name, SQL: []string{sql}, Sequel: ch.action})
}

func (w *Writer) modifyColumn(ch *change, it *compare.Item, place string) {
	col, was := it.Source, it.Target
	ref := ch.Source.PartRef(col)
	ch.action.Makes = append(ch.action.Makes, ref)
	verb := "MODIFY COLUMN "
	if col.Name != was.Name {
		verb = "CHANGE COLUMN " + vocab.Quote(was.Name) + " "
	}
	if it.Status != compare.Differs {
		ch.addTitle("move column %s", col.Name)
	} else {
		ch.addTitle("change column %s", col.Name)
	}
	if impossible := !was.Has("generated") && !col.Has("generated") && convert.Between(was, col).Impossible; impossible {
		ch.anew(was, col, place, fmt.Sprintf("every value of column %s of table %s, which cannot become %s", col.Name, ch.Source.Name, col.Text("type")), w.anyValue(ch.Change, ch.Target, was))
		return
	}
	if it.Status == compare.Differs && comesAnew(was, col) {
		// Virtual and stored columns cannot become each other in place.
		loss := ""
		if !was.Has("generated") {
			loss = fmt.Sprintf("every value of column %s of table %s, which is computed from now on", col.Name, ch.Source.Name)
		}
		ch.anew(was, col, place, loss, w.anyValue(ch.Change, ch.Target, was))
		return
	}
	if col.Has("generated") && !was.Has("generated") {
		ch.risk(order.Loss, ref, fmt.Sprintf("every value of column %s of table %s, which is computed from now on", col.Name, ch.Source.Name), computed(ch.Change, ch.Target, was, col))
	}
	ch.columns = append(ch.columns, verb+columnSQL(col)+place)
	if it.Property("type") != nil || it.Property("charset") != nil || it.Property("collation") != nil || it.Property("not null") != nil {
		ch.action.Effects = append(ch.action.Effects, order.Effect{On: ref, Aspect: catalog.AspectType})
	}
	if it.Property("type") != nil || it.Property("charset") != nil || it.Property("collation") != nil {
		ch.converts(was, col, ref)
		ch.retypes(was, col)
	}
	if it.Property("not null") != nil && col.Has("not null") {
		if value, whose := w.forNulls(ch.Source, col); value != "" {
			ch.fillNulls(it, value, whose)
		} else {
			ch.risk(order.MayFail, ref, fmt.Sprintf("fails when a row holds NULL in column %s (--fill %s.%s=…)", col.Name, ch.Source.Name, col.Name), noValue(ch.Change, ch.Target, was))
		}
		if ch.takes(ch.columns, max(inplace, ch.how[ch.columns[len(ch.columns)-1]])); vocab.Computes(ch.Target) {
			ch.copied(ch.columns)
		}
	} else if it.Property("not null") != nil {
		ch.takes(ch.columns, max(inplace, ch.how[ch.columns[len(ch.columns)-1]]))
	}
	if col.Text("generated") == "virtual" && vocab.IndexedVirtual(ch.Target) || col.Text("generated") == "stored" || it.Property("auto increment") != nil || it.Property("compressed") != nil || it.Property("generated") != nil {
		ch.copied(ch.columns)
	}
	if it.Property("check") != nil && col.Has("check") {
		ch.risk(order.MayFail, ref, "fails when a row breaks the check of column "+col.Name, nil)
		ch.copied(ch.columns)
	}
	if place != "" && (vocab.HasVirtual(ch.Target) || !knowsInstant(ch.Actual)) {
		ch.copied(ch.columns)
	}
	if clause := ch.columns[len(ch.columns)-1]; ch.nullable[clause] != "" { // how each half is carried out
		ch.how[ch.nullable[clause]] = ch.how[clause]
		if then := ch.notNull[len(ch.notNull)-1]; !ch.twice || vocab.Computes(ch.Target) {
			ch.how[then] = ch.how[clause]
		} else {
			ch.how[then] = inplace
		}
	}
}

// retypes says how the newest clause changes a type.
func (ch *change) retypes(was, col *catalog.Object) {
	indexed := slices.ContainsFunc(append(ch.Target.PartsOf(catalog.Index), ch.Target.PartsOf(catalog.PrimaryKey)...), func(p *catalog.Object) bool {
		return slices.Contains(p.List("columns"), was.Key())
	})
	switch {
	case inPlace(was, col, knowsInstant(ch.Actual)):
	case knowsInstant(ch.Actual) && was.Text("type") == col.Text("type") && was.Text("charset") == col.Text("charset") && !indexed:
	case knowsInstant(ch.Actual) && was.Text("type") == col.Text("type") && was.Text("charset") == col.Text("charset"):
		ch.takes(ch.columns, nocopy)
	default:
		ch.copied(ch.columns)
	}
}

// comesAnew tells whether a column must go and come again: virtual ones and others
// cannot become each other (MariaDB: Generated Columns).
func comesAnew(was, col *catalog.Object) bool {
	return (was.Text("generated") == "virtual") != (col.Text("generated") == "virtual") || !was.Has("generated") && !col.Has("generated") && convert.Between(was, col).Impossible
}

// onColumnAnew tells whether a key is on a column that comes anew, with which it
// would go.
func (ch *change) onColumnAnew(key *catalog.Object) bool {
	return slices.ContainsFunc(key.List("columns"), func(name string) bool {
		was, col := ch.Target.Part(catalog.Column, name), ch.Source.Part(catalog.Column, name)
		return was != nil && col != nil && comesAnew(was, col)
	})
}

// anew drops a column and adds it again where it stood.
func (ch *change) anew(was, col *catalog.Object, place, loss string, ask *order.Question) {
	ref := ch.Source.PartRef(col)
	if loss != "" {
		ch.risk(order.Loss, ref, loss, ask)
	}
	ch.drops = append(ch.drops, "DROP COLUMN "+vocab.Quote(was.Name))
	ch.columns = append(ch.columns, "ADD COLUMN "+columnSQL(col)+cmp.Or(place, placeOf(ch.Source, col)))
	if col.Text("generated") == "stored" || !col.Has("generated") {
		ch.copied(ch.columns)
	}
	ch.action.Effects = append(ch.action.Effects, order.Effect{On: ref, Aspect: catalog.AspectType})
}

// converts says what becomes of a column's values when its type changes. All
// that is not a permitted loss is converted strictly: what is lost by permission
// is lost before, by the column alone.
func (ch *change) converts(was, col *catalog.Object, ref catalog.Ref) {
	if was.Has("generated") {
		return // they are computed anew
	}
	cv := convert.Between(was, col)
	zone := ""
	if cv.Zoned {
		if zone = zoneOf(ch.Actual); zone != "" {
			cv = cv.InZone(was, col, zone)
			ch.zoned, ch.zone = append(ch.zoned, retyped(was, col)), zone
			ch.titles[len(ch.titles)-1] += ", times taken to be in " + zone
		} else {
			ch.titles[len(ch.titles)-1] += ", times taken to be in UTC"
		}
	}
	if cv.Loses == "" {
		return
	}
	ch.risk(order.Loss, ref, fmt.Sprintf("column %s of table %s: %s", col.Name, ch.Source.Name, cv.Loses), changedValues(ch.Change, ch.Target, was, cv))
	ch.action.Risks[len(ch.action.Risks)-1].First = slices.Concat([]string{"SET SESSION sql_mode = 'NO_ENGINE_SUBSTITUTION';"}, ch.beforehand(zone, retyped(was, col)), []string{"SET SESSION sql_mode = '" + vocab.Mode + "';"})
}

// retyped is the clause that changes the type of a column and nothing else.
func retyped(was, col *catalog.Object) string {
	only := was.Clone()
	only.Set("type", catalog.Scalar(col.Text("type")))
	for _, fact := range []string{"charset", "collation", "display width"} {
		if only.Remove(fact); col.Has(fact) {
			only.SetText(fact, col.Text(fact))
		}
	}
	for _, fact := range []string{"default", "on update", "check", "compressed"} {
		only.Remove(fact) // they belong to the old type, or come with the new one
	}
	return "MODIFY COLUMN " + columnSQL(only)
}

// beforehand changes types before the rest, in another time zone than the
// script's; "" for its own.
func (ch *change) beforehand(zone string, clauses ...string) []string {
	if ch.avoidBlocking {
		clauses = append(clauses, copying)
	}
	sql := []string{delimited("ALTER TABLE " + vocab.Quote(ch.Source.Name) + " " + strings.Join(clauses, ", "))}
	if zone != "" {
		sql = slices.Concat([]string{"SET SESSION time_zone = " + vocab.Literal(zone) + ";"}, sql, []string{"SET SESSION time_zone = '+00:00';"})
	}
	return sql
}

// zoneOf is the time zone in which the server's clients take times; "" for UTC.
func zoneOf(c *catalog.Catalog) string {
	switch zone := c.Settings[timeZone]; zone {
	case "+00:00", "UTC":
		return ""
	default:
		return zone
	}
}

// forNulls is the value for rows that hold NULL in a column that may not any
// more: what the user gives, or the source's default. whose says which.
func (w *Writer) forNulls(o, col *catalog.Object) (value, whose string) {
	if fill, ok := w.fill(o, col); ok {
		return fill, fmt.Sprintf("--fill %s.%s=%s", o.Name, col.Name, fill)
	}
	if def := col.Text("default"); def != "" && !strings.EqualFold(def, "null") {
		return def, fmt.Sprintf("the default of column %s of table %s, %s,", col.Name, o.Name, def)
	}
	return "", ""
}

// fillNulls gives rows that hold NULL a value before the newest clause makes
// the column NOT NULL. Where the value may want what the clause brings (a new
// type, a check that goes), the clause comes in two: first all but NOT NULL.
func (ch *change) fillNulls(it *compare.Item, value, whose string) {
	col, was := it.Source, it.Target
	ref := ch.Source.PartRef(col)
	clause := ch.columns[len(ch.columns)-1]
	nullable := col.Clone()
	nullable.Remove("not null")
	then := "MODIFY COLUMN " + columnSQL(col)
	ch.notNull = append(ch.notNull, then)
	ch.nullable[clause] = strings.Replace(clause, columnSQL(col), columnSQL(nullable), 1)
	plain := !slices.ContainsFunc(it.Properties, func(d compare.PropertyDiff) bool {
		return d.Name != "not null" && d.Name != "default" && d.Name != "comment"
	})
	ch.twice = ch.twice || !plain
	ch.update(col, value, " WHERE "+vocab.Quote(col.Name)+" IS NULL")
	ch.reads(value)
	ch.action.Fills = append(ch.action.Fills, order.Fill{On: ref, Value: value, Ask: noValue(ch.Change, ch.Target, was)})
	ch.risk(order.MayFail, ref, fmt.Sprintf("fails when the value for column %s is NULL itself", col.Name), &order.Question{Tries: whose, What: "would still hold NULL", None: "none would",
		Count: fmt.Sprintf("SELECT count(*) FROM %s WHERE %s IS NULL AND (%s) IS NULL", vocab.Quote(ch.Target.Name), vocab.Quote(was.Name), value)})
}

// placeOf is where a column stands in the source.
func placeOf(o, col *catalog.Object) string {
	previous := ""
	for _, p := range o.PartsOf(catalog.Column) {
		if p == col {
			break
		}
		previous = p.Name
	}
	if previous == "" {
		return " FIRST"
	}
	return " AFTER " + vocab.Quote(previous)
}

// inPlace tells whether a type changes without a copy: a varchar that grows,
// beyond 255 bytes only from up to 127 (MariaDB: InnoDB Online DDL Operations
// with the INSTANT Alter Algorithm) and where the server knows how, and an enum
// that gets values at its end.
func inPlace(was, col *catalog.Object, beyond bool) bool {
	fb, fm, _ := convert.Split(was.Text("type"))
	tb, tm, _ := convert.Split(col.Text("type"))
	if was.Text("charset") != col.Text("charset") || was.Text("collation") != col.Text("collation") || fb != tb {
		return false
	}
	switch fb {
	case "varchar":
		wide := 1
		if strings.HasPrefix(col.Text("charset"), "utf8") {
			wide = 4
		}
		a, b := convert.Num(fm, 0, 0), convert.Num(tm, 0, 0)
		return a <= b && (beyond && a*wide <= 127 || (a*wide > 255) == (b*wide > 255))
	case "enum", "set":
		return len(fm) <= len(tm) && slices.Equal(fm, tm[:len(fm)])
	}
	return false
}

// tableFacts changes engine, character set, options and versioning.
func (ch *change) tableFacts() {
	o := ch.Source
	for _, d := range ch.Properties {
		switch {
		case d.Name == "column order", d.Name == "partitions":
		case d.Name == "collation" && ch.Property("charset") != nil && d.Source != nil:
		case d.Name == "system versioning":
			ch.addTitle("change the system versioning")
			if d.Source != nil {
				ch.options = append(ch.options, "ADD SYSTEM VERSIONING")
			} else {
				ch.options = append(ch.options, "DROP SYSTEM VERSIONING")
				ch.risk(order.Loss, o.Ref(), "the history of every row of table "+o.Name, nil)
			}
			ch.copied(ch.options)
		case d.Source == nil:
			ch.addTitle("change the %s", strings.ToLower(d.Name))
			if s := unset[d.Name]; s != "" {
				ch.options = append(ch.options, s)
			} else {
				ch.options = append(ch.options, optionSQL(d.Name, "DEFAULT"))
			}
			if d.Name != "comment" && !descriptive[d.Name] {
				ch.takes(ch.options, inplace)
			}
		case d.Name == "charset" || d.Name == "collation":
			ch.addTitle("change the default character set")
			ch.options = append(ch.options, "DEFAULT CHARACTER SET = "+o.Text("charset")+" COLLATE = "+cmp.Or(o.Text("collation"), o.Text("charset")+"_general_ci"))
		default:
			ch.addTitle("change the %s", strings.ToLower(d.Name))
			ch.options = append(ch.options, optionSQL(d.Name, d.Source.String()))
			switch {
			case d.Name == "engine":
				ch.copied(ch.options)
			case d.Name != "comment" && !descriptive[d.Name]:
				ch.takes(ch.options, inplace)
			}
		}
	}
}

// descriptive are the options that change nothing but the table's description.
var descriptive = map[string]bool{"option STATS_PERSISTENT": true, "option STATS_AUTO_RECALC": true, "option STATS_SAMPLE_PAGES": true, "option MAX_ROWS": true, "option MIN_ROWS": true,
	"option AVG_ROW_LENGTH": true, "option CHECKSUM": true, "option PACK_KEYS": true, "option DELAY_KEY_WRITE": true, "option PAGE_CHECKSUM": true}

func copyRisk(o *catalog.Object) order.Risk {
	return order.Risk{Kind: order.Rewrite, On: o.Ref(), Text: "the table is copied, and writes to it wait"}
}

func partitionStep(o *catalog.Object, title, clause string, risks ...order.Risk) *order.Action {
	return &order.Action{About: o.Ref(), Title: title + " of table " + o.Name, Makes: []catalog.Ref{o.Ref()}, SQL: []string{delimited("ALTER TABLE " + vocab.Quote(o.Name) + " " + clause)}, Risks: risks}
}

// uniqueChanges tells whether a primary or unique key comes, goes or changes.
func uniqueChanges(c *order.Change) bool {
	return slices.ContainsFunc(c.Parts, func(it *compare.Item) bool {
		return it.Status != compare.Same && (it.Kind() == catalog.PrimaryKey || it.Kind() == catalog.Index && it.Object().Text("class") == "unique")
	})
}

// layOut partitions all rows anew.
func layOut(c *order.Change) *order.Action {
	o := c.Source
	return partitionStep(o, "lay out the partitions", "\n"+o.Text("written partitions"), copyRisk(o),
		order.Risk{Kind: order.MayFail, On: o.Ref(), Text: "fails when no partition takes a row", Ask: outside(c, c.Target)})
}

// partitions changes how a table is partitioned. A partition more at the end
// is added; anything else lays all rows out anew.
func partitions(c *order.Change) []*order.Action {
	d := c.Property("partitions")
	if d == nil {
		return nil
	}
	o := c.Source
	alter := func(title, clause string, risks ...order.Risk) []*order.Action {
		return []*order.Action{partitionStep(o, title, clause, risks...)}
	}
	rewrite := copyRisk(o)
	if d.Source == nil {
		return alter("remove the partitions", "REMOVE PARTITIONING", rewrite)
	}
	if d.Target != nil {
		if more, ok := appended(d.Source.String(), d.Target.String()); ok {
			return alter("add partitions", "ADD PARTITION ("+more+")")
		}
		if names := gone(d.Source.String(), d.Target.String()); names != nil {
			return alter("drop partitions", "DROP PARTITION "+strings.Join(names, ", "),
				order.Risk{Kind: order.Loss, On: o.Ref(), Text: "every row of the partitions " + strings.Join(names, ", ") + " of table " + o.Name, Ask: inPartitions(c, c.Target, names)})
		}
		old, into, more, ok := reorganized(d.Source.String(), d.Target.String())
		if ok {
			out := alter("reorganize partitions", "REORGANIZE PARTITION "+old+" INTO (\n  "+into+")",
				order.Risk{Kind: order.Rewrite, On: o.Ref(), Text: "the rows of the partitions " + old + " are copied, and writes to the table wait"})
			if more != "" { // a window of partitions that moves on
				add := partitionStep(o, "add partitions", "ADD PARTITION ("+more+")")
				add.Sequel = out[0]
				out = append(out, add)
			}
			return out
		}
	}
	return []*order.Action{layOut(c)}
}

// appended tells whether one partitioning is the other with partitions more
// at its end.
func appended(now, was string) (string, bool) {
	h1, l1 := cutPartitions(now)
	h2, l2 := cutPartitions(was)
	if h1 != h2 || len(l2) == 0 || len(l1) <= len(l2) {
		return "", false
	}
	for i := range l2 {
		if vocab.Spaced(l1[i]) != vocab.Spaced(l2[i]) {
			return "", false
		}
	}
	return strings.Join(l1[len(l2):], ",\n  "), true
}

// cutPartitions cuts a partitioning into what it is by and its partitions.
func cutPartitions(s string) (head string, list []string) {
	c := vocab.Cursor(s)
	for !c.End() {
		if c.Peek().Text == "(" && c.PeekAfter(1).Is("partition") {
			return vocab.Spaced(s[:c.Peek().Pos]), c.Items()
		}
		c.Next()
	}
	return vocab.Spaced(s), nil
}

// reorganized tells which neighbouring range partitions become which others
// that end where they end, so that no row is left without a place, and which
// come behind all of them.
func reorganized(now, was string) (old, into, more string, ok bool) {
	h1, l1 := cutPartitions(now)
	h2, l2 := cutPartitions(was)
	if h1 != h2 || !strings.HasPrefix(strings.ToUpper(h1), "PARTITION BY RANGE") || len(l2) == 0 {
		return "", "", "", false
	}
	end := slices.IndexFunc(l1, func(p string) bool { return bound(p) == bound(l2[len(l2)-1]) })
	if end < 0 {
		return "", "", "", false
	}
	more, l1 = strings.Join(l1[end+1:], ",\n  "), l1[:end+1]
	same := func(a, b string) bool { return vocab.Spaced(a) == vocab.Spaced(b) }
	for len(l1) > 0 && len(l2) > 0 && same(l1[0], l2[0]) {
		l1, l2 = l1[1:], l2[1:]
	}
	for len(l1) > 1 && len(l2) > 1 && same(l1[len(l1)-1], l2[len(l2)-1]) {
		l1, l2 = l1[:len(l1)-1], l2[:len(l2)-1]
	}
	if len(l1) == 0 || len(l2) == 0 {
		return "", "", "", false
	}
	return strings.Join(partitionNames(l2), ", "), strings.Join(l1, ",\n  "), more, true
}

// bound is what a partition holds: it stands behind VALUES, up to its options.
func bound(p string) string {
	_, b, _ := strings.Cut(strings.ToUpper(vocab.Spaced(p)), " VALUES ")
	for _, option := range []string{" ENGINE ", " COMMENT ", " DATA ", " MAX_ROWS ", "( SUBPARTITION"} {
		b, _, _ = strings.Cut(b, option)
	}
	return strings.TrimSpace(b)
}

func partitionNames(list []string) []string {
	var out []string
	for _, p := range list {
		c := vocab.Cursor(p)
		c.Take("partition")
		out = append(out, vocab.Quote(c.Next().Name()))
	}
	return out
}

// gone are the names of the partitions that go with their rows while the others
// stay as they are: the last ones of ranges, any of lists.
func gone(now, was string) []string {
	h1, l1 := cutPartitions(now)
	h2, l2 := cutPartitions(was)
	if h1 != h2 || len(l1) == 0 || len(l1) >= len(l2) {
		return nil
	}
	kind := strings.ToUpper(h1)
	ranges := strings.HasPrefix(kind, "PARTITION BY RANGE")
	if !ranges && !strings.HasPrefix(kind, "PARTITION BY LIST") {
		return nil
	}
	var out []string
	i := 0
	for _, p := range l2 {
		if i < len(l1) && vocab.Spaced(l1[i]) == vocab.Spaced(p) {
			if i++; ranges && len(out) > 0 {
				return nil // its rows would fall to a neighbour
			}
			continue
		}
		out = append(out, p)
	}
	if i < len(l1) {
		return nil
	}
	return partitionNames(out)
}

// triggerAround changes a trigger. Where rows are filled, none that looks at
// updates is there meanwhile: the fill is nobody's change but ours.
func (w *Writer) triggerAround(ch *change, it *compare.Item) []*order.Action {
	if len(ch.fills) == 0 || !onUpdate(it.Object()) {
		return w.trigger(ch.Change, it)
	}
	if it.Target != nil {
		down := dropTrigger(ch.Target, it.Target)
		if n := len(ch.first); n > 0 {
			down.Sequel = ch.first[n-1]
		}
		ch.first = append(ch.first, down)
	}
	if it.Source == nil {
		return nil
	}
	up := createTrigger(ch.Source, it.Source, ch.Change, "CREATE ")
	up.Sequel = ch.action
	if it.Status == compare.Same {
		up.Title = triggerTitle("put back", ch.Source, it.Source)
	}
	return []*order.Action{up}
}

// onUpdate tells whether a trigger looks at updates.
func onUpdate(trigger *catalog.Object) bool {
	for _, t := range vocab.Cursor(trigger.Text("definition")).Significant() {
		switch {
		case t.Is("update"):
			return true
		case t.Is("insert"), t.Is("delete"):
			return false
		}
	}
	return true
}

func (w *Writer) trigger(c *order.Change, it *compare.Item) []*order.Action {
	switch {
	case it.Target == nil:
		return []*order.Action{createTrigger(c.Source, it.Source, c, "CREATE ")}
	case it.Source == nil:
		return []*order.Action{dropTrigger(c.Target, it.Target)}
	case it.Status == compare.Same && !c.Rebuilds(it):
		return nil
	}
	return []*order.Action{dropTrigger(c.Target, it.Target), createTrigger(c.Source, it.Source, c, "CREATE ")}
}

// Definition implements engine.Engine.
func (Engine) Definition(o *catalog.Object) string {
	w := &Writer{}
	c := &order.Change{Item: &compare.Item{Source: o, Status: compare.SourceOnly}, Desired: &catalog.Catalog{}, Actual: &catalog.Catalog{}}
	var out []string
	for _, a := range w.Create(c) {
		if a.Prefix != "" {
			out = append(out, a.Prefix+" "+strings.Join(a.Clauses, ", ")+";")
		}
		out = append(out, a.SQL...)
	}
	return strings.Join(out, "\n")
}
