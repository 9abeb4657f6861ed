package mysql

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
)

// kindGrant is what one account may do with the database, or with one thing in
// it. It counts with --include grants only.
const kindGrant catalog.Kind = "grant"

// grantsSQL asks for the privileges the account may see. The columns of a
// column privilege stand behind it.
const grantsSQL = `SELECT GRANTEE AS account, '' AS thing, '' AS kind, PRIVILEGE_TYPE AS privilege, IS_GRANTABLE AS onward FROM information_schema.SCHEMA_PRIVILEGES WHERE TABLE_SCHEMA = DATABASE()
UNION ALL SELECT GRANTEE, TABLE_NAME, 'TABLE', PRIVILEGE_TYPE, IS_GRANTABLE FROM information_schema.TABLE_PRIVILEGES WHERE TABLE_SCHEMA = DATABASE()
UNION ALL SELECT GRANTEE, TABLE_NAME, 'TABLE', CONCAT(PRIVILEGE_TYPE, ' (', GROUP_CONCAT(CONCAT('` + "`', REPLACE(COLUMN_NAME, '`', '``'), '`" + `') ORDER BY COLUMN_NAME SEPARATOR ', '), ')'), IS_GRANTABLE
  FROM information_schema.COLUMN_PRIVILEGES WHERE TABLE_SCHEMA = DATABASE() GROUP BY GRANTEE, TABLE_NAME, PRIVILEGE_TYPE, IS_GRANTABLE`

const routineGrantsSQL = `SELECT CONCAT(QUOTE(User), '@', QUOTE(Host)) AS account, Routine_name AS thing, Routine_type AS kind, Proc_priv AS privileges FROM mysql.procs_priv WHERE Db = DATABASE()`

func (r *reader) grants(ctx context.Context, _ map[string][]string) error {
	found := map[catalog.Ref]*catalog.Object{}
	grant := func(account, kind, thing string) *catalog.Object {
		on := "the database"
		sql := "*"
		if thing != "" {
			on, sql = strings.ToLower(kind)+" "+thing, kind+" "+quote(thing)
		}
		o := &catalog.Object{Kind: kindGrant, Name: account + " on " + on, Group: "grants"}
		if old := found[o.Ref()]; old != nil {
			return old
		}
		o.Set("privileges", catalog.SetOf())
		o.Carry("account", catalog.Scalar(account))
		o.Carry("on", catalog.Scalar(sql))
		switch {
		case kind == "TABLE":
			for _, k := range []catalog.Kind{catalog.Table, catalog.View} {
				if t := r.c.Find(catalog.Ref{Kind: k, Name: thing}); t != nil {
					o.Need(t.Ref(), catalog.AspectName)
				}
			}
		case kind != "":
			if t := r.c.Find(catalog.Ref{Kind: catalog.Routine, Name: thing}); t != nil {
				o.Need(t.Ref(), catalog.AspectName)
			}
		}
		found[o.Ref()] = o
		r.c.Add(o)
		return o
	}
	add := func(o *catalog.Object, privileges ...string) {
		o.Set("privileges", catalog.SetOf(append(o.List("privileges"), privileges...)...))
	}
	err := r.rows(ctx, grantsSQL, func(m row) error {
		o := grant(m["account"], m["kind"], m["thing"])
		if m["privilege"] != "USAGE" {
			add(o, m["privilege"])
		}
		o.SetIf("grant option", m["onward"] == "YES")
		return nil
	})
	if err != nil {
		return err
	}
	if err := r.rows(ctx, routineGrantsSQL, func(m row) error {
		o := grant(m["account"], m["kind"], strings.ToLower(m["thing"]))
		for _, p := range strings.Split(strings.ToUpper(m["privileges"]), ",") {
			if p == "GRANT" {
				o.SetIf("grant option", true)
			} else {
				add(o, p)
			}
		}
		return nil
	}); err != nil { // most accounts may not read them
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{Kind: kindGrant, Why: "the account may not read those of routines (mysql.procs_priv)", Group: "grants"})
	}
	return nil
}

// grantSQL leads from one set of privileges to another.
func grantSQL(o *catalog.Object, now, was *catalog.Object) []string {
	list := func(o *catalog.Object) []string {
		if o == nil {
			return nil
		}
		l := slices.Clone(o.List("privileges"))
		if o.Has("grant option") {
			l = append(l, "GRANT OPTION")
		}
		return l
	}
	a, b := list(now), list(was)
	missing := func(l, from []string) []string {
		return slices.DeleteFunc(slices.Clone(l), func(p string) bool { return slices.Contains(from, p) })
	}
	var out []string
	if gone := missing(b, a); len(gone) > 0 {
		out = append(out, fmt.Sprintf("REVOKE %s ON %s FROM %s;", strings.Join(gone, ", "), o.Text("on"), o.Text("account")))
	}
	if more := missing(a, b); len(more) > 0 {
		onward := ""
		if slices.Contains(more, "GRANT OPTION") {
			onward = " WITH GRANT OPTION"
			if more = slices.DeleteFunc(more, func(p string) bool { return p == "GRANT OPTION" }); len(more) == 0 {
				more = []string{"USAGE"}
			}
		}
		out = append(out, fmt.Sprintf("GRANT %s ON %s TO %s%s;", strings.Join(more, ", "), o.Text("on"), o.Text("account"), onward))
	}
	return out
}

func grantAction(c *order.Change) *order.Action {
	o := c.Object()
	a := &order.Action{About: o.Ref(), SQL: grantSQL(o, c.Source, c.Target)}
	switch {
	case c.Source == nil:
		a.Title, a.Removes = "revoke what "+o.Name+" is granted", []catalog.Ref{o.Ref()}
	default:
		a.Title, a.Makes = "grant "+o.Name, []catalog.Ref{o.Ref()}
		a.Risks = []order.Risk{{Kind: order.MayFail, On: o.Ref(), Text: "fails when the account " + o.Text("account") + " is not there"}}
	}
	return a
}
