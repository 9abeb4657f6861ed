package sqlite

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/sqlite/vocab"
	"dappermirror/internal/engine/texts"
)

// Grammar implements texts.Speaker. What cannot stand in a text the reader
// refuses.
func (Engine) Grammar() texts.Grammar {
	return texts.Grammar{
		Dialect: vocab.Dialect,
		IsRows:  func(word string) bool { return slices.Contains(rowWords, word) },
		Read:    func(sql string, _ sqltext.Dialect) texts.Reading { return statement(sql) },
		Client:  func(string) texts.Reading { return texts.Reading{} },
	}
}

var rowWords = strings.Fields("insert replace update delete select values with")

// statement says what a statement of a text makes or changes.
func statement(sql string) texts.Reading {
	c := sqltext.NewCursor(vocab.Dialect, sql)
	word := strings.ToLower(c.Next().Text)
	if word == "pragma" && (c.Peek().Is(strings.ReplaceAll(vocab.UserVersion, " ", "_")) || c.Peek().Is(strings.ReplaceAll(vocab.AppID, " ", "_"))) {
		return texts.Reading{Action: texts.Main, Makes: &texts.Made{Kinds: []catalog.Kind{vocab.Database}, Name: "main"}}
	}
	if word != "create" && word != "alter" && word != "drop" {
		return texts.Reading{}
	}
	if c.Take("temp") || c.Take("temporary") {
		return texts.Reading{}
	}
	_ = c.Take("unique")
	virtual := c.Take("virtual")
	kind := strings.ToLower(c.Next().Text)
	_ = c.Take("if", "not", "exists") || c.Take("if", "exists")
	same := func(s string) string { return s }
	_, name := texts.Named(c, same)
	m := &texts.Made{Name: name}
	switch kind {
	case "table":
		m.Kinds = []catalog.Kind{catalog.Table, catalog.VirtualTable}
		if virtual {
			m.Kinds = m.Kinds[1:]
		}
	case "view":
		m.Kinds = []catalog.Kind{catalog.View}
	case "index", "trigger":
		for !c.End() && !c.Peek().Is("on") {
			c.Next()
		}
		c.Next()
		m.Part, m.PartKinds = name, []catalog.Kind{catalog.Kind(kind)}
		_, m.Name = texts.Named(c, same)
	default:
		return texts.Reading{}
	}
	if word == "create" {
		return texts.Reading{Action: texts.Main, Makes: m}
	}
	return texts.Reading{Action: texts.Main, Alters: m, Removes: word == "drop"}
}
