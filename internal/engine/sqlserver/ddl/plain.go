// Package ddl spells SQL Server's things as they stand in its DDL; which statements a change
// takes is the writer's business.
package ddl

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/sqlserver/vocab"
)

var (
	quote     = vocab.Quote
	qualified = vocab.Qualified
	batch     = vocab.Batch
)

// keywords are the words by which DROP knows a kind.
var keywords = map[catalog.Kind]string{catalog.Schema: "SCHEMA", catalog.Table: "TABLE", catalog.View: "VIEW", catalog.Sequence: "SEQUENCE", vocab.AliasType: "TYPE", vocab.TableType: "TYPE", vocab.Synonym: "SYNONYM", vocab.Policy: "SECURITY POLICY", vocab.PartitionFunction: "PARTITION FUNCTION", vocab.PartitionScheme: "PARTITION SCHEME", catalog.Trigger: "TRIGGER"}

// Level is where sp_addextendedproperty finds a thing.
type Level []string

var levelWords = map[catalog.Kind]string{catalog.Table: "TABLE", catalog.View: "VIEW", catalog.Sequence: "SEQUENCE", vocab.Synonym: "SYNONYM", vocab.AliasType: "TYPE", vocab.TableType: "TYPE", vocab.Policy: "SECURITY POLICY"}

// Policy makes a security policy.
func Policy(o *catalog.Object) string {
	s := "CREATE SECURITY POLICY " + qualified(o)
	for i, p := range o.List("predicates") {
		if i > 0 {
			s += ","
		}
		s += "\n  ADD " + p
	}
	with := []string{"STATE = " + OnOff(!o.Has("disabled"))}
	if o.Has("not schema bound") {
		with = append(with, "SCHEMABINDING = OFF")
	}
	s += "\nWITH (" + strings.Join(with, ", ") + ")"
	if o.Has("not for replication") {
		s += " NOT FOR REPLICATION"
	}
	return s + ";"
}

// OnOff is ON or OFF.
func OnOff(on bool) string { return map[bool]string{true: "ON", false: "OFF"}[on] }

// TextCatalog is CREATE FULLTEXT CATALOG.
func TextCatalog(o *catalog.Object) string {
	s := "CREATE FULLTEXT CATALOG " + quote(o.Name) + " WITH ACCENT_SENSITIVITY = " + OnOff(!o.Has("accents do not count"))
	if o.Has("default") {
		s += " AS DEFAULT"
	}
	return s + ";"
}

// Clustered tells whether an index or a key is what its table lies in.
func Clustered(p *catalog.Object) bool {
	return p.Has("clustered") || strings.HasPrefix(p.Text("type"), "clustered")
}

// GroupOf is the filegroup of a thing, as SQL; the default one where nothing is said.
func GroupOf(o *catalog.Object) string {
	if g := o.Text(vocab.Filegroup); g != "" {
		return g
	}
	return vocab.DefaultGroup
}

// Batches are statements, each a batch of its own.
func Batches(list ...string) []string {
	out := make([]string, len(list))
	for i, s := range list {
		out[i] = batch(s)
	}
	return out
}

// Plain makes an object of a simple kind.
func Plain(o *catalog.Object, in *catalog.Catalog) string {
	switch o.Kind {
	case catalog.Schema:
		return "CREATE SCHEMA " + quote(o.Name) + ";"
	case vocab.AliasType:
		null := "NULL"
		if o.Has("not null") {
			null = "NOT NULL"
		}
		return fmt.Sprintf("CREATE TYPE %s FROM %s %s;", qualified(o), o.Text("type"), null)
	case vocab.TableType:
		s := fmt.Sprintf("CREATE TYPE %s AS TABLE (\n  %s\n)", qualified(o), strings.Join(Lines(o, true), ",\n  "))
		if o.Has(vocab.InMemory) {
			s += " WITH (MEMORY_OPTIMIZED = ON)"
		}
		return s + ";"
	case catalog.Sequence:
		return "CREATE SEQUENCE " + qualified(o) + " AS " + o.Text("type") + " " + SequenceOptions(o, nil) + ";"
	case vocab.Policy:
		return Policy(o)
	case vocab.PartitionFunction:
		return PartitionFunction(o)
	case vocab.PartitionScheme:
		return PartitionScheme(o, in)
	case vocab.Synonym:
		return "CREATE SYNONYM " + qualified(o) + " FOR " + o.Text("for") + ";"
	}
	return ""
}

// SequenceOptions writes the options that differ from those of was, or all.
func SequenceOptions(o, was *catalog.Object) string {
	var out []string
	for _, f := range [][2]string{{"start", "START WITH "}, {"increment", "INCREMENT BY "}, {"minimum", "MINVALUE "}, {"maximum", "MAXVALUE "}} {
		if v := o.Text(f[0]); v != "" && (was == nil || was.Text(f[0]) != v) {
			if was != nil && f[0] == "start" {
				continue
			}
			out = append(out, f[1]+v)
		}
	}
	if was == nil && o.Has("cycle") || was != nil && o.Has("cycle") != was.Has("cycle") {
		out = append(out, map[bool]string{true: "CYCLE", false: "NO CYCLE"}[o.Has("cycle")])
	}
	if c := o.Text("cache"); was == nil && c != "" || was != nil && was.Text("cache") != c {
		out = append(out, map[string]string{"": "CACHE", "none": "NO CACHE"}[c])
		if c != "" && c != "none" {
			out[len(out)-1] = "CACHE " + c
		}
	}
	return strings.Join(out, " ")
}

// Keyword is the word by which DROP knows an object.
func Keyword(o *catalog.Object) string {
	switch {
	case o.Kind != catalog.Routine:
		return keywords[o.Kind]
	case o.Text("type") == "procedure":
		return "PROCEDURE"
	}
	return "FUNCTION"
}

// LevelOf is the level of an object.
func LevelOf(o *catalog.Object) Level {
	if o.Kind == catalog.Schema {
		return Level{"SCHEMA", o.Name}
	}
	word := levelWords[o.Kind]
	if o.Kind == catalog.Routine {
		word = Keyword(o)
	}
	return Level{"SCHEMA", o.Schema, word, o.Name}
}

// Part is the level of a part of the object.
func (l Level) Part(p *catalog.Object) Level {
	word := map[catalog.Kind]string{catalog.Column: "COLUMN", catalog.Index: "INDEX", catalog.Trigger: "TRIGGER"}[p.Kind]
	if word == "" {
		word = "CONSTRAINT"
	}
	return append(slices.Clone(l), word, p.Name)
}

// Described tells whether a fact is an extended property.
func Described(fact string) bool {
	return fact == "comment" || strings.HasPrefix(fact, "property ")
}

// Comments are the statements that bring the extended properties of a thing from
// was, nil for none, to o.
func Comments(o, was *catalog.Object, at Level) []string {
	if at[len(at)-1] == "" {
		return nil // what has no name of its own cannot be described by it
	}
	facts := map[string]bool{}
	for _, x := range []*catalog.Object{o, was} {
		if x == nil {
			continue
		}
		for i := range x.Properties {
			if f := x.Properties[i].Name; Described(f) {
				facts[f] = true
			}
		}
	}
	var out []string
	for _, f := range slices.Sorted(maps.Keys(facts)) {
		name := "MS_Description"
		if n, ok := strings.CutPrefix(f, "property "); ok {
			name = n
		}
		now, before := o.Property(f), (*catalog.Property)(nil)
		if was != nil {
			before = was.Property(f)
		}
		args := vocab.String(name)
		proc := "sp_dropextendedproperty"
		switch {
		case now != nil && before == nil:
			proc, args = "sp_addextendedproperty", args+", "+vocab.String(now.Value.Text)
		case now != nil && before.Value.Text != now.Value.Text:
			proc, args = "sp_updateextendedproperty", args+", "+vocab.String(now.Value.Text)
		case now != nil:
			continue
		}
		for _, l := range at {
			args += ", " + vocab.String(l)
		}
		out = append(out, batch("EXEC "+proc+" "+args+";"))
	}
	return out
}
