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
		out = append(out, regrant(o, "", o.List("grants"), vocab.Grants(o.Kind, "", nil).Items)...)
		for _, p := range o.PartsOf(catalog.Column) {
			out = append(out, regrant(o, p.Name, p.List("grants"), nil)...)
		}
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
	if c.Property("owner") != nil {
		add("owner", []string{fmt.Sprintf("ALTER %s %s OWNER TO %s;", keyword(o), sqlName(o), quote(o.Text("owner")))})
	}
	if c.Property("grants") != nil {
		add("grants", regrant(o, "", o.List("grants"), c.Target.List("grants")))
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
