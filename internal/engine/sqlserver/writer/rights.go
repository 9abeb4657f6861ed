package writer

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine/sqlserver/ddl"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// on is how GRANT and ALTER AUTHORIZATION name an object; "" stands for the database.
func on(o *catalog.Object) string {
	switch o.Kind {
	case vocab.Grant:
		return ""
	case catalog.Schema, vocab.Role:
		return strings.ToUpper(string(o.Kind)) + "::" + quote(o.Name)
	case vocab.AliasType, vocab.TableType:
		return "TYPE::" + qualified(o)
	}
	return "OBJECT::" + qualified(o)
}

// granted is a right as a statement: it is told without what it is on.
func granted(right, on string) string {
	permission, to := parted(right)
	if on != "" && !strings.Contains(permission, "::") {
		permission += " ON " + on
	}
	return batch(permission + " " + to + ";")
}

// revoked takes a right away, with what was granted by its means.
func revoked(right, on string) string {
	permission, to := parted(right)
	_, permission, _ = strings.Cut(permission, " ")
	if on != "" && !strings.Contains(permission, "::") {
		permission += " ON " + on
	}
	s := "REVOKE " + permission + " FROM " + strings.TrimPrefix(to, "TO ")
	if who, ok := strings.CutSuffix(s, " WITH GRANT OPTION"); ok {
		s = who + " CASCADE"
	}
	return batch(s + ";")
}

// parted takes a right apart at the word before who has it.
func parted(right string) (permission, to string) {
	for _, t := range sqltext.Significant(vocab.Dialect, right) {
		if t.Kind == sqltext.Word && t.Is("to") {
			return strings.TrimSpace(right[:t.Pos]), right[t.Pos:]
		}
	}
	return right, ""
}

// grantee is who has a right.
func grantee(right string) string {
	_, to := parted(right)
	return vocab.Bare(strings.TrimPrefix(to, "TO "))
}

func authorization(o *catalog.Object, owner string) string {
	to := quote(owner)
	switch {
	case owner != "":
	case o.Kind == catalog.Schema || o.Kind == vocab.Role:
		to = "dbo"
	default:
		to = "SCHEMA OWNER"
	}
	return batch("ALTER AUTHORIZATION ON " + on(o) + " TO " + to + ";")
}

// settled gives something that was made anew its owner and its rights: those of the
// target's that is put back, or the source's where they were asked for.
func settled(c *order.Change) []string {
	o := c.Source
	var out []string
	if who := o.Text("owner"); who != "" && (c.Target != nil || c.Groups[vocab.Owners]) {
		out = append(out, authorization(o, who))
	}
	return append(out, regranted(c)...)
}

// regranted gives all rights on an object and on its columns.
func regranted(c *order.Change) []string {
	o := c.Source
	var out []string
	for _, x := range append([]*catalog.Object{o}, o.PartsOf(catalog.Column)...) {
		old := c.Target != nil && (x == o || c.Target.Part(catalog.Column, x.Key()) != nil)
		if !old && !c.Groups[vocab.Grants] {
			continue
		}
		out = append(out, grantedOn(o, x.List("grants"), nil)...)
	}
	return out
}

// routineRights are what can be granted on a routine, by its type, besides what can be on
// anything (SQL Server: GRANT Object Permissions).
var routineRights = map[string][]string{"procedure": {"EXECUTE"}, "function": {"EXECUTE", "REFERENCES"}, "inline function": {"SELECT", "INSERT", "UPDATE", "DELETE", "REFERENCES"}, "table function": {"SELECT", "REFERENCES"}}

// fits tells whether a right can be granted on an object: a routine that becomes another
// type of routine cannot keep all that it had.
func fits(o *catalog.Object, right string) bool {
	permission, _ := parted(right)
	_, permission, _ = strings.Cut(permission, " ")
	permission, _, _ = strings.Cut(permission, " (")
	return o.Kind != catalog.Routine || slices.Contains([]string{"ALTER", "CONTROL", "TAKE OWNERSHIP", "VIEW DEFINITION"}, permission) || slices.Contains(routineRights[o.Text("type")], permission)
}

// rights changes the owner and the rights of something that stays, and gives those back
// that its columns lose on the way.
func rights(c *order.Change) []*order.Action {
	o := c.Source
	a := &order.Action{About: o.Ref(), Title: "change the grants of " + title(o), After: principals(c), Locks: []order.TableLock{}}
	owner := c.Property("owner") != nil
	if owner { // what was granted on it goes with its owner (SQL Server: ALTER AUTHORIZATION, Remarks)
		a.Title = "change the owner of " + title(o)
		a.SQL = append(a.SQL, authorization(o, o.Text("owner")))
	}
	anew := lost(c)
	var gone, come []string
	all := owner
	for _, x := range append([]*catalog.Object{o}, o.PartsOf(catalog.Column)...) {
		was := c.Target
		if x != o {
			was = c.Target.Part(catalog.Column, x.Key())
			a.After = append(a.After, o.PartRef(x))
		}
		if was == nil || anew[x.Key()] && x != o {
			if was != nil || c.Groups[vocab.Grants] {
				come = append(come, grantedOn(o, x.List("grants"), nil)...)
			}
			continue
		}
		for _, g := range was.List("grants") {
			if !owner && !slices.Contains(x.List("grants"), g) {
				gone, all = append(gone, revoked(g, on(o))), true
			}
		}
		come = append(come, grantedOn(o, x.List("grants"), was.List("grants"))...)
	}
	if all { // a right that goes may take others with it: of columns, or handed on
		come = regranted(c)
	}
	if a.SQL = slices.Concat(a.SQL, gone, come); len(a.SQL) == 0 {
		return nil
	}
	a.Note = wanted(c)
	return []*order.Action{a}
}

func grantedOn(o *catalog.Object, now, was []string) []string {
	var out []string
	for _, g := range now {
		if !slices.Contains(was, g) && fits(o, g) {
			out = append(out, granted(g, on(o)))
		}
	}
	return out
}

// lost are the columns that are dropped and made anew.
func lost(c *order.Change) map[string]bool {
	out := map[string]bool{}
	for _, it := range c.Parts {
		if it.Kind() == catalog.Column && it.Source != nil && it.Target != nil && (anew(it) || it.Property("type") != nil && swaps(it) || c.Rebuilds(it)) {
			out[it.Source.Key()] = true
		}
	}
	return out
}

// principals are the roles that must be there before somebody owns something or has
// rights on it.
func principals(c *order.Change) []catalog.Ref {
	var out []catalog.Ref
	for _, n := range concerned(c.Source) {
		if n != "" && (c.Source.Kind != vocab.Role || n != c.Source.Key()) {
			out = append(out, catalog.Ref{Kind: vocab.Role, Name: n})
		}
	}
	return out
}

// concerned are those who own something, have rights on it or are in it.
func concerned(o *catalog.Object) []string {
	names := []string{o.Text("owner")}
	for _, x := range append([]*catalog.Object{o}, o.PartsOf(catalog.Column)...) {
		for _, g := range x.List("grants") {
			names = append(names, grantee(g))
		}
	}
	return append(names, o.List("members")...)
}

// wanted says which users must be there that nothing in the target tells of: they belong to
// logins of the server, and are not made here.
func wanted(c *order.Change) string {
	known := order.Remember(c, "principals", func() map[string]bool {
		out := map[string]bool{"public": true, "dbo": true, "guest": true}
		for _, in := range []*catalog.Catalog{c.Actual, c.Desired} {
			for _, o := range in.Objects {
				if o.Kind == vocab.Role {
					out[o.Key()] = true
				}
				if in == c.Actual {
					for _, n := range concerned(o) {
						out[n] = true
					}
				}
			}
		}
		return out
	})
	var out []string
	for _, n := range concerned(c.Source) {
		if n != "" && !known[n] && !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	switch len(out) {
	case 0:
		return ""
	case 1:
		return "It wants the user " + out[0] + " in the database: see that it is there before."
	}
	return "It wants the users " + words.Join(out, 9) + " in the database: see that they are there before."
}

// createRole makes a role, or lets others into one that every database has.
func createRole(c *order.Change) *order.Action {
	o := c.Source
	a := created(o)
	a.After = principals(c)
	if a.Title = "fill " + title(o); !o.Has("fixed") {
		a.Title = "create " + title(o)
		a.SQL = ddl.Batches("CREATE ROLE " + quote(o.Name) + ";")
	}
	a.SQL = append(a.SQL, members(o, nil)...)
	return a
}

// members are the statements that lead from the members of a role to others.
func members(o, was *catalog.Object) []string {
	var out []string
	change := func(verb string, now, not []string) {
		for _, m := range now {
			if !slices.Contains(not, m) {
				out = append(out, batch("ALTER ROLE "+quote(o.Name)+" "+verb+" MEMBER "+quote(m)+";"))
			}
		}
	}
	var old []string
	if was != nil {
		old = was.List("members")
	}
	change("DROP", old, o.List("members"))
	change("ADD", o.List("members"), old)
	return out
}

func alterRole(c *order.Change) []*order.Action {
	a := &order.Action{About: c.Source.Ref(), Title: "change the members of " + title(c.Source), Makes: []catalog.Ref{c.Source.Ref()}, After: principals(c), Locks: []order.TableLock{}}
	if c.Property(catalog.Letters) != nil {
		a.Title = "change " + title(c.Source)
		a.SQL = ddl.Batches("ALTER ROLE " + quote(c.Target.Name) + " WITH NAME = " + quote(c.Source.Name) + ";")
	}
	if a.SQL = append(a.SQL, members(c.Source, c.Target)...); len(a.SQL) == 0 {
		return nil
	}
	a.Note = wanted(c)
	return []*order.Action{a}
}

// dropRole empties a role and drops it.
func dropRole(c *order.Change, a *order.Action) {
	o := c.Target
	empty := o.Clone()
	empty.Set("members", catalog.SetOf())
	if a.SQL = members(empty, o); o.Has("fixed") {
		a.Title = "empty " + title(o)
		return
	}
	a.SQL = append(a.SQL, batch("DROP ROLE "+quote(o.Name)+";"))
	if slices.ContainsFunc(c.Desired.Objects, func(x *catalog.Object) bool { return x.Ref() != o.Ref() && x.Text("owner") == o.Key() }) {
		id := "DATABASE_PRINCIPAL_ID(" + vocab.String(o.Name) + ")"
		a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: o.Ref(), Text: "fails while the role owns something",
			Ask: &order.Question{Count: "SELECT (SELECT COUNT(*) FROM sys.schemas WHERE principal_id = " + id + ") + (SELECT COUNT(*) FROM sys.objects WHERE principal_id = " + id + ") + (SELECT COUNT(*) FROM sys.types WHERE principal_id = " + id + ") + (SELECT COUNT(*) FROM sys.database_principals WHERE owning_principal_id = " + id + ") AS n",
				What: "things belong to it (--include owners)", None: "nothing belongs to it", Tries: "another owner for them"}})
	}
}

// createGrant gives somebody rights on the database itself.
func createGrant(c *order.Change) *order.Action {
	o := c.Source
	return &order.Action{About: o.Ref(), Note: wanted(c), Title: "grant " + o.Name + " rights on the database", SQL: grantedOn(o, o.List("grants"), nil), Makes: []catalog.Ref{o.Ref()}, Creates: true, After: principals(c), Locks: []order.TableLock{}}
}

// rightly tells whether a difference is one of owner or rights, which have statements of
// their own.
func rightly(d compare.PropertyDiff) bool { return d.Name == "owner" || d.Name == "grants" }

// Principals are the users that a structure names: those who own something, have rights on
// it or are in a role, and are no roles themselves.
func Principals(c *catalog.Catalog) []string {
	seen := map[string]bool{"": true, "public": true, "dbo": true, "guest": true}
	if c == nil {
		return nil
	}
	for _, o := range c.Objects {
		if o.Kind == vocab.Role {
			seen[o.Key()] = true
		}
	}
	var out []string
	for _, o := range c.Objects {
		for _, n := range concerned(o) {
			if !seen[n] {
				seen[n] = true
				out = append(out, n)
			}
		}
	}
	return out
}
