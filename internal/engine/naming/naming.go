// Package naming marks the names in SQL texts with what they stand for, so that
// a text can be compared and written again when a thing has another name. It
// reads texts by a dialect's lexer; where it cannot tell what a name stands for
// it leaves it alone, which costs a step at worst: the text then differs.
package naming

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
)

// Names are those of one structure.
type Names struct {
	Dialect sqltext.Dialect
	// Thing and Column bring a name into the form its thing is known by.
	Thing, Column func(sqltext.Token) string
	// Ordinary are the spaces of relations, types and routines (catalog.Object).
	Relation, Type, Routine []string

	catalog *catalog.Catalog
	schemas map[string]*catalog.Object
	things  map[string]map[[2]string][]*catalog.Object // by role, then schema and name
	bare    map[string]map[string][]*catalog.Object    // by role and name, in any schema
}

// The roles of names.
const (
	relation = "relation"
	routine  = "routine"
	typ      = "type"
)

// Index gets the names ready to be looked for.
func (n *Names) Index(c *catalog.Catalog) *Names {
	n.catalog, n.schemas = c, map[string]*catalog.Object{}
	n.things, n.bare = map[string]map[[2]string][]*catalog.Object{}, map[string]map[string][]*catalog.Object{}
	for role, spaces := range map[string][]string{relation: n.Relation, routine: n.Routine, typ: n.Type} {
		n.things[role], n.bare[role] = map[[2]string][]*catalog.Object{}, map[string][]*catalog.Object{}
		for _, o := range c.Objects {
			for _, s := range spaces {
				if o.Space == s {
					key := n.key(o)
					n.things[role][[2]string{o.Schema, key}] = append(n.things[role][[2]string{o.Schema, key}], o)
					n.bare[role][key] = append(n.bare[role][key], o)
				}
			}
		}
	}
	for _, o := range c.Objects {
		if o.Kind == catalog.Schema {
			n.schemas[o.Name] = o
		}
	}
	return n
}

// key is what a name of the object is looked for by.
func (n *Names) key(o *catalog.Object) string {
	if o.Has(catalog.KnownAs) {
		return o.Bare()
	}
	return o.Key()
}

func (n *Names) find(role, schema, name string) *catalog.Object {
	if l := n.things[role][[2]string{schema, name}]; len(l) > 0 {
		return l[0]
	}
	return nil
}

// anywhere is a thing of a name if only one schema has it.
func (n *Names) anywhere(role, name string) *catalog.Object {
	if l := n.bare[role][name]; len(l) == 1 || len(l) > 1 && role == routine && l[0].Schema == l[len(l)-1].Schema {
		return l[0]
	}
	return nil
}

// Context is where a text stands.
type Context struct {
	// Own is the relation whose columns stand in the text by themselves; nil
	// where there is none.
	Own *catalog.Object
	// Fixed says that the engine keeps the text as it was written.
	Fixed bool
	// Types says that a name alone may be a type's.
	Types bool
	// Trigger says that the text is of a trigger on Own, whose columns stand in
	// it behind NEW, OLD and UPDATE OF only.
	Trigger bool
	// Rows are the names under which a trigger's statements read the rows of Own, as
	// relations.
	Rows []string
	// Quoted says that the server writes every name in quotes: a word without is
	// none.
	Quoted bool
	// Raw says that the text is a name itself, without quotes: of a column of
	// Own, or of a relation where there is none.
	Raw bool
}

// Facts says of facts by name in which context their values stand.
type Facts func(owner, part *catalog.Object, p *catalog.Property) (Context, bool)

// All marks what facts says in every object, which are changed in place.
func (n *Names) All(facts Facts) {
	for _, o := range n.catalog.Objects {
		for _, x := range append([]*catalog.Object{nil}, o.Parts...) {
			at := o
			if x != nil {
				at = x
			}
			for i := range at.Properties {
				p := &at.Properties[i]
				if in, ok := facts(o, x, p); ok {
					p.Value = n.Mark(p.Value, in)
				}
			}
		}
	}
}

// Mark marks the names in a value of one text, or of items.
func (n *Names) Mark(v catalog.Value, in Context) catalog.Value {
	switch v.Form {
	case catalog.FormScalar:
		pieces := n.Pieces(v.Text, in)
		if !marked(pieces) {
			return v
		}
		return catalog.Value{Form: catalog.FormSQL, Pieces: pieces, Key: v.Key}
	case catalog.FormSQL:
		text, canon := v.String(), v.Canonical()
		out := v
		if text == canon {
			out.Pieces = n.Pieces(text, in)
			return out
		}
		// The two are marked one behind the other, each for itself.
		out.Pieces = nil
		for _, p := range n.Pieces(text, in) {
			p.Canon = ""
			out.Pieces = append(out.Pieces, p)
		}
		for _, p := range n.Pieces(canon, in) {
			p.Text = ""
			out.Pieces = append(out.Pieces, p)
		}
		return out
	}
	any := false
	marks := make([][]catalog.Piece, len(v.Items))
	for i, it := range v.Items {
		marks[i] = n.Pieces(it, in)
		any = any || marked(marks[i])
	}
	if any {
		v.Marks = marks
	}
	return v
}

func marked(pieces []catalog.Piece) bool {
	for _, p := range pieces {
		if p.Ref != nil {
			return true
		}
	}
	return false
}

// reading is the marking of one text.
type reading struct {
	*Names
	in      Context
	toks    []sqltext.Token // all of them
	sig     []int           // the places of those that count
	refs    map[int]catalog.Ref
	aliases map[string]*catalog.Object
	inText  []*catalog.Object // the relations that the text names
}

// Pieces marks the names in a text.
func (n *Names) Pieces(text string, in Context) []catalog.Piece {
	if in.Raw {
		return n.raw(text, in)
	}
	r := &reading{Names: n, in: in, toks: sqltext.Lex(n.Dialect, text), refs: map[int]catalog.Ref{}, aliases: map[string]*catalog.Object{}}
	for i, t := range r.toks {
		if !t.Blank() {
			r.sig = append(r.sig, i)
		}
	}
	if in.Own != nil {
		r.relation(in.Own, "new")
		r.aliases["old"] = in.Own
		if in.Trigger {
			r.inText = nil
		}
	}
	r.qualified()
	r.columns(r.keys())
	var out []catalog.Piece
	var plain strings.Builder
	flush := func() {
		if plain.Len() > 0 {
			out = append(out, catalog.Piece{Text: plain.String(), Canon: plain.String()})
			plain.Reset()
		}
	}
	for i, t := range r.toks {
		if ref, ok := r.refs[i]; ok {
			flush()
			out = append(out, catalog.Piece{Text: t.Text, Canon: t.Text, Ref: &ref, Fixed: in.Fixed})
			continue
		}
		if inner, ok := n.quoted(t, r.casts(i, "regclass"), in); ok {
			flush()
			out = append(out, inner...)
			continue
		}
		plain.WriteString(t.Text)
	}
	flush()
	return out
}

// raw marks a text that is a name.
func (n *Names) raw(text string, in Context) []catalog.Piece {
	p := catalog.Piece{Text: text, Canon: text, Raw: true, Fixed: in.Fixed}
	switch {
	case in.Own == nil:
		if o := n.anywhere(relation, n.catalog.Fold(text)); o != nil {
			ref := o.Ref()
			p.Ref = &ref
		}
	default:
		if c := in.Own.Part(catalog.Column, text); c != nil {
			ref := in.Own.PartRef(c)
			p.Ref = &ref
		}
	}
	return []catalog.Piece{p}
}

// quoted marks a name in a string that is converted to a relation's number
// ('harbour.seq'::regclass), and the names in a body that is quoted as a whole.
func (n *Names) quoted(t sqltext.Token, relation bool, in Context) ([]catalog.Piece, bool) {
	if t.Kind != sqltext.String {
		return nil, false
	}
	open, body := "", ""
	switch {
	case t.Text[0] == '$':
		if i := strings.Index(t.Text[1:], "$"); i >= 0 {
			open = t.Text[:i+2]
			body = strings.TrimSuffix(t.Text[len(open):], open)
		}
		in.Fixed = true
	case t.Text[0] == '\'' && relation:
		open, body = "'", t.Text[1:len(t.Text)-1]
		in.Own = nil
	}
	if body == "" {
		return nil, false
	}
	inner := n.Pieces(body, in)
	if !marked(inner) {
		return nil, false
	}
	plain := func(s string) catalog.Piece { return catalog.Piece{Text: s, Canon: s} }
	return append(append([]catalog.Piece{plain(open)}, inner...), plain(open)), true
}

// at is the k-th token that counts.
func (r *reading) at(k int) sqltext.Token {
	if k < 0 || k >= len(r.sig) {
		return sqltext.Token{}
	}
	return r.toks[r.sig[k]]
}

// casts tells whether behind token i stands a cast to a type.
func (r *reading) casts(i int, typ string) bool {
	for k, at := range r.sig {
		if at == i {
			return r.at(k+1).IsOp("::") && r.at(k+2).Is(typ)
		}
	}
	return false
}

func (r *reading) mark(k int, ref catalog.Ref) { r.refs[r.sig[k]] = ref }

// relation notes a relation that the text names, under an alias if it has one.
func (r *reading) relation(o *catalog.Object, alias string) {
	r.inText = append(r.inText, o)
	for _, a := range []string{alias, r.key(o)} {
		if old, ok := r.aliases[a]; a != "" && ok && old != o {
			r.aliases[a] = nil // two things of one name: it says nothing
		} else if a != "" {
			r.aliases[a] = o
		}
	}
}

// before are the words behind which a name alone is a relation's.
var before = map[string]bool{"from": true, "join": true, "into": true, "update": true, "table": true, "references": true, "view": true, "sequence": true, "only": true, "truncate": true}

// notAlias are words that can stand behind a relation and are no name for it.
var notAlias = map[string]bool{"where": true, "on": true, "using": true, "join": true, "left": true, "right": true, "full": true, "inner": true, "cross": true, "natural": true, "group": true, "order": true, "having": true,
	"limit": true, "offset": true, "union": true, "intersect": true, "except": true, "set": true, "values": true, "select": true, "returning": true, "window": true, "for": true, "as": true, "begin": true, "when": true, "referencing": true,
	"then": true, "loop": true, "do": true, "default": true, "after": true, "before": true, "execute": true, "tablesample": true, "straight_join": true, "use": true, "force": true, "ignore": true, "not": true, "deferrable": true, "match": true, "end": true, "into": true}

// qualified marks schemas, and the relations, routines and types that the text
// names with their schema, or where only such a thing can stand.
func (r *reading) qualified() {
	for k := 0; k < len(r.sig); k++ {
		t := r.at(k)
		if !t.IsName() || r.at(k-1).IsOp(".") {
			continue
		}
		calls := func(k int) bool { return r.at(k + 1).IsOp("(") }
		if s := r.schemas[r.Thing(t)]; s != nil && r.at(k+1).IsOp(".") && r.at(k+2).IsName() {
			name := r.Thing(r.at(k + 2))
			o := r.find(relation, s.Name, name)
			if calls(k+2) && (o == nil || !before[strings.ToLower(r.at(k-1).Text)]) {
				o = r.find(routine, s.Name, name)
			}
			if o == nil {
				o = r.find(typ, s.Name, name)
			}
			if o == nil {
				continue
			}
			r.mark(k, s.Ref())
			r.mark(k+2, o.Ref())
			if !r.in.Trigger || o != r.in.Own {
				r.named(o, k+3)
			}
			k += 2
			continue
		}
		name := r.Thing(t)
		switch {
		case r.in.Own != nil && slices.Contains(r.in.Rows, name) && r.behind(k):
			r.named(r.in.Own, k+1)
			r.aliases[name] = r.in.Own
		case r.behind(k) || r.listed(k):
			if o := r.anywhere(relation, name); o != nil {
				r.mark(k, o.Ref())
				if !r.at(k-1).Is("on") || !r.in.Trigger { // whose columns stand behind NEW and OLD
					r.named(o, k+1)
				}
			}
		case calls(k):
			if o := r.anywhere(routine, name); o != nil {
				r.mark(k, o.Ref())
			}
		case r.in.Types:
			if o := r.anywhere(typ, name); o != nil && len(r.sig) < 8 {
				r.mark(k, o.Ref())
			}
		}
	}
}

// behind tells whether a name stands where only a relation can.
func (r *reading) behind(k int) bool {
	for k--; r.at(k).IsOp("("); k-- {
	}
	switch {
	case r.at(k).Is("on"):
		return r.in.Trigger && !r.seen("on", k)
	case r.at(k).Is("to"): // a nameless foreign key is known as "(columns) to table"
		return r.at(0).IsOp("(") && k == len(r.sig)-2
	}
	return before[strings.ToLower(r.at(k).Text)]
}

// seen tells whether a word stands before place k.
func (r *reading) seen(word string, k int) bool {
	for k--; k >= 0; k-- {
		if r.at(k).Is(word) {
			return true
		}
	}
	return false
}

// keys says, of the columns in the brackets of a foreign key, whose they are.
func (r *reading) keys() map[int]*catalog.Object {
	out := map[int]*catalog.Object{}
	within := func(k int, o *catalog.Object) {
		if !r.at(k).IsOp("(") {
			return
		}
		for k++; k < len(r.sig) && !r.at(k).IsOp(")"); k++ {
			out[k] = o
		}
	}
	for k := range r.sig {
		switch {
		case r.at(k).Is("key") && r.at(k-1).Is("foreign") && r.in.Own != nil:
			within(k+1, r.in.Own)
		case r.at(k).Is("of") && r.in.Trigger && r.at(k-1).Is("update"):
			for k++; k < len(r.sig) && !r.at(k).Is("on"); k++ {
				out[k] = r.in.Own
			}
		case r.at(k).Is("references"):
			for j := k + 1; j < len(r.sig) && j < k+4; j++ {
				if ref, ok := r.refs[r.sig[j]]; ok && ref.Kind != catalog.Schema {
					within(j+1, r.catalog.Find(ref))
					break
				}
			}
		}
	}
	return out
}

// listed tells whether a name follows a relation and a comma: FROM a, b.
func (r *reading) listed(k int) bool {
	if !r.at(k - 1).IsOp(",") {
		return false
	}
	for j := k - 2; j >= 0 && k-j < 6; j-- {
		if _, ok := r.refs[r.sig[j]]; ok {
			return r.refs[r.sig[j]].PartKind == "" && r.refs[r.sig[j]].Kind != catalog.Routine && r.refs[r.sig[j]].Kind != catalog.Schema
		}
		if !r.at(j).IsName() {
			return false
		}
	}
	return false
}

// named notes a relation, and what the text calls it from place k on.
func (r *reading) named(o *catalog.Object, k int) {
	alias := ""
	if r.at(k).Is("as") {
		k++
	}
	if t := r.at(k); t.IsName() && !(t.Kind == sqltext.Word && notAlias[strings.ToLower(t.Text)]) {
		alias = r.Thing(t)
	}
	r.relation(o, alias)
}

// typeWords are those of which the names of types have several.
var typeWords = map[string]bool{"timestamp": true, "time": true, "zone": true, "with": true, "without": true, "double": true, "precision": true, "character": true, "varying": true, "bit": true, "unsigned": true, "signed": true}

// inType tells whether a name is part of a type: behind ::, or behind AS in a CAST.
// A column may have such a name too.
func (r *reading) inType(k int) bool {
	if r.at(k - 1).IsOp(".") {
		return false
	}
	for typeWords[strings.ToLower(r.at(k-1).Text)] && typeWords[strings.ToLower(r.at(k).Text)] {
		k--
	}
	if r.at(k - 1).IsOp("::") {
		return true
	}
	if !r.at(k - 1).Is("as") {
		return false
	}
	depth := 0
	for j := k - 2; j >= 0 && k-j < 200; j-- {
		switch {
		case r.at(j).IsOp(")"):
			depth++
		case r.at(j).IsOp("(") && depth == 0:
			return r.at(j-1).Is("cast") || r.at(j-1).Is("convert")
		case r.at(j).IsOp("("):
			depth--
		}
	}
	return false
}

// columns marks columns: behind the relation or its alias, or alone where only
// one relation of the text has one of the name.
func (r *reading) columns(keys map[int]*catalog.Object) {
	for k := range r.sig {
		t := r.at(k)
		if _, done := r.refs[r.sig[k]]; done || !t.IsName() || r.at(k+1).IsOp("(") && t.Kind == sqltext.Word || r.inType(k) || r.in.Quoted && t.Kind != sqltext.Quoted {
			continue
		}
		if r.at(k - 1).IsOp(".") {
			q := r.at(k - 2)
			o := r.aliases[r.Thing(q)]
			if ref, ok := r.refs[r.sig[max(k-2, 0)]]; ok && ref.PartKind == "" {
				o = r.catalog.Find(ref)
			}
			if o == nil && (q.Is("new") || q.Is("old")) { // of a trigger that calls the routine
				o = r.having(r.Column(t))
			}
			if o == nil {
				continue
			}
			if c := o.Part(catalog.Column, r.Column(t)); c != nil {
				r.mark(k, o.PartRef(c))
				if _, ok := r.refs[r.sig[k-2]]; !ok && r.key(o) == r.Thing(q) && !r.at(k-3).IsOp(".") {
					r.mark(k-2, o.Ref())
				}
			}
			continue
		}
		if o := keys[k]; o != nil {
			if c := o.Part(catalog.Column, r.Column(t)); c != nil {
				r.mark(k, o.PartRef(c))
			}
			continue
		}
		if r.at(k-1).Is("as") || r.at(k+1).IsOp(".") {
			continue
		}
		if o, c := r.only(r.Column(t)); c != nil {
			r.mark(k, o.PartRef(c))
		}
	}
}

// having is the one relation that has a column of a name.
func (n *Names) having(column string) (found *catalog.Object) {
	for _, o := range n.catalog.Objects {
		if o.Part(catalog.Column, column) != nil {
			if found != nil {
				return nil
			}
			found = o
		}
	}
	return found
}

// only is the column of a name if one relation of the text alone has it.
func (r *reading) only(name string) (o, c *catalog.Object) {
	for _, x := range r.inText {
		if p := x.Part(catalog.Column, name); p != nil && x != o {
			if c != nil {
				return nil, nil
			}
			o, c = x, p
		}
	}
	return o, c
}
