package steps

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/ddl"
	"dappermirror/internal/engine/postgres/vocab"
)

// Regrant writes what leads from one set of grants to another. column is "",
// or the column the grants are on.
func Regrant(o *catalog.Object, column string, now, was []string) []string {
	word := vocab.Rights[o.Kind].Word
	if o.Has("procedure") {
		word = "PROCEDURE"
	}
	on := word + " " + ddl.Name(o)
	if o.Kind == vocab.DefaultRights {
		on = o.Text("on")
	}
	owner := vocab.Quote(o.Text("owner"))
	role := func(who string) string {
		switch who {
		case vocab.Everybody:
			return "PUBLIC"
		case vocab.TheOwner:
			return owner
		}
		return vocab.Quote(who)
	}
	list := func(ps []string) string {
		if column == "" {
			return strings.Join(ps, ", ")
		}
		out := make([]string, len(ps))
		for i, p := range ps {
			out[i] = p + " (" + vocab.Quote(column) + ")"
		}
		return strings.Join(out, ", ")
	}
	var out []string
	for _, g := range was {
		if who, ps, _ := strings.Cut(g, ": "); !slices.Contains(now, g) && ps != "" {
			out = append(out, fmt.Sprintf("REVOKE %s ON %s FROM %s;", list(strings.Split(strings.ReplaceAll(ps, "*", ""), ", ")), on, role(who)))
		}
	}
	for _, g := range now {
		who, ps, _ := strings.Cut(g, ": ")
		if slices.Contains(was, g) || ps == "" {
			continue
		}
		var plain, onward []string
		for _, p := range strings.Split(ps, ", ") {
			if p, may := strings.CutSuffix(p, "*"); may {
				onward = append(onward, p)
			} else {
				plain = append(plain, p)
			}
		}
		if len(plain) > 0 {
			out = append(out, fmt.Sprintf("GRANT %s ON %s TO %s;", list(plain), on, role(who)))
		}
		if len(onward) > 0 {
			out = append(out, fmt.Sprintf("GRANT %s ON %s TO %s WITH GRANT OPTION;", list(onward), on, role(who)))
		}
	}
	return out
}

// OwnerAndGrants gives a thing that was made its owner and its grants: those of the
// target's that is put back, or the source's where they were asked for.
func OwnerAndGrants(c *order.Change) []string {
	o := c.Source
	var out []string
	if o.Kind == vocab.DefaultRights {
		return nil
	}
	if who := o.Text("owner"); who != "" && (c.Target != nil || c.Groups["owners"]) {
		out = append(out, fmt.Sprintf("ALTER %s %s OWNER TO %s;", ddl.Keyword(o), ddl.Name(o), vocab.Quote(who)))
	}
	if o.Has("grants") && (c.Target != nil || c.Groups["grants"]) {
		normal := vocab.Grants(o.Kind, "", nil).Items
		if by := ByDefault(c); len(by) > 0 { // they have given it something already
			normal = slices.DeleteFunc(normal, func(g string) bool { return strings.HasPrefix(g, vocab.Everybody+":") })
			out = append(out, Regrant(o, "", nil, append(by, vocab.Everybody+": ALL"))...)
		}
		out = append(out, Regrant(o, "", o.List("grants"), normal)...)
		for _, p := range o.PartsOf(catalog.Column) {
			out = append(out, Regrant(o, p.Name, p.List("grants"), nil)...)
		}
		out = append(out, RegrantColumns(o, o.List("column grants"), nil)...)
	}
	return out
}

// defaultWords are the kinds of things that default privileges are for
// (PostgreSQL: ALTER DEFAULT PRIVILEGES).
var defaultWords = map[catalog.Kind]string{catalog.Table: "TABLES", catalog.View: "TABLES", vocab.MatView: "TABLES", vocab.ForeignTable: "TABLES", catalog.Sequence: "SEQUENCES",
	catalog.Routine: "FUNCTIONS", catalog.Enum: "TYPES", vocab.Domain: "TYPES", vocab.Composite: "TYPES", vocab.Range: "TYPES", catalog.Schema: "SCHEMAS"}

// ByDefault lists what default privileges may give others on a thing that is
// made, "role: ALL": those that are there, and those that come.
func ByDefault(c *order.Change) []string {
	o := c.Source
	var out []string
	given := order.Remember(c, "default privileges", func() (list []*catalog.Object) {
		for _, cat := range []*catalog.Catalog{c.Actual, c.Desired} {
			for _, d := range cat.Objects {
				if d.Kind == vocab.DefaultRights {
					list = append(list, d)
				}
			}
		}
		return list
	})
	for _, d := range given {
		if d.Text("on") != defaultWords[o.Kind] || d.Has("schema") && d.Text("schema") != o.Schema {
			continue
		}
		for _, g := range d.List("rights") {
			who, _, _ := strings.Cut(g, ": ")
			if all := who + ": ALL"; who != vocab.TheOwner && who != vocab.Everybody && !slices.Contains(out, all) {
				out = append(out, all)
			}
		}
	}
	slices.Sort(out)
	return out
}

// PolicyNote says that the target's default privileges give others something on
// a new thing, where grants do not count.
func PolicyNote(c *order.Change) string {
	if c.Target != nil || c.Groups["grants"] {
		return ""
	}
	var who []string
	for _, g := range ByDefault(c) {
		role, _, _ := strings.Cut(g, ": ")
		who = append(who, role)
	}
	if len(who) == 0 {
		return ""
	}
	return "The target's default privileges may give rights on it to " + strings.Join(who, ", ") + "; the source's grants are not copied (--include grants)."
}

// RegrantColumns is regrant for the columns of a view, "name grant".
func RegrantColumns(o *catalog.Object, now, was []string) []string {
	split := func(l []string) map[string][]string {
		m := map[string][]string{}
		for _, text := range l {
			name, grant := vocab.SplitName(text)
			m[name] = append(m[name], grant)
		}
		return m
	}
	new, old := split(now), split(was)
	var out []string
	for _, name := range SortedKeys(old) {
		if _, ok := new[name]; !ok && HasColumn(o, name) {
			out = append(out, Regrant(o, vocab.Bare(name), nil, old[name])...)
		}
	}
	for _, name := range SortedKeys(new) {
		out = append(out, Regrant(o, vocab.Bare(name), new[name], old[name])...)
	}
	return out
}

// RightsActions change owner and grants of an object that stays.
func RightsActions(c *order.Change) []*order.Action {
	o := c.Source
	var out []*order.Action
	add := func(what string, sql []string) {
		if len(sql) == 0 {
			return
		}
		a := &order.Action{About: o.Ref(), Title: "change the " + what + " of " + Title(o), SQL: sql, Makes: []catalog.Ref{o.Ref()}}
		if what != "owner" {
			LockFree(a)
		}
		if n := len(out); n > 0 {
			a.Sequel = out[n-1]
		}
		out = append(out, a)
	}
	if c.Property("owner") != nil && !(o.Kind == catalog.Sequence && o.Has("owned by")) { // which has its table's
		add("owner", []string{fmt.Sprintf("ALTER %s %s OWNER TO %s;", ddl.Keyword(o), ddl.Name(o), vocab.Quote(o.Text("owner")))})
	}
	if c.Property("grants") != nil {
		add("grants", Regrant(o, "", o.List("grants"), c.Target.List("grants")))
	}
	if c.Property("column grants") != nil {
		add("grants on columns", RegrantColumns(o, o.List("column grants"), c.Target.List("column grants")))
	}
	for _, it := range c.Parts {
		if it.Kind() == catalog.Column && it.Status == compare.Differs && it.Property("grants") != nil {
			add("grants on column "+it.Source.Name, Regrant(o, it.Source.Name, it.Source.List("grants"), it.Target.List("grants")))
		}
	}
	return out
}

// DefaultRights leads from one set of default privileges to another.
func DefaultRights(o *catalog.Object, verb string, now, was []string) *order.Action {
	a := &order.Action{About: o.Ref(), Title: verb + " default privileges for " + o.Name}
	if verb == "drop" {
		a.Removes = []catalog.Ref{o.Ref()}
	} else {
		a.Makes = []catalog.Ref{o.Ref()}
	}
	for _, s := range Regrant(o, "", now, was) {
		a.SQL = append(a.SQL, o.Text("head")+" "+s)
	}
	return a
}

func CreateDefaultRights(c *order.Change) []*order.Action {
	return []*order.Action{DefaultRights(c.Source, "set", c.Source.List("rights"), c.Source.List("normal"))}
}

func AlterDefaultRights(c *order.Change) ([]*order.Action, bool) {
	return []*order.Action{DefaultRights(c.Source, "change", c.Source.List("rights"), c.Target.List("rights"))}, true
}
