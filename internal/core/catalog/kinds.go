package catalog

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

// kindOrder is the order in which kinds are listed to people, and the rank
// that breaks ties between steps nothing else orders.
var kindOrder = []Kind{
	"extension", Schema, "language", "collation", Enum, "domain", "composite", "range", Sequence,
	Table, "foreign-table", VirtualTable,
	Column, PrimaryKey, Unique, Check, "exclusion", ForeignKey,
	Index, Routine, "aggregate", View, "materialized-view", Trigger, "policy", "rule",
}

var kindRank = func() map[Kind]int {
	m := make(map[Kind]int, len(kindOrder))
	for i, k := range kindOrder {
		m[k] = i + 1
	}
	return m
}()

// Rank is the place of a kind in listings; unknown kinds come last.
func Rank(k Kind) int {
	if r, ok := kindRank[k]; ok {
		return r
	}
	return len(kindOrder) + 1
}

// Notable tells which kinds of part are counted when a catalog is summed up:
// those that could as well be objects of their own.
func Notable(k Kind) bool { return k == Index || k == Trigger || k == "policy" || k == "rule" }
