package postgres

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/postgres/vocab"
)

// Verify implements engine.Verifier. A definition that makes its object may
// take several statements: all of them make or change a thing of one kind.
func (Engine) Verify(o *catalog.Object) error {
	return engine.VerifyEach(o, func(_ catalog.Kind, _ string, p *catalog.Property) error {
		if !engine.AsSQL(p) {
			return nil
		}
		if p.Name != "definition" {
			return engine.Fragments(vocab.Dialect, p)
		}
		text := p.Value.String()
		made := ""
		for i, st := range sqltext.Split(vocab.Dialect, text) {
			verb, what := verbOf(st.Text)
			switch {
			case i == 0 && verb != "create":
				return sqltext.Fragment(vocab.Dialect, text)
			case i == 0:
				made = what
			case verb != "alter" && verb != "create" && verb != "comment" || what != made:
				return fmt.Errorf("%w: behind it stands %q", sqltext.ErrNotClosed, sqltext.CommentSafe(st.Text[:min(40, len(st.Text))]))
			}
			if err := sqltext.Closed(vocab.Dialect, strings.TrimSuffix(st.Text, ";")+"\n;"); err != nil {
				return err
			}
		}
		return nil
	})
}

// fillers stand between CREATE and the word for what is made.
var fillers = []string{"or", "replace", "constraint", "unique", "trusted", "procedural", "default", "on", "temp", "temporary", "unlogged", "recursive"}

// verbOf is the first word of a statement and the word for what it is about.
func verbOf(sql string) (verb, what string) {
	for _, t := range sqltext.Significant(vocab.Dialect, sql) {
		w := strings.ToLower(t.Text)
		switch {
		case verb == "":
			verb = w
		case !slices.Contains(fillers, w):
			return verb, w
		}
	}
	return verb, ""
}
