package grants_test

import (
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/mysql/grants"
	"dappermirror/internal/engine/mysql/vocab"
)

// structure has a table of columns and what an account is granted on it.
func structure(table string, columns []string, on string, privileges ...string) *catalog.Catalog {
	c := vocab.Blank()
	t := &catalog.Object{Kind: catalog.Table, Name: table, Space: "relation"}
	for _, col := range columns {
		t.Add(&catalog.Object{Kind: catalog.Column, Name: col, ID: strings.ToLower(col)})
	}
	g := &catalog.Object{Kind: vocab.Grant, Name: "'clerk'@'%' on table " + on, Group: "grants"}
	g.Set("privileges", catalog.SetOf(privileges...)).Carry("account", catalog.Scalar("'clerk'@'%'")).Carry("on", catalog.Scalar("TABLE "+vocab.Quote(on)))
	g.Need(t.Ref(), catalog.AspectName)
	c.Add(t)
	c.Add(g)
	c.Sort()
	return c
}

// TestFollow: what was granted by the old names is granted by the new ones and
// taken from the old; what has no other name, and columns that are gone, stay out.
func TestFollow(t *testing.T) {
	for _, c := range []struct {
		name       string
		table, was string
		columns    map[string]string // by what they were called
		on         string
		privileges []string
		want       string
	}{
		{"a table", "vessel", "ship", nil, "ship", []string{"SELECT", "GRANT OPTION"}, "GRANT SELECT ON TABLE `vessel` TO 'clerk'@'%' WITH GRANT OPTION; REVOKE GRANT OPTION, SELECT ON TABLE `ship` FROM 'clerk'@'%';"},
		{"a column", "ship", "ship", map[string]string{"name": "title"}, "ship", []string{"UPDATE (`flag`, `name`)"}, "GRANT UPDATE (`flag`, `title`) ON TABLE `ship` TO 'clerk'@'%'; REVOKE UPDATE (`flag`, `name`) ON TABLE `ship` FROM 'clerk'@'%';"},
		{"both", "vessel", "ship", map[string]string{"name": "title"}, "ship", []string{"SELECT", "UPDATE (`name`)"}, "GRANT SELECT, UPDATE (`title`) ON TABLE `vessel` TO 'clerk'@'%'; REVOKE SELECT, UPDATE (`name`) ON TABLE `ship` FROM 'clerk'@'%';"},
		{"a column that is gone", "vessel", "ship", nil, "ship", []string{"SELECT", "UPDATE (`gone`)"}, "GRANT SELECT ON TABLE `vessel` TO 'clerk'@'%'; REVOKE SELECT, UPDATE (`gone`) ON TABLE `ship` FROM 'clerk'@'%';"},
		{"an odd name", "it`s", "ship", nil, "ship", []string{"SELECT"}, "GRANT SELECT ON TABLE `it``s` TO 'clerk'@'%'; REVOKE SELECT ON TABLE `ship` FROM 'clerk'@'%';"},
		{"another column", "ship", "ship", map[string]string{"flag": "state"}, "ship", []string{"SELECT", "UPDATE (`name`)"}, ""},
		{"nothing", "ship", "ship", nil, "ship", []string{"SELECT"}, ""},
	} {
		columns := []string{"name", "flag"}
		for i, col := range columns {
			if now := c.columns[col]; now != "" {
				columns[i] = now
			}
		}
		actual, desired := structure(c.table, columns, c.on, c.privileges...), structure(c.table, columns, c.on, c.privileges...)
		was := func(r catalog.Ref) catalog.Ref {
			r.Name = c.was
			for old, now := range c.columns {
				if r.Part == now {
					r.Part = old
				}
			}
			return r
		}
		actions, to, from := grants.Follow(desired, actual, was)
		var sql []string
		for _, a := range actions {
			sql = append(sql, a.SQL...)
			if from.Find(a.Makes[0]) == nil || to.Find(a.Makes[0]) == nil || from.Find(a.Removes[0]) != nil && a.Makes[0] != a.Removes[0] {
				t.Errorf("%s: it is not known as it is granted", c.name)
			}
		}
		if got := strings.Join(sql, " "); got != c.want {
			t.Errorf("%s:\n%s\nnot\n%s", c.name, got, c.want)
		}
		if g := actual.Objects[slices.IndexFunc(actual.Objects, func(o *catalog.Object) bool { return o.Kind == vocab.Grant })]; !slices.Equal(g.List("privileges"), catalog.SetOf(c.privileges...).Items) {
			t.Errorf("%s: what is was changed", c.name)
		}
	}
}
