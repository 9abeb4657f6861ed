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
// compared by, the same for every spelling of one thing. Where the piece is a
// name, Ref says what the name stands for, so that a rename can rewrite it.
type Piece struct {
	Text  string
	Canon string
	Ref   *Ref
}

// Value is what a fact says.
type Value struct {
	Form   Form
	Text   string   // FormScalar
	Items  []string // FormList, FormSet (sorted)
	Pieces []Piece  // FormSQL
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
	if v.Form != w.Form {
		return false
	}
	switch v.Form {
	case FormList, FormSet:
		return slices.Equal(v.Items, w.Items)
	}
	return v.Canonical() == w.Canonical()
}

// Undecided tells that the two values cannot be compared before both texts
// are read.
func (v Value) Undecided(w Value) bool {
	return (v.Unread || w.Unread) && (v.Key == "" || v.Key != w.Key)
}

// Refs lists what the names in the value stand for.
func (v Value) Refs() []Ref {
	var out []Ref
	for _, p := range v.Pieces {
		if p.Ref != nil {
			out = append(out, *p.Ref)
		}
	}
	return out
}

// Rewrite returns the value with the names rewritten for which rename gives
// a new one; text is the new spelling, canon what it is compared by.
func (v Value) Rewrite(rename func(Ref) (text, canon string, to Ref, ok bool)) Value {
	if v.Form != FormSQL {
		return v
	}
	out := v
	out.Key = ""
	out.Pieces = slices.Clone(v.Pieces)
	for i, p := range out.Pieces {
		if p.Ref == nil {
			continue
		}
		if text, canon, to, ok := rename(*p.Ref); ok {
			out.Pieces[i] = Piece{Text: text, Canon: canon, Ref: &to}
		}
	}
	return out
}
