package catalog

import (
	"context"
	"slices"
	"strings"
)

// Form is the shape of a value.
type Form uint8

// The forms a value can have.
const (
	FormScalar Form = iota // one text
	FormList               // texts whose order counts
	FormSet                // texts whose order does not
	FormSQL                // SQL, with the names in it marked
)

// Piece is a run of SQL text. Text is how it was written; Canon is what it is
// compared by, the same for every spelling of one thing; either may be empty.
// Where the piece is one name, Ref says what the name stands for, so that it can
// be spelled anew. Fixed says that the engine keeps the text as it was written:
// when the thing gets another name, the text has to be written again.
type Piece struct {
	Text  string
	Canon string
	Ref   *Ref
	Fixed bool
	Raw   bool // it is the name itself, without quotes: no SQL
}

// Value is what a fact says.
type Value struct {
	Form   Form
	Text   string   // FormScalar
	Items  []string // FormList, FormSet (sorted)
	Pieces []Piece  // FormSQL
	// Marks are the items of a list or set in pieces, where the names in them
	// are marked; what they are compared by are the Items.
	Marks [][]Piece
	// Key is a cheap comparison key: two values with equal, non-empty keys
	// are equal. Unequal keys prove nothing.
	Key string
	// Unread says that only the key was read; the catalog's Fetch, which knows
	// the value by its Handle, reads the rest.
	Unread bool
	Handle int
}

// Fetcher reads values that were left unread, in place, in few round trips.
type Fetcher func(ctx context.Context, values []*Value) error

// Scalar is a value of one text.
func Scalar(s string) Value { return Value{Form: FormScalar, Text: s} }

// List is a value whose order counts.
func List(items ...string) Value { return Value{Form: FormList, Items: items} }

// SetOf is a value whose order does not count.
func SetOf(items ...string) Value {
	s := slices.Clone(items)
	slices.Sort(s)
	return Value{Form: FormSet, Items: s}
}

// SQL is a value of SQL pieces.
func SQL(pieces ...Piece) Value { return Value{Form: FormSQL, Pieces: pieces} }

// PlainSQL is SQL the engine itself printed: its text is its canonical form.
func PlainSQL(text string) Value { return SQL(Piece{Text: text, Canon: text}) }

// String is the value as it was written.
func (v Value) String() string {
	switch v.Form {
	case FormScalar:
		return v.Text
	case FormSQL:
		if len(v.Pieces) == 1 {
			return v.Pieces[0].Text
		}
		var b strings.Builder
		for _, p := range v.Pieces {
			b.WriteString(p.Text)
		}
		return b.String()
	}
	return strings.Join(v.Items, ", ")
}

// Canonical is the one text all spellings of the value share.
func (v Value) Canonical() string {
	if v.Form == FormSQL {
		if len(v.Pieces) == 1 {
			return v.Pieces[0].Canon
		}
		var b strings.Builder
		for _, p := range v.Pieces {
			b.WriteString(p.Canon)
		}
		return b.String()
	}
	if v.Form == FormScalar {
		return v.Text
	}
	var b strings.Builder
	for _, it := range v.Items {
		b.WriteString(quoteName(it))
		b.WriteByte(',')
	}
	return b.String()
}

// Equal tells whether two values say the same.
func (v Value) Equal(w Value) bool {
	if v.Key != "" && v.Key == w.Key {
		return true
	}
	if v.Form != w.Form && (v.listed() || w.listed()) {
		return false
	}
	switch v.Form {
	case FormList, FormSet:
		return slices.Equal(v.Items, w.Items)
	}
	return v.Canonical() == w.Canonical()
}

// listed tells whether the value is no single text: a scalar in which names were
// marked is SQL, and says the same.
func (v Value) listed() bool { return v.Form == FormList || v.Form == FormSet }

// Undecided tells that the two values cannot be compared before both texts
// are read.
func (v Value) Undecided(w Value) bool {
	return (v.Unread || w.Unread) && (v.Key == "" || v.Key != w.Key)
}

// Written are the items of a list or set as they were written.
func (v Value) Written() []string {
	if v.Marks == nil {
		return v.Items
	}
	out := make([]string, len(v.Marks))
	for i, m := range v.Marks {
		for _, p := range m {
			out[i] += p.Text
		}
	}
	return out
}

// Refs lists what the names in the value stand for.
func (v Value) Refs() []Ref {
	var out []Ref
	for _, pieces := range append([][]Piece{v.Pieces}, v.Marks...) {
		for _, p := range pieces {
			if p.Ref != nil {
				out = append(out, *p.Ref)
			}
		}
	}
	return out
}

// Spelled is the value with its names spelled anew: spell is asked about every
// piece that is a name. A value in which nothing changes stays as it is.
func (v Value) Spelled(spell func(Piece) Piece) Value {
	changed := false
	each := func(pieces []Piece) []Piece {
		out := slices.Clone(pieces)
		for i, p := range out {
			if p.Ref == nil {
				continue
			}
			q := spell(p)
			changed = changed || q.Text != p.Text || q.Canon != p.Canon || *q.Ref != *p.Ref
			out[i] = q
		}
		return out
	}
	out := v
	out.Pieces = each(v.Pieces)
	if v.Marks != nil {
		out.Marks, out.Items = make([][]Piece, len(v.Marks)), make([]string, len(v.Marks))
		for i, m := range v.Marks {
			out.Marks[i] = each(m)
			for _, p := range out.Marks[i] {
				out.Items[i] += p.Canon
			}
		}
		if v.Form == FormSet {
			slices.Sort(out.Items)
		}
	}
	if !changed {
		return v
	}
	out.Key = ""
	return out
}
