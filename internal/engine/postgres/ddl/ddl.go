// Package ddl spells PostgreSQL's things as they stand in its DDL; which statements
// a change takes is the writer's business.
package ddl

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

// words are those of the kinds in DROP, COMMENT ON and ALTER … OWNER.
var words = func() map[catalog.Kind]string {
	m := map[catalog.Kind]string{
		catalog.Schema:      "SCHEMA",
		catalog.Enum:        "TYPE",
		vocab.Domain:        "DOMAIN",
		vocab.Composite:     "TYPE",
		vocab.Range:         "TYPE",
		catalog.Sequence:    "SEQUENCE",
		catalog.Table:       "TABLE",
		catalog.View:        "VIEW",
		vocab.MatView:       "MATERIALIZED VIEW",
		catalog.Routine:     "FUNCTION",
		vocab.Publication:   "PUBLICATION",
		vocab.ForeignTable:  "FOREIGN TABLE",
		vocab.Wrapper:       "FOREIGN DATA WRAPPER",
		vocab.ForeignServer: "SERVER",
		vocab.UserMapping:   "USER MAPPING",
		vocab.Subscription:  "SUBSCRIPTION",
		vocab.BaseType:      "TYPE",
		vocab.DefaultRights: "",
		vocab.Extension:     "EXTENSION",
	}
	for _, k := range vocab.SimpleKinds {
		if m[k.Kind] == "" {
			m[k.Kind] = k.Word
		}
	}
	return m
}()

// OptionList writes storage parameters, "name=value" as the catalog has them.
func OptionList(l []string) string {
	out := make([]string, len(l))
	for i, o := range l {
		name, value, _ := strings.Cut(o, "=")
		if value != "" && strings.Trim(value, "0123456789.abcdefghijklmnopqrstuvwxyz_") == "" && !vocab.Keywords[value] {
			out[i] = name + "=" + value
		} else {
			out[i] = name + "=" + vocab.Literal(value)
		}
	}
	return strings.Join(out, ", ")
}

func AlterPrefix(o *catalog.Object) string {
	word := "TABLE"
	if o.Kind == vocab.Domain {
		word = "DOMAIN"
	}
	return "ALTER " + word + " " + vocab.Qualified(o)
}

func CommentText(o *catalog.Object) string {
	if p := o.Property("comment"); p != nil {
		return vocab.Literal(p.Value.Text)
	}
	return "NULL"
}

// Keyword is the word for the kind in DROP, COMMENT ON, ALTER … OWNER.
func Keyword(o *catalog.Object) string {
	if o.Has("procedure") {
		return "PROCEDURE"
	}
	return words[o.Kind]
}

// Name is how statements name the object.
func Name(o *catalog.Object) string {
	if n := o.Text("sql name"); n != "" {
		return n
	}
	switch o.Kind {
	case catalog.Schema, vocab.Publication, vocab.Wrapper, vocab.ForeignServer, vocab.Subscription:
		return vocab.Quote(o.Name)
	case catalog.Routine:
		return vocab.Qualified(o) + "(" + o.Text("arguments") + ")"
	}
	return vocab.Qualified(o)
}

// GenericOptions writes `OPTIONS (name 'value')` with a space before it, or
// nothing.
func GenericOptions(list []string) string {
	var out []string
	for _, o := range list {
		name, value, _ := strings.Cut(o, "=")
		out = append(out, vocab.Quote(name)+" "+vocab.Literal(value))
	}
	if len(out) == 0 {
		return ""
	}
	return " OPTIONS (" + strings.Join(out, ", ") + ")"
}

func Enum(o *catalog.Object) string {
	labels := make([]string, 0)
	for _, l := range o.List("values") {
		labels = append(labels, vocab.Literal(l))
	}
	return fmt.Sprintf("CREATE TYPE %s AS ENUM (%s);", vocab.Qualified(o), strings.Join(labels, ", "))
}

func Domain(o *catalog.Object) string {
	s := "CREATE DOMAIN " + vocab.Qualified(o) + " AS " + o.Text("type")
	if n := o.Text("collation"); n != "" {
		s += " COLLATE " + n
	}
	if o.Has("default") {
		s += " DEFAULT " + o.Text("default")
	}
	if o.Has("not null") {
		s += " NOT NULL"
	}
	for _, p := range o.PartsOf(catalog.Check) {
		s += "\n  " + Constraint(p)
	}
	return s + ";"
}

func View(o *catalog.Object, replace bool) string {
	s := "CREATE "
	if replace {
		s += "OR REPLACE "
	}
	s += strings.ToUpper(o.Kind.Title()) + " " + vocab.Qualified(o)
	if m := o.Text("access method"); m != "" {
		s += " USING " + vocab.Quote(m)
	}
	if l := o.List("written options"); len(l) > 0 {
		s += " WITH (" + OptionList(l) + ")"
	}
	if t := o.Text("tablespace"); t != "" {
		s += " TABLESPACE " + vocab.Quote(t)
	}
	s += " AS\n" + o.Text("definition")
	if o.Has("not populated") {
		s += "\nWITH NO DATA"
	}
	return s + ";"
}

// Labels writes the security labels that change; each is "provider label".
func Labels(on string, now, was []string) []string {
	var out []string
	has := map[string]bool{}
	for _, l := range now {
		provider, text := vocab.SplitName(l)
		has[provider] = true
		if !slices.Contains(was, l) {
			out = append(out, fmt.Sprintf("SECURITY LABEL FOR %s ON %s IS %s;", provider, on, vocab.Literal(text)))
		}
	}
	for _, l := range was {
		if provider, _ := vocab.SplitName(l); !has[provider] {
			out = append(out, fmt.Sprintf("SECURITY LABEL FOR %s ON %s IS NULL;", provider, on))
		}
	}
	return out
}

// Extras gives a new object its comments.
func Extras(o *catalog.Object) []string {
	var out []string
	if t := o.Property("comment"); t != nil {
		out = append(out, fmt.Sprintf("COMMENT ON %s %s IS %s;", Keyword(o), Name(o), vocab.Literal(t.Value.Text)))
	}
	if l := o.List("security labels"); len(l) > 0 {
		out = append(out, Labels(Keyword(o)+" "+Name(o), l, nil)...)
	}
	for _, p := range o.PartsOf(catalog.Column) {
		out = append(out, Labels("COLUMN "+vocab.Qualified(o)+"."+vocab.Quote(p.Name), p.List("security labels"), nil)...)
	}
	for _, c := range o.List("column comments") {
		col, text, _ := strings.Cut(c, ": ")
		out = append(out, fmt.Sprintf("COMMENT ON COLUMN %s.%s IS %s;", vocab.Qualified(o), col, vocab.Literal(text)))
	}
	for _, p := range o.PartsOf(catalog.Column) {
		if t := p.Property("comment"); t != nil {
			out = append(out, fmt.Sprintf("COMMENT ON COLUMN %s.%s IS %s;", vocab.Qualified(o), vocab.Quote(p.Name), vocab.Literal(t.Value.Text)))
		}
	}
	return out
}

// OptionClauses sets and resets what differs between two lists of parameters,
// and leaves them in the order of the first: what is set comes last there.
func OptionClauses(now, was []string) []string {
	var set, reset, kept []string
	have := map[string]bool{}
	for _, o := range now {
		name, _, _ := strings.Cut(o, "=")
		have[name] = true
	}
	for _, o := range was {
		if name, _, _ := strings.Cut(o, "="); !have[name] {
			reset = append(reset, name)
		} else if slices.Contains(now, o) {
			kept = append(kept, o)
		}
	}
	n := 0
	for n < len(kept) && kept[n] == now[n] {
		n++
	}
	for _, o := range kept[n:] {
		name, _, _ := strings.Cut(o, "=")
		reset = append(reset, name)
	}
	for _, o := range now {
		if !slices.Contains(kept[:n], o) {
			set = append(set, o)
		}
	}
	var out []string
	if len(reset) > 0 {
		out = append(out, "RESET ("+strings.Join(reset, ", ")+")")
	}
	if len(set) > 0 {
		out = append(out, "SET ("+OptionList(set)+")")
	}
	return out
}

// ChangedGeneric writes what leads from one list of options to another.
func ChangedGeneric(now, was []string) string {
	names := func(l []string) map[string]string {
		m := map[string]string{}
		for _, o := range l {
			n, v, _ := strings.Cut(o, "=")
			m[n] = v
		}
		return m
	}
	a, b := names(now), names(was)
	var out []string
	for _, n := range slices.Sorted(maps.Keys(a)) {
		if old, ok := b[n]; !ok {
			out = append(out, "ADD "+vocab.Quote(n)+" "+vocab.Literal(a[n]))
		} else if old != a[n] {
			out = append(out, "SET "+vocab.Quote(n)+" "+vocab.Literal(a[n]))
		}
	}
	for _, n := range slices.Sorted(maps.Keys(b)) {
		if _, ok := a[n]; !ok {
			out = append(out, "DROP "+vocab.Quote(n))
		}
	}
	return "OPTIONS (" + strings.Join(out, ", ") + ")"
}
