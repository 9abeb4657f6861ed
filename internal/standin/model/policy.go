package model

import (
	"slices"
	"strings"

	"dappermirror/internal/standin/tsql"
)

// policy says who sees which rows, and who may write which.
type policy struct {
	enabled, bound, notRepl bool
	next                    int
	predicates              []predicate
}

type predicate struct {
	id        int
	table     int64
	block     bool
	call      *tsql.Call
	operation string
}

func (x *session) securityPolicy(b *tsql.SecurityPolicy) {
	var o *object
	if b.Alter {
		if o = x.d.find(b.Name, "SP"); o == nil {
			panic(fail(33284, "Cannot find the security policy '%s', because it does not exist or you do not have permission.", tsql.Path(b.Name)))
		}
		x.alter(o)
	} else {
		s, name := x.home(b.Name)
		o = x.add(&object{schema: s, name: name, typ: "SP", policy: &policy{bound: !b.Unbound, enabled: true, notRepl: b.NotRepl}})
	}
	p := o.policy
	for _, c := range b.Changes {
		x.predicate(p, c)
	}
	if b.State != "" {
		p.enabled = b.State == "ON"
	}
}

// predicate adds, changes or drops a predicate of a policy.
func (x *session) predicate(p *policy, c tsql.Predicate) {
	t := x.d.find(c.On, "U", "V")
	if t == nil {
		panic(fail(33268, "Cannot find the object \"%s\" because it does not exist or you do not have permissions.", tsql.Path(c.On)))
	}
	x.lock(lockKey{d: x.d, id: t.id}, lockSchM, true)
	at := slices.IndexFunc(p.predicates, func(o predicate) bool {
		return o.table == t.id && o.block == c.Block && o.operation == c.Operation
	})
	kind := map[bool]string{true: "BLOCK", false: "FILTER"}[c.Block]
	if c.Verb == "DROP" {
		if at < 0 {
			panic(fail(33263, "Security predicates do not exist on table '%s' in the security policy.", t.full()))
		}
		p.predicates = slices.Delete(slices.Clone(p.predicates), at, at+1)
		return
	}
	f := x.d.find(c.Call.Name, "IF")
	switch {
	case x.d.find(c.Call.Name) == nil:
		panic(fail(208, "Invalid object name '%s'.", strings.Join(c.Call.Name, ".")))
	case f == nil:
		panic(fail(33261, "The security predicate cannot reference '%s': it is no inline table-valued function.", tsql.Path(c.Call.Name)))
	case len(c.Call.Name) < 2:
		panic(fail(33262, "Names must be in two-part format and an object cannot reference itself: '%s'.", tsql.Path(c.Call.Name)))
	case p.bound && !f.module.ast.Bound:
		panic(fail(4513, "Cannot schema bind security policy. '%s' is not schema bound.", f.full()))
	case len(c.Call.Args) != len(f.module.ast.Params):
		panic(fail(313, "An insufficient number of arguments were supplied for the procedure or function %s.", f.full()))
	}
	for _, a := range c.Call.Args {
		x.used(t, a)
	}
	for _, o := range x.d.list("SP") {
		for _, q := range o.policy.predicates {
			if q.table == t.id && q.block == c.Block && q.operation == c.Operation && (c.Verb == "ADD" || o.policy != p) && (!c.Block || o.policy == p) {
				panic(fail(33264, "The security policy cannot be changed: table '%s' has a %s predicate already.", t.full(), kind))
			}
		}
	}
	if c.Verb == "ALTER" {
		if at < 0 {
			panic(fail(33263, "Security predicates do not exist on table '%s' in the security policy.", t.full()))
		}
		p.predicates = slices.Clone(p.predicates)
		p.predicates[at].call = c.Call
		return
	}
	p.next++
	p.predicates = append(slices.Clone(p.predicates), predicate{p.next, t.id, c.Block, c.Call, c.Operation})
}

// policiesOn are the predicates that stand on a table or a function.
func (x *session) policiesOn(o *object) []*object {
	var out []*object
	for _, s := range x.d.list("SP") {
		if slices.ContainsFunc(s.policy.predicates, func(p predicate) bool { return p.table == o.id || s.policy.bound && x.d.find(p.call.Name) == o }) {
			out = append(out, s)
		}
	}
	return out
}

// predicateColumns are the columns of a table that a predicate looks at.
func (x *session) predicateColumns(p predicate, t *object) []*column {
	var out []*column
	for _, a := range p.call.Args {
		out = append(out, x.used(t, a)...)
	}
	return out
}

// seen are the rows of a table that the policies let through, by their places; nil for all.
func (x *session) seen(t *object) map[int]bool {
	if x.drily {
		return nil
	}
	var out map[int]bool
	for _, s := range x.d.list("SP") {
		for _, p := range s.policy.predicates {
			if !s.policy.enabled || p.block || p.table != t.id {
				continue
			}
			out = map[int]bool{}
			for i, r := range t.rows {
				out[i] = x.passes(t, p, r)
			}
		}
	}
	return out
}

func (x *session) passes(t *object, p predicate, row []any) bool {
	e := &env{scope: newScope(tableRelation(t, nil).cols), row: row}
	return len(x.tableFunction(&tsql.From{Call: p.call}, e).rows) > 0
}

// blocked refuses rows that a policy does not let be written.
func (x *session) blocked(t *object, rows [][]any, operation string) {
	for _, s := range x.d.list("SP") {
		for _, p := range s.policy.predicates {
			if !s.policy.enabled || !p.block || p.table != t.id || p.operation != "" && p.operation != operation {
				continue
			}
			for _, r := range rows {
				if !x.passes(t, p, r) {
					panic(fail(33504, "The attempted operation failed because the target object '%s' has a block predicate that conflicts with this operation. If the operation is performed on a view, the block predicate might be enforced on the underlying table. Modify the operation to target only the rows that are allowed by the block predicate.", x.d.name+"."+t.full()))
				}
			}
		}
	}
}

func showPredicates(x *session, add func(...any)) {
	codes := map[string]int64{"AFTER INSERT": 1, "AFTER UPDATE": 2, "BEFORE UPDATE": 3, "BEFORE DELETE": 4}
	for _, s := range x.d.list("SP") {
		for _, p := range s.policy.predicates {
			var op, word any
			if p.operation != "" {
				op, word = codes[p.operation], p.operation
			}
			kind := "FILTER"
			if p.block {
				kind = "BLOCK"
			}
			var args []string
			for _, a := range p.call.Args {
				args = append(args, tsql.Print(a))
			}
			add(s.id, int64(p.id), p.table, "("+tsql.Path(p.call.Name)+"("+strings.Join(args, ",")+"))", bit(p.block), kind, op, word)
		}
	}
}
