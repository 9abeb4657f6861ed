package ddl

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

// Constraint is a constraint as it stands behind ADD or in CREATE TABLE.
func Constraint(p *catalog.Object) string {
	def := p.Text("definition")
	if l := p.List("written options"); len(l) > 0 {
		with := " WITH (" + OptionList(l) + ")"
		if head, where, ok := strings.Cut(def, " WHERE ("); ok && p.Kind == vocab.Exclusion {
			def = head + with + " WHERE (" + where
		} else {
			def += with
		}
	}
	s := "CONSTRAINT " + vocab.Quote(p.Name) + " " + def
	if p.Has("tablespace") {
		s += " USING INDEX TABLESPACE " + vocab.Quote(p.Text("tablespace"))
	}
	if p.Has("deferrable") {
		s += " DEFERRABLE"
	}
	if p.Has("initially deferred") {
		s += " INITIALLY DEFERRED"
	}
	if p.Has("not enforced") {
		s += " NOT ENFORCED"
	}
	if p.Has("not valid") {
		s += " NOT VALID"
	}
	return s
}

func PartComment(o, p *catalog.Object) string {
	switch {
	case p.Kind == catalog.Index:
		return fmt.Sprintf("COMMENT ON INDEX %s.%s IS %s;", vocab.Quote(o.Schema), vocab.Quote(p.Name), CommentText(p))
	case IsConstraint(p.Kind) && o.Kind == vocab.Domain:
		return fmt.Sprintf("COMMENT ON CONSTRAINT %s ON DOMAIN %s IS %s;", vocab.Quote(p.Name), vocab.Qualified(o), CommentText(p))
	case IsConstraint(p.Kind):
		return fmt.Sprintf("COMMENT ON CONSTRAINT %s ON %s IS %s;", vocab.Quote(p.Name), vocab.Qualified(o), CommentText(p))
	}
	return fmt.Sprintf("COMMENT ON %s %s ON %s IS %s;", strings.ToUpper(p.Kind.Title()), vocab.Quote(p.Name), vocab.Qualified(o), CommentText(p))
}

func Enabled(o, p *catalog.Object, word string) []string {
	state := map[string]string{"": "", "disabled": "DISABLE", "replica": "ENABLE REPLICA", "always": "ENABLE ALWAYS"}[p.Text("enabled")]
	if state == "" {
		return nil
	}
	return []string{fmt.Sprintf("ALTER TABLE %s %s %s %s;", vocab.Qualified(o), state, word, vocab.Quote(p.Name))}
}

func Policy(o, p *catalog.Object) string {
	s := fmt.Sprintf("CREATE POLICY %s ON %s", vocab.Quote(p.Name), vocab.Qualified(o))
	if p.Has("restrictive") {
		s += " AS RESTRICTIVE"
	}
	s += " FOR " + strings.ToUpper(p.Text("command")) + " TO " + strings.Join(p.List("roles"), ", ")
	return s + PolicyBody(p) + ";"
}

func PolicyBody(p *catalog.Object) string {
	s := ""
	if e := p.Property("using"); e != nil {
		s += " USING (" + e.Value.String() + ")"
	}
	if e := p.Property("with check"); e != nil {
		s += " WITH CHECK (" + e.Value.String() + ")"
	}
	return s
}

// IsConstraint tells the kinds that are constraints of a table or domain.
func IsConstraint(k catalog.Kind) bool { return ConstraintSpace(k) == "constraint" }

func ConstraintSpace(k catalog.Kind) string {
	switch k {
	case catalog.PrimaryKey, catalog.Unique, catalog.Check, catalog.ForeignKey, vocab.Exclusion:
		return "constraint"
	}
	return string(k)
}

// PartExtras are the statements that follow a new part: its comment and flags.
func PartExtras(o, p *catalog.Object) []string {
	var out []string
	if p.Has("comment") {
		out = append(out, PartComment(o, p))
	}
	if p.Has("index comment") {
		out = append(out, fmt.Sprintf("COMMENT ON INDEX %s.%s IS %s;", vocab.Quote(o.Schema), vocab.Quote(p.Name), vocab.Literal(p.Text("index comment"))))
	}
	if p.Has("clustered") {
		out = append(out, fmt.Sprintf("ALTER %s %s CLUSTER ON %s;", Keyword(o), vocab.Qualified(o), vocab.Quote(p.Name)))
	}
	if p.Has("replica identity") {
		out = append(out, fmt.Sprintf("ALTER TABLE %s REPLICA IDENTITY USING INDEX %s;", vocab.Qualified(o), vocab.Quote(p.Name)))
	}
	return out
}

// Rename gives a constraint or an index another name.
func Rename(o, was, now *catalog.Object) string {
	if now.Kind == catalog.Index {
		return fmt.Sprintf("ALTER INDEX %s.%s RENAME TO %s;", vocab.Quote(o.Schema), vocab.Quote(was.Name), vocab.Quote(now.Name))
	}
	return fmt.Sprintf("%s RENAME CONSTRAINT %s TO %s;", AlterPrefix(o), vocab.Quote(was.Name), vocab.Quote(now.Name))
}

// DeferClause sets when a foreign key is checked.
func DeferClause(p *catalog.Object) string {
	s := "ALTER CONSTRAINT " + vocab.Quote(p.Name)
	switch {
	case p.Has("initially deferred"):
		return s + " DEFERRABLE INITIALLY DEFERRED"
	case p.Has("deferrable"):
		return s + " DEFERRABLE INITIALLY IMMEDIATE"
	}
	return s + " NOT DEFERRABLE"
}
