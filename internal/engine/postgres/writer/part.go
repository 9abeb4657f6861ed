package writer

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/postgres/steps"
)

// createPart makes a constraint, index, trigger, policy or rule.
func (w *Writer) createPart(o, p *catalog.Object) *order.Action {
	ref := o.PartRef(p)
	a := &order.Action{About: ref, Title: fmt.Sprintf("create %s %s on %s", p.Kind.Title(), p.Name, o.Name), Makes: []catalog.Ref{ref}, Takes: steps.PartNames(o, p)}
	switch {
	case isConstraint(p.Kind):
		a.Title = fmt.Sprintf("add %s %s to %s", p.Kind.Title(), p.Name, o.Name)
		a.Prefix, a.Clauses = alterPrefix(o), []string{"ADD " + constraintSQL(p)}
		a.Risks = constraintRisks(o, p, ref)
		if p.Kind == catalog.ForeignKey {
			steps.AlsoLocks(steps.ShareRowExclusive.Takes(a), steps.ShareRowExclusive, p)
		}
	case p.Kind == catalog.Index:
		if !p.Has("replica identity") {
			steps.Share.Takes(a)
		}
		unique := ""
		if p.Has("unique") {
			unique = "UNIQUE "
			a.Risks = append(a.Risks, order.Risk{Kind: order.MayFail, On: ref, Text: "fails when two rows have the same key"})
		}
		def := p.Text("definition")
		if p.Has("tablespace") {
			head, where, found := strings.Cut(def, " WHERE ")
			def = head + " TABLESPACE " + quote(p.Text("tablespace"))
			if found {
				def += " WHERE " + where
			}
		}
		a.SQL = []string{fmt.Sprintf("CREATE %sINDEX %s ON %s %s;", unique, quote(p.Name), qualified(o), def)}
		a.Risks = append(a.Risks, order.Risk{Kind: order.Lock, On: ref, Text: "writes to " + o.Name + " wait while the index is built"})
	case p.Kind == catalog.Trigger && p.Has("clone"):
		steps.ShareRowExclusive.Takes(a)
		a.Title = fmt.Sprintf("set the state of trigger %s on partition %s", p.Name, o.Name)
		a.SQL = stateSQL(o, p)
		for _, parent := range o.Needs { // the parent's makes it
			a.After = append(a.After, catalog.Ref{Kind: parent.On.Kind, Schema: parent.On.Schema, Name: parent.On.Name, PartKind: p.Kind, Part: p.Key()})
		}
		return a
	case p.Kind == catalog.Trigger:
		steps.ShareRowExclusive.Takes(a)
		a.SQL = []string{p.Text("definition") + ";"}
		a.SQL = append(a.SQL, enabled(o, p, "TRIGGER")...)
	case p.Kind == kindRule:
		a.SQL = []string{p.Text("definition") + ";"}
		a.SQL = append(a.SQL, enabled(o, p, "RULE")...)
	case p.Kind == kindPolicy:
		a.SQL = []string{policySQL(o, p)}
	}
	a.SQL = append(a.SQL, partExtras(o, p)...)
	a.SQL = append(a.SQL, indexStatistics(o, p, nil)...)
	return a
}

func constraintRisks(o, p *catalog.Object, ref catalog.Ref) []order.Risk {
	if p.Has("not valid") || o.Kind == kindDomain {
		return nil
	}
	risk := func(k order.RiskKind, text string) order.Risk { return order.Risk{Kind: k, On: ref, Text: text} }
	switch p.Kind {
	case catalog.ForeignKey:
		return []order.Risk{risk(order.MayFail, "fails when a row refers to a row that is not there"), risk(order.Lock, "writes to both tables wait while the rows are checked")}
	case catalog.Check:
		return []order.Risk{risk(order.MayFail, "fails when a row breaks the check"), risk(order.Lock, "everything on "+o.Name+" waits while the rows are checked")}
	}
	return []order.Risk{risk(order.MayFail, "fails when two rows conflict"), risk(order.Lock, "everything on "+o.Name+" waits while the index is built")}
}

// stateSQL sets when a trigger or rule fires, also where that is the usual.
func stateSQL(o, p *catalog.Object) []string {
	word := strings.ToUpper(p.Kind.Title())
	if sql := enabled(o, p, word); sql != nil {
		return sql
	}
	return []string{fmt.Sprintf("ALTER TABLE %s ENABLE %s %s;", qualified(o), word, quote(p.Name))}
}

func stateLock(p *catalog.Object) steps.LockMode {
	if p.Kind == catalog.Trigger {
		return steps.ShareRowExclusive
	}
	return steps.AccessExclusive
}

// dropPart removes a part.
func (w *Writer) dropPart(o, p *catalog.Object) *order.Action {
	ref := o.PartRef(p)
	if p.Has("clone") {
		return nil // it goes with the parent's
	}
	a := &order.Action{About: ref, Title: fmt.Sprintf("drop %s %s of %s", p.Kind.Title(), p.Name, o.Name), Removes: []catalog.Ref{ref}, Frees: steps.PartNames(o, p)}
	switch {
	case isConstraint(p.Kind):
		a.Prefix, a.Clauses = alterPrefix(o), []string{"DROP CONSTRAINT " + quote(p.Name)}
		if p.Kind == catalog.ForeignKey {
			steps.AlsoLocks(steps.AccessExclusive.Takes(a), steps.AccessExclusive, p)
		}
	case p.Kind == catalog.Index:
		a.SQL = []string{fmt.Sprintf("DROP INDEX %s.%s;", quote(o.Schema), quote(p.Name))}
	default:
		a.SQL = []string{fmt.Sprintf("DROP %s %s ON %s;", strings.ToUpper(p.Kind.Title()), quote(p.Name), qualified(o))}
	}
	return a
}

// indexStatistics sets the statistics targets of an index's expressions,
// "column target" each, those it had back to the usual.
func indexStatistics(o, p, was *catalog.Object) []string {
	var out []string
	set := func(column, target string) {
		out = append(out, fmt.Sprintf("ALTER INDEX %s.%s ALTER COLUMN %s SET STATISTICS %s;", quote(o.Schema), quote(p.Name), column, target))
	}
	if was != nil {
		for _, t := range was.List("statistics targets") {
			if column, _, _ := strings.Cut(t, " "); !slices.ContainsFunc(p.List("statistics targets"), func(n string) bool { return strings.HasPrefix(n, column+" ") }) {
				set(column, "-1")
			}
		}
	}
	for _, t := range p.List("statistics targets") {
		column, target, _ := strings.Cut(t, " ")
		set(column, target)
	}
	return out
}

// alterPart changes a part in place where PostgreSQL can.
func (w *Writer) alterPart(c *order.Change, it *compare.Item) ([]*order.Action, bool) {
	o, p, was := c.Source, it.Source, it.Target
	ref := o.PartRef(p)
	var out []*order.Action
	ruled := false
	add := func(what string, sql ...string) *order.Action {
		a := &order.Action{About: ref, Title: fmt.Sprintf("%s of %s %s on %s", what, p.Kind.Title(), p.Name, o.Name), SQL: sql, Makes: []catalog.Ref{ref}}
		out = append(out, a)
		return a
	}
	for _, d := range it.Properties {
		switch d.Name {
		case "name":
			a := add("change the name", renameSQL(o, was, p))
			if p.Kind == catalog.Index {
				steps.ShareUpdateExclusive.Takes(a)
			}
			// Nothing is removed: who needs it follows the name.
			a.Frees, a.Takes = steps.PartNames(c.Target, was), steps.PartNames(o, p)
		case "comment":
			steps.ShareUpdateExclusive.Takes(add("change the comment", partComment(o, p)))
		case "index comment":
			text := "NULL"
			if p.Has("index comment") {
				text = literal(p.Text("index comment"))
			}
			steps.ShareUpdateExclusive.Takes(add("change the comment", fmt.Sprintf("COMMENT ON INDEX %s.%s IS %s;", quote(o.Schema), quote(p.Name), text)))
		case "clustered":
			title, clause := "no default cluster", "SET WITHOUT CLUSTER"
			if d.Source != nil {
				title, clause = "cluster by default", "CLUSTER ON "+quote(p.Name)
			}
			steps.ShareUpdateExclusive.Takes(add(title, fmt.Sprintf("ALTER %s %s %s;", keyword(o), qualified(o), clause)))
		case "replica identity":
			if d.Source != nil {
				add("replica identity", fmt.Sprintf("ALTER TABLE %s REPLICA IDENTITY USING INDEX %s;", qualified(o), quote(p.Name)))
			} else if !o.Has("replica identity") {
				add("replica identity", fmt.Sprintf("ALTER TABLE %s REPLICA IDENTITY DEFAULT;", qualified(o)))
			}
		case "tablespace":
			add("move", fmt.Sprintf("ALTER INDEX %s.%s SET TABLESPACE %s;", quote(o.Schema), quote(p.Name), quote(cmp.Or(p.Text("tablespace"), "pg_default"))))
		case "statistics targets":
			steps.ShareUpdateExclusive.Takes(add("change the statistics targets", indexStatistics(o, p, was)...))
		case "enabled":
			stateLock(p).Takes(add("change the state", append(stateSQL(o, p), w.statesBelow(c, p)...)...))
		case "not valid":
			if d.Source != nil {
				return nil, false
			}
			a := steps.ShareUpdateExclusive.Takes(add("validate"))
			a.Title = fmt.Sprintf("validate %s %s of %s", p.Kind.Title(), p.Name, o.Name)
			a.Prefix, a.Clauses = alterPrefix(o), []string{"VALIDATE CONSTRAINT " + quote(p.Name)}
			a.Risks = []order.Risk{{Kind: order.MayFail, On: ref, Text: "fails when a row breaks the constraint"}}
			w.askRows(c, p, a)
		case "deferrable", "initially deferred":
			if p.Kind != catalog.ForeignKey {
				return nil, false
			}
			if d.Name == "initially deferred" && it.Property("deferrable") != nil {
				continue
			}
			a := add("change when it is checked")
			a.Prefix, a.Clauses = alterPrefix(o), []string{deferClause(p)}
		case "using", "with check", "roles":
			if p.Kind != kindPolicy || it.Property("command") != nil || it.Property("restrictive") != nil || d.Name != "roles" && d.Source == nil {
				return nil, false // an expression cannot be taken away in place
			}
			if ruled {
				continue // one statement says all of it
			}
			ruled = true
			add("change the rule", fmt.Sprintf("ALTER POLICY %s ON %s TO %s%s;", quote(p.Name), qualified(o), strings.Join(p.List("roles"), ", "), policyBody(p)))
		default:
			return nil, false
		}
	}
	return out, true
}
