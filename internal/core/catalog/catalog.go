// Package catalog is the one model every engine fills: objects, their parts,
// facts about both, and what each of them needs. It knows no engine, does no
// I/O and prints nothing.
package catalog

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"sort"
	"strings"
)

// Kind says what an object or part is: "table", "column", "foreign-key" …
// Kinds are the words of patterns (`table:berth`), so they are single words
// joined by hyphens. Which kinds exist is the engine's business.
type Kind string

// Title is the kind as a person reads it: "foreign key".
func (k Kind) Title() string { return strings.ReplaceAll(string(k), "-", " ") }

// Plural is the title for a number of things other than one.
func (k Kind) Plural() string {
	t := k.Title()
	switch {
	case strings.HasSuffix(t, "index"):
		return t + "es"
	case strings.HasSuffix(t, "ss"), strings.HasSuffix(t, "x"):
		return t + "es"
	case strings.HasSuffix(t, "key"):
		return t + "s"
	case strings.HasSuffix(t, "y"):
		return strings.TrimSuffix(t, "y") + "ies"
	case strings.HasSuffix(t, "s"):
		return t
	}
	return t + "s"
}

// Ref is the identity of one object, or of one part of it. It is comparable and
// serves as a map key. It is spelled in names: those of the target where the two
// sides were matched under different ones.
type Ref struct {
	Kind     Kind   `json:"kind"`
	Schema   string `json:"schema,omitempty"`
	Name     string `json:"name"`
	PartKind Kind   `json:"part_kind,omitempty"`
	Part     string `json:"part,omitempty"`
	// Fact narrows the reference to one fact of the thing that can come and go
	// by itself (a column's default).
	Fact string `json:"fact,omitempty"`
}

// Object is the reference to the whole object a part belongs to.
func (r Ref) Object() Ref { r.PartKind, r.Part, r.Fact = "", "", ""; return r }

// Thing is the reference without its fact.
func (r Ref) Thing() Ref { r.Fact = ""; return r }

// Of is the reference to one fact of the thing.
func (r Ref) Of(fact string) Ref { r.Fact = fact; return r }

// IsPart tells whether the reference is to a part.
func (r Ref) IsPart() bool { return r.PartKind != "" }

// String writes the reference as a pattern that matches it alone.
func (r Ref) String() string {
	kind, path := r.Kind, []string{}
	if r.Schema != "" {
		path = append(path, quoteName(r.Schema))
	}
	path = append(path, quoteName(r.Name))
	if r.IsPart() {
		kind = r.PartKind
		path = append(path, quoteName(r.Part))
	}
	return string(kind) + ":" + strings.Join(path, ".")
}

func quoteName(s string) string {
	if s == "" || strings.ContainsAny(s, ".:*?=,[\"'`\\ \t\n\r") {
		return `"` + strings.ReplaceAll(s, `"`, `""`) + `"`
	}
	return s
}

// Aspect is what of a thing another one uses; it decides whether a change of
// the thing reaches its user.
type Aspect string

// The aspects a need can have.
const (
	AspectName      Aspect = "name"      // it is mentioned by name
	AspectSignature Aspect = "signature" // its arguments and result
	AspectRowType   Aspect = "rowtype"   // its columns as a row
	AspectType      Aspect = "type"      // the type of a column
	AspectBody      Aspect = "body"      // what it computes
	AspectIndex     Aspect = "index"     // the uniqueness it proves
	AspectValue     Aspect = "value"     // the values rows hold; whatever stands on it stays
)

// Need is one edge of the dependency graph.
type Need struct {
	On     Ref    `json:"on"`
	Aspect Aspect `json:"aspect,omitempty"`
	// Text says that the need was read from a text the engine does not track
	// (a routine's body); such an edge orders steps but never forces one.
	Text bool `json:"text,omitempty"`
	// Fact names the fact that has the need, where it is not the whole thing.
	Fact string `json:"fact,omitempty"`
}

// Object is a thing in a database, or a part of one: the two differ only in
// where they hang.
type Object struct {
	Kind   Kind
	Schema string // namespace; empty for parts and for engines without one
	Name   string // the real name, as the engine would print it unquoted
	// ID is what the thing is known by within its kind, on both sides alike;
	// empty means its name. Where names are compared without regard to letter
	// case it is the name folded; a nameless constraint is known by what it says.
	ID string
	// Home is what the schema it is in is known by; empty means Schema. Alias is
	// what its own name would make its ID, where it is known by another (see
	// match). Both are empty but where two sides have different names for it.
	Home, Alias string
	// Space is the namespace the name is taken in ("relation", "type"); two
	// objects of one schema cannot hold one name in one space.
	Space string
	// Group, where not empty, makes the whole object count only when the group
	// was asked for.
	Group      string
	Properties []Property
	Parts      []*Object
	Needs      []Need
	// Unread says that only identity, Digest and the names of notable parts
	// are known so far; the catalog's Expand reads the rest. Equal digests
	// prove two objects equal.
	Unread bool
	Digest string
	// Origin is where it stands in a text, nil where it is from none.
	Origin *Origin

	index map[partKey]*Object
}

// Origin is where in which file a thing of a text stands; line and column count
// from 1.
type Origin struct {
	File         string
	Line, Column int
}

// String writes the place as editors and compilers do.
func (o Origin) String() string { return fmt.Sprintf("%s:%d:%d", o.File, o.Line, o.Column) }

type partKey struct {
	kind Kind
	id   string
}

// Key is what the object is known by.
func (o *Object) Key() string {
	if o.ID != "" {
		return o.ID
	}
	return o.Name
}

// Own is the reference that the object's own names make: the same as Ref but
// where it is known by another name.
func (o *Object) Own() Ref {
	return Ref{Kind: o.Kind, Schema: o.Schema, Name: cmp.Or(o.Alias, o.Key())}
}

// Title is the name a person knows the object by.
func (o *Object) Title() string {
	switch {
	case o.Name != "":
		return o.Name
	case o.Kind == PrimaryKey: // the only one of its table
		return o.Kind.Title() + " (" + strings.Join(o.List("columns"), ", ") + ")"
	}
	return o.Kind.Title() + " " + o.ID
}

// KnownAs is the fact in which an object has the end of its name in pieces,
// where names of other things are in it: a routine the types of its arguments.
const KnownAs = "known as"

// Letters is the fact in which a thing has its name where the engine keeps the
// letters but does not tell names by them.
const Letters = "letter case"

// SpellAs gives a thing the name of another one, in its letters.
func (o *Object) SpellAs(like *Object) {
	o.Name = like.Name
	o.Properties = slices.DeleteFunc(slices.Clone(o.Properties), func(p Property) bool { return p.Name == Letters })
	if p := like.Property(Letters); p != nil {
		o.Properties = append(o.Properties, *p)
	}
}

// Bare is the name without what KnownAs has.
func (o *Object) Bare() string {
	if p := o.Property(KnownAs); p != nil {
		name := o.Name
		if i := strings.LastIndex(name, p.Value.String()); i > 0 {
			return name[:i]
		}
	}
	return o.Name
}

// Ref is the reference to an object (not a part).
func (o *Object) Ref() Ref {
	return Ref{Kind: o.Kind, Schema: cmp.Or(o.Home, o.Schema), Name: o.Key()}
}

// PartRef is the reference to a part of o.
func (o *Object) PartRef(p *Object) Ref {
	r := o.Ref()
	r.PartKind, r.Part = p.Kind, p.Key()
	return r
}

// Part finds a part by kind and by what it is known by, or nil.
func (o *Object) Part(kind Kind, id string) *Object {
	if len(o.Parts) <= fewParts { // an index would cost more than it saves
		for _, p := range o.Parts {
			if p.Kind == kind && p.Key() == id {
				return p
			}
		}
		return nil
	}
	if o.index == nil {
		o.index = make(map[partKey]*Object, len(o.Parts))
		for _, p := range slices.Backward(o.Parts) { // the first of two alike
			o.index[partKey{p.Kind, p.Key()}] = p
		}
	}
	return o.index[partKey{kind, id}]
}

// fewParts is how many parts are searched one by one.
const fewParts = 24

// Add appends a part.
func (o *Object) Add(p *Object) {
	o.Parts = append(o.Parts, p)
	if k := (partKey{p.Kind, p.Key()}); o.index != nil && o.index[k] == nil {
		o.index[k] = p
	}
}

// PartsOf lists the parts of one kind, in the object's order.
func (o *Object) PartsOf(kind Kind) []*Object {
	var out []*Object
	for _, p := range o.Parts {
		if p.Kind == kind {
			out = append(out, p)
		}
	}
	return out
}

// Property finds a fact by name, or nil.
func (o *Object) Property(name string) *Property {
	for i := range o.Properties {
		if o.Properties[i].Name == name {
			return &o.Properties[i]
		}
	}
	return nil
}

// Text is the text of a fact, or "" where there is none.
func (o *Object) Text(name string) string {
	if p := o.Property(name); p != nil {
		return p.Value.String()
	}
	return ""
}

// Has tells whether the fact exists.
func (o *Object) Has(name string) bool { return o.Property(name) != nil }

// List is the items of a list or set fact.
func (o *Object) List(name string) []string {
	if p := o.Property(name); p != nil {
		return p.Value.Items
	}
	return nil
}

// Set adds a counted fact, or replaces it.
func (o *Object) Set(name string, v Value) *Object { return o.put(Property{Name: name, Value: v}) }

// SetIf adds a counted yes/no fact only where it holds, so that a fact an
// older capture did not know is simply absent.
func (o *Object) SetIf(name string, holds bool) *Object {
	if holds {
		o.Set(name, Scalar("yes"))
	}
	return o
}

// SetText adds a counted scalar only where it is not empty.
func (o *Object) SetText(name, text string) *Object {
	if text != "" {
		o.Set(name, Scalar(text))
	}
	return o
}

// SetDefect adds a fact nobody wishes for, where it holds.
func (o *Object) SetDefect(name string, holds bool) {
	if holds {
		o.put(Property{Name: name, Value: Scalar("yes"), Defect: true})
	}
}

// SetOrder adds a fact about the order of parts.
func (o *Object) SetOrder(name string, parts []string) {
	o.put(Property{Name: name, Value: List(parts...), Order: true})
}

// Carry adds a fact that is needed to write but is never a difference.
func (o *Object) Carry(name string, v Value) *Object {
	return o.put(Property{Name: name, Value: v, Carried: true})
}

// Optional adds a fact that counts only when group was asked for
// ("owners", "grants"), and is carried otherwise.
func (o *Object) Optional(name, group string, v Value) *Object {
	return o.put(Property{Name: name, Value: v, Group: group})
}

// OptionalOrder is SetOrder of a fact that counts only when group was asked for.
func (o *Object) OptionalOrder(name, group string, parts []string) {
	o.put(Property{Name: name, Value: List(parts...), Order: true, Group: group})
}

func (o *Object) put(p Property) *Object {
	if old := o.Property(p.Name); old != nil {
		*old = p
		return o
	}
	if o.Properties == nil {
		o.Properties = make([]Property, 0, 2)
	}
	o.Properties = append(o.Properties, p)
	return o
}

// Remove takes a fact away.
func (o *Object) Remove(name string) {
	for i := range o.Properties {
		if o.Properties[i].Name == name {
			o.Properties = append(o.Properties[:i], o.Properties[i+1:]...)
			return
		}
	}
}

// Need records that o uses something.
func (o *Object) Need(on Ref, a Aspect) { o.Needs = append(o.Needs, Need{On: on, Aspect: a}) }

// KeepOrder lets, where the order of columns is a fact, those the fact does not
// name stand behind what they stand behind in like, and writes the fact anew.
func (o *Object) KeepOrder(like *Object) {
	for i := range o.Properties {
		fact := &o.Properties[i]
		if !fact.Order {
			continue
		}
		wanted := map[string]bool{}
		for _, key := range fact.Value.Items {
			wanted[key] = true
		}
		rank := map[string]int{}
		var list []string
		for _, key := range fact.Value.Items {
			if o.Part(Column, key) != nil {
				list = append(list, key)
			}
		}
		previous := ""
		for _, p := range like.PartsOf(Column) {
			if key := p.Key(); o.Part(Column, key) != nil {
				if !wanted[key] {
					list = slices.Insert(list, slices.Index(list, previous)+1, key)
				}
				previous = key
			}
		}
		for n, key := range list {
			rank[key] = n
		}
		slices.SortStableFunc(o.Parts, func(a, b *Object) int {
			ra, rb := len(rank), len(rank) // columns first
			if a.Kind == Column {
				ra = rank[a.Key()]
			}
			if b.Kind == Column {
				rb = rank[b.Key()]
			}
			return ra - rb
		})
		fact.Value = List(list...)
	}
}

// Clone copies the object deeply enough that facts, parts and needs can be
// replaced without touching the original.
func (o *Object) Clone() *Object {
	c := *o
	c.index = nil
	c.Properties = append([]Property(nil), o.Properties...)
	c.Needs = append([]Need(nil), o.Needs...)
	c.Parts = make([]*Object, len(o.Parts))
	for i, p := range o.Parts {
		c.Parts[i] = p.Clone()
	}
	return &c
}

// Read tells whether all of an object was read.
func (o *Object) Read() bool {
	if o.Unread {
		return false
	}
	for i := range o.Properties {
		if o.Properties[i].Value.Unread {
			return false
		}
	}
	for _, p := range o.Parts {
		if !p.Read() {
			return false
		}
	}
	return true
}

// Property is one named fact.
type Property struct {
	Name    string
	Value   Value
	Carried bool   // needed to write, never a difference
	Group   string // counted only when this group was asked for
	// Defect says that nobody wishes for the fact (an index that is not
	// valid): it is a difference where only the target has it.
	Defect bool
	// Order says that the list names parts in their order: of it counts the
	// order of the parts that both sides have.
	Order bool
}

// Gap says that something was not seen. A gap is never taken for absence.
type Gap struct {
	// Kind is empty for something of a kind the tool does not know; with a
	// property, for that of things of every kind.
	Kind     Kind   `json:"kind,omitempty"`
	Property string `json:"property,omitempty"` // empty: whole objects of the kind
	Why      string `json:"why"`
	// On is the one thing that is there and was not read; of no kind where the gap
	// is about more.
	On Ref `json:"on,omitzero"`
	// Quiet says that the server has no such thing, so that the gap is worth
	// a word only where the other side has.
	Quiet bool `json:"quiet,omitempty"`
	// Group says that the gap matters only when that group was asked for.
	Group string `json:"group,omitempty"`
}

// Catalog is the structure of one database at one moment.
type Catalog struct {
	Engine  string // the engine's name
	Kinds   *Kinds // the engine's kinds
	Version string // the server's or library's
	Place   string // where it was read, without secrets
	// FoldNames says that the engine compares names without regard to ASCII
	// letter case.
	FoldNames bool
	// Spell writes a name as the engine's SQL has it: as people read it, or in
	// the one form that texts are compared in.
	Spell   func(name string, canonical bool) string
	Gaps    []Gap
	Objects []*Object
	// Limits are numbers the server keeps to and a script must respect, by the
	// engine's names for them.
	Limits map[string]int64
	// Settings are what the server takes for granted where a statement does not
	// say it, by the engine's names for them.
	Settings map[string]string
	// Fetch reads values that were left unread (Value.Unread), in place. It
	// is nil where everything was read.
	Fetch Fetcher
	// Expand reads objects that were left unread, in place; nil where
	// everything was read.
	Expand func(ctx context.Context, objects []*Object) error
	// Text is what stands in an object, read or not, to look for names in it;
	// nil where the needs of all objects are known.
	Text func(o *Object) string
	// Link notes what needs what, where reading left that to be done when all
	// that is wanted was read; it is called once.
	Link func()
	// Release gives back what Fetch and Expand read from; nil where there is
	// nothing. compare.Settle calls it.
	Release func()

	index map[Ref]*Object
}

// Fold brings a name into the form in which the engine compares it.
func (c *Catalog) Fold(name string) string {
	if c.FoldNames {
		return FoldASCII(name)
	}
	return name
}

// FoldName brings a name as somebody typed it into the form in which the engine
// compares it: of a part, where part says so.
func (c *Catalog) FoldName(name string, part bool) string {
	if part && c.Kinds != nil && c.Kinds.FoldParts {
		return strings.ToLower(name)
	}
	return c.Fold(name)
}

// FoldASCII lowers the letters A–Z only, as SQLite does.
func FoldASCII(s string) string {
	for i := 0; i < len(s); i++ {
		if s[i] >= 'A' && s[i] <= 'Z' {
			b := []byte(s)
			for ; i < len(b); i++ {
				if b[i] >= 'A' && b[i] <= 'Z' {
					b[i] += 'a' - 'A'
				}
			}
			return string(b)
		}
	}
	return s
}

// Add appends an object.
func (c *Catalog) Add(o *Object) { c.Objects = append(c.Objects, o); c.index = nil }

// Find is the object a reference is to, or nil; for a reference to a part, the
// object it belongs to.
func (c *Catalog) Find(r Ref) *Object {
	if c.index == nil {
		c.index = make(map[Ref]*Object, len(c.Objects))
		for _, o := range c.Objects {
			c.index[o.Ref()] = o
		}
	}
	return c.index[r.Object()]
}

// Resolve is the object or part a reference is to, or nil.
func (c *Catalog) Resolve(r Ref) *Object {
	o := c.Find(r)
	if o == nil || !r.IsPart() {
		return o
	}
	return o.Part(r.PartKind, r.Part)
}

// Sort brings the objects into the one order every catalog has: by schema,
// name, kind.
func (c *Catalog) Sort() {
	slices.SortStableFunc(c.Objects, func(a, b *Object) int {
		if n := strings.Compare(a.Schema, b.Schema); n != 0 {
			return n
		}
		if n := strings.Compare(a.Key(), b.Key()); n != 0 {
			return n
		}
		return strings.Compare(string(a.Kind), string(b.Kind))
	})
	c.index = nil
	c.Find(Ref{}) // finds nothing, but from here on several may look at once
}

func refLess(a, b Ref) bool {
	switch {
	case a.Schema != b.Schema:
		return a.Schema < b.Schema
	case a.Name != b.Name:
		return a.Name < b.Name
	case a.Kind != b.Kind:
		return a.Kind < b.Kind
	case a.PartKind != b.PartKind:
		return a.PartKind < b.PartKind
	case a.Part != b.Part:
		return a.Part < b.Part
	}
	return a.Fact < b.Fact
}

// Less orders references as Sort orders objects.
func (r Ref) Less(o Ref) bool { return refLess(r, o) }

// Unseen tells why facts of a kind could not be read, if so.
func (c *Catalog) Unseen(kind Kind, property string) (string, bool) {
	for _, g := range c.Gaps {
		if g.Kind == kind && (g.Property == "" || g.Property == property) || g.Kind == "" && g.Property != "" && g.Property == property {
			return g.Why, true
		}
	}
	return "", false
}

// Count is a number of objects or parts of one kind.
type Count struct {
	Kind Kind `json:"kind"`
	N    int  `json:"count"`
}

// Count counts objects and, of the parts, those people count too (notable
// kinds: indexes, triggers and the like), most basic first.
func (c *Catalog) Count() []Count {
	notable := map[Kind]bool{}
	if c.Kinds != nil {
		for _, k := range c.Kinds.List {
			notable[k.Kind] = k.Notable
		}
	}
	n := map[Kind]int{}
	for _, o := range c.Objects {
		if o.Group != "" {
			continue
		}
		n[o.Kind]++
		for _, p := range o.Parts {
			if notable[p.Kind] {
				n[p.Kind]++
			}
		}
	}
	out := make([]Count, 0, len(n))
	for k, v := range n {
		out = append(out, Count{k, v})
	}
	sort.Slice(out, func(i, j int) bool {
		a, b := c.Kinds.Rank(out[i].Kind), c.Kinds.Rank(out[j].Kind)
		if a != b {
			return a < b
		}
		return out[i].Kind < out[j].Kind
	})
	return out
}
