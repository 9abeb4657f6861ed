package reader

import (
	"context"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/mysql/vocab"
)

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
			on, sql = strings.ToLower(kind)+" "+thing, kind+" "+vocab.Quote(thing)
		}
		o := &catalog.Object{Kind: vocab.Grant, Name: account + " on " + on, Group: "grants"}
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
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{Kind: vocab.Grant, Why: "the account may not read those of routines (mysql.procs_priv)", Group: "grants"})
	}
	return nil
}
