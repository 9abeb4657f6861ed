// Package steps holds what the steps of every kind of thing share: how they are
// titled, which names and locks they take, and the facts that every kind has:
// comment, owner and grants.
package steps

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/ddl"
	"dappermirror/internal/engine/postgres/vocab"
)

// Title names an object for people.
func Title(o *catalog.Object) string {
	name := o.Name
	if o.Schema != "" && o.Schema != "public" {
		name = o.Schema + "." + name
	}
	kind := o.Kind.Title()
	if o.Has("procedure") {
		kind = "procedure"
	}
	return kind + " " + name
}

func NamesOf(o *catalog.Object) []order.Name {
	if o.Space == "" {
		return nil
	}
	out := []order.Name{{Space: o.Space, Schema: o.Schema, Name: o.Name}}
	if o.Space == "routine" {
		// While two overloads stand side by side a call can be ambiguous.
		out = append(out, order.Name{Space: "overload", Schema: o.Schema, Name: vocab.BareName(o), Soft: true})
	}
	if o.Space == "relation" { // every relation has a row type
		out = append(out, order.Name{Space: "type", Schema: o.Schema, Name: o.Name})
	}
	return out
}

// PartNames are the names a part takes beside the table's.
func PartNames(o, p *catalog.Object) []order.Name {
	if p.Space == "" {
		return []order.Name{{Space: "part of " + o.Ref().String() + " " + ddl.ConstraintSpace(p.Kind), Name: p.Name}}
	}
	return []order.Name{{Space: "relation", Schema: o.Schema, Name: p.Name}, {Space: "part of " + o.Ref().String() + " " + ddl.ConstraintSpace(p.Kind), Name: p.Name}}
}

// Created is the action that makes an object.
func Created(o *catalog.Object, sql ...string) *order.Action {
	return LockFree(&order.Action{About: o.Ref(), Title: "create " + Title(o), SQL: sql, Makes: []catalog.Ref{o.Ref()}, Creates: true, Takes: NamesOf(o)})
}

// AlterByFacts changes what every kind can change: comment, owner, grants.
// It answers false when anything else differs.
func AlterByFacts(c *order.Change) ([]*order.Action, bool) {
	for _, p := range c.Properties {
		if !Outward[p.Name] {
			return nil, false
		}
	}
	return OutwardActions(c), true
}

// Outward are the facts that do not touch the thing itself.
var Outward = map[string]bool{"security labels": true, "comment": true, "owner": true, "grants": true, "column grants": true, "column comments": true, "index comment": true}

// OutwardActions set comment and the like on an object that stays.
func OutwardActions(c *order.Change) []*order.Action {
	o := c.Source
	var out []*order.Action
	add := func(what string, sql ...string) {
		out = append(out, ShareUpdateExclusive.Takes(&order.Action{About: o.Ref(), Title: "change the " + what + " of " + Title(o), SQL: sql, Makes: []catalog.Ref{o.Ref()}}))
	}
	if d := c.Property("comment"); d != nil {
		add("comment", fmt.Sprintf("COMMENT ON %s %s IS %s;", ddl.Keyword(o), ddl.Name(o), ddl.CommentText(o)))
	}
	if c.Property("security labels") != nil {
		add("security labels", ddl.Labels(ddl.Keyword(o)+" "+ddl.Name(o), o.List("security labels"), c.Target.List("security labels"))...)
	}
	if c.Property("column comments") != nil {
		add("column comments", ColumnComments(c)...)
	}
	return append(out, RightsActions(c)...)
}

// ColumnComments sets the comments on the columns of a view.
func ColumnComments(c *order.Change) []string {
	split := func(o *catalog.Object) map[string]string {
		m := map[string]string{}
		for _, t := range o.List("column comments") {
			col, text, _ := strings.Cut(t, ": ")
			m[col] = text
		}
		return m
	}
	now, was := split(c.Source), split(c.Target)
	var out []string
	for _, col := range SortedKeys(now) {
		if old, ok := was[col]; !ok || old != now[col] {
			out = append(out, fmt.Sprintf("COMMENT ON COLUMN %s.%s IS %s;", vocab.Qualified(c.Source), col, vocab.Literal(now[col])))
		}
	}
	for _, col := range SortedKeys(was) {
		if _, ok := now[col]; !ok && HasColumn(c.Source, col) {
			out = append(out, fmt.Sprintf("COMMENT ON COLUMN %s.%s IS NULL;", vocab.Qualified(c.Source), col))
		}
	}
	return out
}

func HasColumn(view *catalog.Object, quoted string) bool {
	starts := func(c string) bool { return strings.HasPrefix(c, quoted+" ") }
	return slices.ContainsFunc(view.List("columns"), starts) || slices.ContainsFunc(view.List("attributes"), starts)
}

func SortedKeys[V any](m map[string]V) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}
