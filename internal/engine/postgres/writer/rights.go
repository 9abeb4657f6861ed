package writer

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/vocab"
)

// regrant writes what leads from one set of grants to another. column is "",
// or the column the grants are on.
func regrant(o *catalog.Object, column string, now, was []string) []string {
	word := vocab.Rights[o.Kind].Word
	if o.Has("procedure") {
		word = "PROCEDURE"
	}
	on := word + " " + sqlName(o)
	if o.Kind == kindDefaultRights {
		on = o.Text("on")
	}
	owner := quote(o.Text("owner"))
	role := func(who string) string {
		switch who {
		case vocab.Everybody:
			return "PUBLIC"
		case vocab.TheOwner:
			return owner
		}
		return quote(who)
	}
	list := func(ps []string) string {
		if column == "" {
			return strings.Join(ps, ", ")
		}
		out := make([]string, len(ps))
		for i, p := range ps {
			out[i] = p + " (" + quote(column) + ")"
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

// ownerAndGrants gives a thing that was made its owner and its grants: those of the
// target's that is put back, or the source's where they were asked for.
func ownerAndGrants(c *order.Change) []string {
	o := c.Source
	var out []string
	if o.Kind == kindDefaultRights {
		return nil
	}
	if who := o.Text("owner"); who != "" && (c.Target != nil || c.Groups["owners"]) {
		out = append(out, fmt.Sprintf("ALTER %s %s OWNER TO %s;", keyword(o), sqlName(o), quote(who)))
	}
	if o.Has("grants") && (c.Target != nil || c.Groups["grants"]) {
		normal := vocab.Grants(o.Kind, "", nil).Items
		if by := byDefault(c); len(by) > 0 { // they have given it something already
			normal = slices.DeleteFunc(normal, func(g string) bool { return strings.HasPrefix(g, vocab.Everybody+":") })
			out = append(out, regrant(o, "", nil, append(by, vocab.Everybody+": ALL"))...)
		}
		out = append(out, regrant(o, "", o.List("grants"), normal)...)
		for _, p := range o.PartsOf(catalog.Column) {
			out = append(out, regrant(o, p.Name, p.List("grants"), nil)...)
		}
		out = append(out, regrantColumns(o, o.List("column grants"), nil)...)
	}
	return out
}

// defaultWords are the kinds of things that default privileges are for
// (PostgreSQL: ALTER DEFAULT PRIVILEGES).
var defaultWords = map[catalog.Kind]string{catalog.Table: "TABLES", catalog.View: "TABLES", kindMatView: "TABLES", vocab.ForeignTable: "TABLES", catalog.Sequence: "SEQUENCES",
	catalog.Routine: "FUNCTIONS", catalog.Enum: "TYPES", kindDomain: "TYPES", kindComposite: "TYPES", kindRange: "TYPES", catalog.Schema: "SCHEMAS"}

// byDefault lists what default privileges may give others on a thing that is
// made, "role: ALL": those that are there, and those that come.
func byDefault(c *order.Change) []string {
	o := c.Source
	var out []string
	for _, cat := range []*catalog.Catalog{c.Actual, c.Desired} {
		for _, d := range cat.Objects {
			if d.Kind != kindDefaultRights || d.Text("on") != defaultWords[o.Kind] || d.Has("schema") && d.Text("schema") != o.Schema {
				continue
			}
			for _, g := range d.List("rights") {
				who, _, _ := strings.Cut(g, ": ")
				if all := who + ": ALL"; who != vocab.TheOwner && who != vocab.Everybody && !slices.Contains(out, all) {
					out = append(out, all)
				}
			}
		}
	}
	slices.Sort(out)
	return out
}

// policyNote says that the target's default privileges give others something on
// a new thing, where grants do not count.
func policyNote(c *order.Change) string {
	if c.Target != nil || c.Groups["grants"] {
		return ""
	}
	var who []string
	for _, g := range byDefault(c) {
		role, _, _ := strings.Cut(g, ": ")
		who = append(who, role)
	}
	if len(who) == 0 {
		return ""
	}
	return "The target's default privileges may give rights on it to " + strings.Join(who, ", ") + "; the source's grants are not copied (--include grants)."
}

// regrantColumns is regrant for the columns of a view, "name grant".
func regrantColumns(o *catalog.Object, now, was []string) []string {
	split := func(l []string) map[string][]string {
		m := map[string][]string{}
		for _, text := range l {
			name, grant := splitName(text)
			m[name] = append(m[name], grant)
		}
		return m
	}
	new, old := split(now), split(was)
	var out []string
	for _, name := range sortedKeys(old) {
		if _, ok := new[name]; !ok && hasColumn(o, name) {
			out = append(out, regrant(o, vocab.Bare(name), nil, old[name])...)
		}
	}
	for _, name := range sortedKeys(new) {
		out = append(out, regrant(o, vocab.Bare(name), new[name], old[name])...)
	}
	return out
}

// rightsActions change owner and grants of an object that stays.
func rightsActions(c *order.Change) []*order.Action {
	o := c.Source
	var out []*order.Action
	add := func(what string, sql []string) {
		if len(sql) == 0 {
			return
		}
		a := &order.Action{About: o.Ref(), Title: "change the " + what + " of " + title(o), SQL: sql, Makes: []catalog.Ref{o.Ref()}}
		if what != "owner" {
			lockFree(a)
		}
		if n := len(out); n > 0 {
			a.Sequel = out[n-1]
		}
		out = append(out, a)
	}
	if c.Property("owner") != nil && !(o.Kind == catalog.Sequence && o.Has("owned by")) { // which has its table's
		add("owner", []string{fmt.Sprintf("ALTER %s %s OWNER TO %s;", keyword(o), sqlName(o), quote(o.Text("owner")))})
	}
	if c.Property("grants") != nil {
		add("grants", regrant(o, "", o.List("grants"), c.Target.List("grants")))
	}
	if c.Property("column grants") != nil {
		add("grants on columns", regrantColumns(o, o.List("column grants"), c.Target.List("column grants")))
	}
	for _, it := range c.Parts {
		if it.Kind() == catalog.Column && it.Status == compare.Differs && it.Property("grants") != nil {
			add("grants on column "+it.Source.Name, regrant(o, it.Source.Name, it.Source.List("grants"), it.Target.List("grants")))
		}
	}
	return out
}

// defaultRights leads from one set of default privileges to another.
func defaultRights(o *catalog.Object, verb string, now, was []string) *order.Action {
	a := &order.Action{About: o.Ref(), Title: verb + " default privileges for " + o.Name}
	if verb == "drop" {
		a.Removes = []catalog.Ref{o.Ref()}
	} else {
		a.Makes = []catalog.Ref{o.Ref()}
	}
	for _, s := range regrant(o, "", now, was) {
		a.SQL = append(a.SQL, o.Text("head")+" "+s)
	}
	return a
}

func (w *Writer) createDefaultRights(c *order.Change) []*order.Action {
	return []*order.Action{defaultRights(c.Source, "set", c.Source.List("rights"), c.Source.List("normal"))}
}

func (w *Writer) alterDefaultRights(c *order.Change) ([]*order.Action, bool) {
	return []*order.Action{defaultRights(c.Source, "change", c.Source.List("rights"), c.Target.List("rights"))}, true
}
