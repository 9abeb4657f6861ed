package engine

import (
	"strings"

	"dappermirror/internal/core/sqltext"
)

// Class is what a statement is to whoever runs a script.
type Class uint8

// The classes.
const (
	Lasting Class = iota // it changes what stays
	Begins               // it begins the transaction
	Commits              // it ends it, keeping what was done
	Passing              // it changes nothing but the session
	Guards               // it changes nothing, and stops the script where the rows are not as they were
	Again                // it changes what stays, and may run twice: it looks what is left to do
)

// Stays tells whether what the statement does outlives the session.
func (c Class) Stays() bool { return c != Passing && c != Guards }

// Classify says what a statement is, by the first words that the engine lists
// for its scripts: a script is a text that its owner may have changed, so it is
// the text that is asked.
func Classify(e Engine, statement string) Class {
	var words []string
	for _, t := range sqltext.Lex(e.Dialect(), statement) {
		if !t.Blank() {
			if words = append(words, strings.ToLower(t.Text)); len(words) == 2 {
				break
			}
		}
	}
	classes := e.Classes()
	if c, ok := classes[strings.Join(words, " ")]; ok || len(words) == 0 {
		return c
	}
	return classes[words[0]]
}
