package reader

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/sqlserver/vocab"
)

// role reads a role and one who is in it. Users are no part of a structure: they belong to
// logins of a server.
func (r *reader) role(m Row) error {
	id, fixed := m.num("principal_id"), m.is("is_fixed_role")
	member := m.text("member")
	if member == "dbo" {
		member = "" // of db_owner, always
	}
	if fixed && member == "" {
		return nil
	}
	o := r.roles[id]
	if o == nil {
		o = &catalog.Object{Kind: vocab.Role, Name: m.text("name"), Space: "principal", Group: vocab.Grants}
		if fixed {
			o.Carry("fixed", catalog.Scalar("yes"))
		} else if w := m.text("owner"); w != "" && w != "dbo" {
			o.Optional("owner", vocab.Owners, catalog.Scalar(r.fold(w)))
		}
		o.Set("members", catalog.SetOf())
		r.roles[id] = r.add(0, o)
	}
	if member != "" {
		o.Set("members", catalog.SetOf(append(slices.Clone(o.List("members")), r.fold(member))...))
	}
	return nil
}

// owner reads whose something is, where it is not its schema's owner's.
func (r *reader) owner(m Row) error {
	var o *catalog.Object
	switch id := m.num("id"); m.num("class") {
	case 1:
		o = r.objects[id]
	case 3:
		if m.text("owner") == "dbo" {
			return nil
		}
		o = r.schemas[id]
	case 6:
		o = r.types[id]
	}
	if o != nil {
		o.Optional("owner", vocab.Owners, catalog.Scalar(r.fold(m.text("owner"))))
	}
	return nil
}

// right reads one right, as a statement without what it is on.
func (r *reader) right(m Row) error {
	major, minor, state := m.num("major_id"), m.num("minor_id"), strings.TrimSpace(m.text("state"))
	var o *catalog.Object
	columns := "" // or another thing that it is on
	switch m.num("class") {
	case 0:
		if m.text("permission_name") == "CONNECT" && state == "G" {
			return nil // every user has it
		}
		o = r.onDatabase(m)
	case 1:
		o = r.objects[major]
		if minor > 0 && o != nil {
			p, _ := r.known(major, minor)
			if p == nil {
				return nil
			}
			if columns = " (" + vocab.Quote(r.fold(p.Name)) + ")"; o.Kind == catalog.Table {
				o = p
			}
		}
	case 3:
		if o = r.schemas[major]; o == nil && major == 1 { // which every database has
			o, columns = r.onDatabase(m), " ON SCHEMA::[dbo]"
		}
	case 4:
		if o = r.roles[major]; o == nil {
			r.gap("rights on users are not compared")
			return nil
		}
	case 6:
		o = r.types[major]
	default:
		r.gap(fmt.Sprintf("rights on things of the class %s are not compared", strings.ToLower(strings.ReplaceAll(m.text("class_desc"), "_", " "))))
		return nil
	}
	if o == nil {
		return nil
	}
	verb, end := "GRANT ", ""
	switch state {
	case "W":
		end = " WITH GRANT OPTION"
	case "D":
		verb = "DENY "
	case "R":
		return nil
	}
	text := verb + m.text("permission_name") + columns + " TO " + vocab.Quote(r.fold(m.text("grantee"))) + end
	o.Optional("grants", vocab.Grants, catalog.SetOf(append(slices.Clone(o.List("grants")), text)...))
	return nil
}

// onDatabase is what somebody may do with the database itself.
func (r *reader) onDatabase(m Row) *catalog.Object {
	who := m.text("grantee")
	if o := r.c.Find(catalog.Ref{Kind: vocab.Grant, Name: r.fold(who)}); o != nil {
		return o
	}
	return r.add(0, &catalog.Object{Kind: vocab.Grant, Name: who, Space: "grant", Group: vocab.Grants})
}

// gap says once that something is not seen.
func (r *reader) gap(why string) {
	if !slices.ContainsFunc(r.c.Gaps, func(g catalog.Gap) bool { return g.Why == why }) {
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{Why: why, Group: vocab.Grants})
	}
}
