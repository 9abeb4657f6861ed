package mysql

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/mysql/vocab"
)

// Verify implements engine.Verifier. The text of a routine, trigger, event or
// package holds semicolons; none of them may end it.
func (Engine) Verify(o *catalog.Object) error {
	return engine.VerifyEach(o, func(kind catalog.Kind, _ string, p *catalog.Property) error {
		text := p.Value.String()
		switch {
		case p.Name == "definition" && (kind == catalog.Routine || kind == catalog.Trigger || kind == vocab.Event || kind == vocab.Package || kind == vocab.PackageBody), p.Name == "body":
			return compound(text)
		case engine.AsSQL(p):
			return engine.Fragments(vocab.Dialect, p)
		}
		return nil
	})
}

// inExpression are the words behind which IF is a function or a condition, and
// begins no statement.
var inExpression = map[string]bool{"select": true, "return": true, "when": true, "and": true, "or": true, "not": true, "by": true, "having": true, "where": true, "on": true, "set": true, "values": true, "in": true, "like": true,
	"table": true, "view": true, "procedure": true, "function": true, "event": true, "trigger": true, "database": true, "schema": true, "sequence": true, "index": true, "case": true, "limit": true, "default": true, "temporary": true, "user": true, "distinct": true, "between": true, "package": true, "body": true, "column": true, "key": true, "end": true, "xor": true, "div": true, "mod": true, "is": true, "interval": true, "as": true, "if": true, "until": true, "while": true, "elseif": true, "constraint": true, "partition": true, "add": true, "drop": true}

// compound tells why a text with statements in it is not one statement: a
// semicolon outside every BEGIN, IF, CASE, LOOP, REPEAT and WHILE ends it
// (MariaDB: Programmatic and Compound Statements).
func compound(text string) error {
	toks := sqltext.Significant(vocab.Dialect, text)
	depth, brackets := 0, 0
	head := false // between WHILE or FOR and its DO, or its LOOP in Oracle's mode
	for i, t := range toks {
		var prev, next sqltext.Token
		if i > 0 {
			prev = toks[i-1]
		}
		if i+1 < len(toks) {
			next = toks[i+1]
		}
		ends := prev.Is("end")
		switch word := strings.ToLower(t.Text); {
		case t.Kind == sqltext.Bad:
			return fmt.Errorf("%w: a quote or comment in it does not end", sqltext.ErrNotClosed)
		case t.IsOp(`\`):
			return fmt.Errorf(`%w: its client would take what follows the \ in it for a command`, sqltext.ErrNotClosed)
		case t.IsOp("("):
			brackets++
		case t.IsOp(")"):
			brackets--
		case t.IsOp(";") && depth <= 0 && next.Text != "":
			return fmt.Errorf("%w: behind it stands %q", sqltext.ErrNotClosed, sqltext.CommentSafe(text[next.Pos:min(next.Pos+40, len(text))]))
		case t.Kind != sqltext.Word || ends:
		case word == "end":
			depth--
		case head && (word == "do" || word == "loop"):
			head = false
		case word == "while", word == "for" && i+2 < len(toks) && toks[i+2].Is("in"):
			depth++
			head = true
		case word == "begin", word == "case", word == "loop", word == "repeat" && !next.IsOp("("):
			depth++
		case word == "if" && !inExpression[strings.ToLower(prev.Text)] && (prev.Kind != sqltext.Op || prev.IsOp(";") || prev.IsOp(")") || prev.IsOp(":")):
			depth++
		case word == "package" && i == 0: // declarations stand in it
			depth = 1
		}
	}
	if depth > 0 || brackets != 0 {
		return fmt.Errorf("%w: a block or bracket in it does not end", sqltext.ErrNotClosed)
	}
	return nil
}
