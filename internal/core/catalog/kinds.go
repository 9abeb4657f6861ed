package catalog

import (
	"slices"
	"strings"
)

// The kinds more than one engine has. Engines add their own.
const (
	Schema       Kind = "schema"
	Table        Kind = "table"
	VirtualTable Kind = "virtual-table"
	View         Kind = "view"
	Sequence     Kind = "sequence"
	Routine      Kind = "routine"
	Enum         Kind = "enum"

	Column     Kind = "column"
	PrimaryKey Kind = "primary-key"
	Unique     Kind = "unique"
	Check      Kind = "check"
	ForeignKey Kind = "foreign-key"
	Index      Kind = "index"
	Trigger    Kind = "trigger"
)

// KindInfo is what an engine says of a kind that it reads and writes.
type KindInfo struct {
	Kind Kind
	Note string // what is done with it, for people
	// Notable parts are counted as objects are when a catalog is summed up:
	// they could as well be objects of their own.
	Notable bool
	// Told objects are spoken of when they differ, also where their group was not
	// asked for.
	Told bool
	// DefinedBy are the facts that make a nameless or differently named part
	// the same as another: nothing refers to it by its name.
	DefinedBy []string
}

// Kinds are those of one engine. The zero of it, nil, knows none.
type Kinds struct {
	List []KindInfo
	rank map[Kind]int
	info map[Kind]KindInfo
	// FoldParts says that the names of parts are compared without regard to letter
	// case though others are not.
	FoldParts bool
	// Covers are what tolerances make equal.
	Covers []Cover
	// Follow brings what is left as it is in line with what the engine changes
	// in it all the same, when other things change; nil where there is none such.
	Follow func(wanted, actual *Catalog, left func(*Object) bool)
}

// Cover says which facts a tolerance makes equal, and how far.
type Cover struct {
	Tolerance string
	Kinds     []Kind // nil for all
	Facts     []string
	// Like is what of a value still counts; nil for nothing, not even that the
	// fact is there.
	Like func(text string) string
	// Letters says that the facts are about how the thing's own name is written.
	Letters bool
	// With are facts that are kept only to write the others, and go with them.
	With []string
	// Keep is the text of the source with what is tolerated as the target's text
	// has it; nil where that cannot be told from the rest.
	Keep func(source, target string) string
	// Where narrows the cover to some of the things; nil for all.
	Where func(*Object) bool
}

// Values is the fact that lists the values of a type, and ValueKind the word by which
// one of them is named in a rename. Revalued is, on what the source has, which
// values are to bear which other names: the old one, the new one, and so on.
const (
	Values    = "values"
	ValueKind = "value"
	Revalued  = "renamed values"
)

// What a cover names for the thing itself and for its name, where others name
// facts.
const (
	CoverThing = "(the thing itself)"
	CoverName  = "(its name)"
)

// Of tells whether a cover is about something of a thing.
func (c *Cover) Of(o *Object, fact string) bool {
	return (c.Kinds == nil || slices.Contains(c.Kinds, o.Kind)) && slices.ContainsFunc(c.Facts, func(f string) bool {
		prefix, all := strings.CutSuffix(f, "*")
		return f == fact || all && strings.HasPrefix(fact, prefix)
	}) && (c.Where == nil || c.Where(o))
}

// Tolerating are the kinds with what tolerances cover of them.
func (ks *Kinds) Tolerating(covers ...Cover) *Kinds {
	ks.Covers = covers
	return ks
}

// Following is the Follow of the kinds, or nil.
func (ks *Kinds) Following() func(wanted, actual *Catalog, left func(*Object) bool) {
	if ks == nil {
		return nil
	}
	return ks.Follow
}

// Tolerable lists what tolerances cover.
func (ks *Kinds) Tolerable() []Cover {
	if ks == nil {
		return nil
	}
	return ks.Covers
}

// NewKinds makes the kinds of an engine. basic are those that are listed to
// people in this order, the others behind them; it also breaks ties between
// steps nothing else orders.
func NewKinds(basic []Kind, list []KindInfo) *Kinds {
	ks := &Kinds{List: list, rank: make(map[Kind]int, len(basic))}
	for i, k := range basic {
		ks.rank[k] = i - len(basic)
	}
	ks.info = make(map[Kind]KindInfo, len(list))
	for _, i := range list {
		ks.info[i.Kind] = i
	}
	return ks
}

// Rank is the place of a kind in listings: a number that grows; kinds that are
// not basic come last, together.
func (ks *Kinds) Rank(k Kind) int {
	if ks == nil {
		return 0
	}
	return ks.rank[k]
}

// Info is what the engine says of a kind; the zero value where it has none such.
func (ks *Kinds) Info(k Kind) KindInfo {
	if ks == nil {
		return KindInfo{}
	}
	return ks.info[k]
}
