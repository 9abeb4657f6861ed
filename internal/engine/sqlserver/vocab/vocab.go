// Package vocab holds the words that reading and writing SQL Server share: kinds,
// names as SQL, and what tolerances cover.
package vocab

import (
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine/tolerance"
	"dappermirror/internal/standin/tsql"
)

// Dialect is how SQL Server's language, and its client, read a text.
var Dialect = tsql.Dialect

// Kinds SQL Server has besides the common ones.
const (
	AliasType catalog.Kind = "alias-type"
	TableType catalog.Kind = "table-type"
	Synonym   catalog.Kind = "synonym"
	// Role is a role of the database with its members, and Grant what one principal may do
	// with the database itself. They count with --include grants only.
	Role  catalog.Kind = "role"
	Grant catalog.Kind = "grant"
	// Period is the period of a table, and Versioning that another one keeps what was.
	Period     catalog.Kind = "period"
	Versioning catalog.Kind = "versioning"
	// PartitionFunction and PartitionScheme say into which partition a value goes, and where
	// the partitions lie.
	PartitionFunction catalog.Kind = "partition-function"
	PartitionScheme   catalog.Kind = "partition-scheme"
	// DatabaseTrigger looks at statements that change the structure.
	DatabaseTrigger catalog.Kind = "database-trigger"
	// Statistics are those that somebody created: they hold their columns.
	Statistics catalog.Kind = "statistic"
	// TextCatalog is a full-text catalog, and TextIndex the full-text index of a table
	// or of an indexed view.
	TextCatalog catalog.Kind = "fulltext-catalog"
	TextIndex   catalog.Kind = "fulltext-index"
	// Policy is a security policy with its predicates.
	Policy catalog.Kind = "security-policy"
)

// HistoryOf begins what a history table is known by whose name the server made.
const HistoryOf = "history of "

// GuardNumber is the number of the error that a guard stops a script with.
const GuardNumber = 50871

// TextIndexName is what the full-text index of a table is known by: it has no name.
const TextIndexName = "full text"

// InMemory is the fact of a table, or table type, in memory, with what becomes of its rows
// when the server starts; Native is the carried one of modules that are natively compiled.
const (
	InMemory = "in memory"
	Native   = "natively compiled"
)

// TypeColumns is the fact of a full-text index in which it has, for each of its columns,
// the one that says of what kind the bytes there are.
const TypeColumns = "type columns"

// DefaultGroup is the filegroup in which things lie that say nothing, as SQL.
const DefaultGroup = "[default]"

// The words that --include takes.
const (
	Owners = "owners"
	Grants = "grants"
	// ColumnOrder is the order in which the columns of tables stand: to change it a table is
	// copied.
	ColumnOrder = "column-order"
)

// RealName is the carried fact in which a constraint that the server named has its
// name: it is known by what it says.
const RealName = "real name"

// Written begins the names of carried facts that have a list of columns as SQL.
const Written = "written "

// Stored is the carried fact in which a check has its text as the server keeps it.
const Stored = "stored"

// Partitioned is the fact of a table or index in which it has its partition scheme and
// column, and Filegroup that of what does not lie where it would if nothing were said.
const (
	Partitioned = "partitioned by"
	Filegroup   = "filegroup"
)

// Filtered is the carried fact of a table some of whose rows a policy hides.
const Filtered = "filtered by"

// Current is the carried fact in which a history table has the table whose it is.
const Current = "history of"

// Objects is the namespace that tables, views, routines, sequences, synonyms,
// constraints and triggers of a schema share (SQL Server: sys.objects).
const Objects = "object"

// Collation is, among the settings of a structure, that of the database.
const Collation = "collation"

// DefaultFilegroup is, among the settings, the filegroup where things lie that say nothing,
// where that is not PRIMARY.
const DefaultFilegroup = "default filegroup"

// The aspects of a column's type that change alone, so that more can stay on it.
const (
	AspectWidened catalog.Aspect = "room"   // it has room for more letters or bytes
	AspectResized catalog.Aspect = "length" // its length, precision or scale is another
	// AspectColumns is which columns a table has.
	AspectColumns catalog.Aspect = "columns"
	// AspectRows is what its rows hold.
	AspectRows catalog.Aspect = "rows"
)

// Kinds are all of them, with what is done with each.
var Kinds = kinds()

func kinds() *catalog.Kinds {
	ks := catalog.NewKinds([]catalog.Kind{Role, catalog.Schema, PartitionFunction, PartitionScheme, TextCatalog, AliasType, TableType, catalog.Sequence, catalog.Table, catalog.Column, catalog.PrimaryKey, catalog.Unique, catalog.Check, catalog.ForeignKey, catalog.Index, TextIndex, Statistics, Period, Versioning,
		catalog.Routine, catalog.View, catalog.Trigger, Synonym, Policy, Grant, DatabaseTrigger},
		[]catalog.KindInfo{
			{Kind: Role, Note: "with its members; with --include grants"}, {Kind: Grant, Note: "on the database itself; with --include grants"},
			{Kind: catalog.Schema, Note: "those that are not the server's own; as all that follows, with owner and grants"},
			{Kind: PartitionFunction, Note: "split and merged in place"}, {Kind: PartitionScheme, Note: "its function, and its filegroup where it is one"}, {Kind: TextCatalog, Note: "accents, whether it is the default one; behind the transaction"},
			{Kind: catalog.Table, Note: "heap or clustered, in memory, filegroup, partition scheme, compression, lock escalation; rebuilt with its rows where ALTER TABLE cannot"},
			{Kind: catalog.Column, Note: "type, collation, NULL, identity, default with its name, computed, persisted, ROWGUIDCOL, sparse, mask"},
			{Kind: catalog.PrimaryKey, Note: "clustered or not, options"}, {Kind: catalog.Unique, DefinedBy: []string{"columns", "descending", "clustered"}, Note: "clustered or not, options"},
			{Kind: catalog.Check, DefinedBy: []string{"expression"}, Note: "trusted, disabled, NOT FOR REPLICATION"},
			{Kind: catalog.ForeignKey, DefinedBy: []string{"columns", "parent", "parent columns"}, Note: "actions, trusted, disabled, NOT FOR REPLICATION"},
			{Kind: catalog.Index, DefinedBy: []string{"unique", "type", "columns", "descending", "include", "where", "using", "for", "tessellation", "buckets"}, Note: "clustered, included, filtered, columnstore, hash, on XML, in space, filegroup, options, disabled; of views as well", Notable: true},
			{Kind: TextIndex, Note: "of a table or an indexed view: columns, languages, key, catalog, change tracking; made behind the transaction"},
			{Kind: Statistics, Note: "those that were created, filtered or not"}, {Kind: Period, Note: "of system time, with what is hidden"}, {Kind: Versioning, Note: "pauses while its table or the history changes; retention"},
			{Kind: catalog.Trigger, Note: "AFTER and INSTEAD OF, order, disabled", Notable: true},
			{Kind: catalog.View, Note: "altered in place; schema bound ones step aside for what they stand on"}, {Kind: catalog.Routine, Note: "procedures, scalar, inline and multi-statement functions"},
			{Kind: catalog.Sequence, Note: "the counter is no structure"}, {Kind: AliasType, Note: "made anew when it changes"}, {Kind: TableType, Note: "made anew when it changes, with the routines that use it"}, {Kind: Synonym, Note: "made anew when it changes"}, {Kind: DatabaseTrigger, Note: "made last; order, disabled", Notable: true}, {Kind: Policy, Note: "steps aside while what it filters changes; made anew when its predicates change"},
		}).Tolerating(tolerances()...)
	ks.FoldParts = true
	return ks
}

func tolerances() []catalog.Cover {
	texts := tolerance.Kinds(catalog.Routine, catalog.View, catalog.Trigger, DatabaseTrigger)
	keys := tolerance.Kinds(catalog.Table, catalog.Index, catalog.PrimaryKey, catalog.Unique)
	return slices.Concat(tolerance.Names("name"), tolerance.Texts(Dialect, texts, []string{"definition"}, nil), []catalog.Cover{
		tolerance.Of("collation", nil, "collation"),
		tolerance.Of("column-order", tolerance.Kinds(catalog.Table, TableType), "column order"),
		tolerance.Of("comments", nil, "comment"),
		tolerance.Of("default-names", tolerance.Kinds(catalog.Column), "default name"),
		tolerance.Of("enabled", nil, "disabled"),
		tolerance.Of("grants", nil, "grants"), tolerance.Of("grants", tolerance.Kinds(Role, Grant), catalog.CoverThing, "members", "grants"),
		tolerance.Of("owners", nil, "owner"),
		{Tolerance: "identity", Kinds: tolerance.Kinds(catalog.Column), Facts: []string{"identity"}, Like: func(string) string { return "yes" }},
		tolerance.Of("sequence-options", tolerance.Kinds(catalog.Sequence), "start", "minimum", "maximum", "increment", "cache", "cycle"),
		tolerance.Of("storage", keys, "compression", "lock escalation", "options", Partitioned, Filegroup, "buckets"), tolerance.Of("storage", tolerance.Kinds(PartitionScheme), Filegroup), tolerance.Of("storage", tolerance.Kinds(PartitionFunction), "values"),
		tolerance.Of("trigger-order", tolerance.Kinds(catalog.Trigger, DatabaseTrigger), "order"),
		tolerance.Of("validated", nil, "not trusted"),
	})
}

// Quote writes a name as SQL.
func Quote(name string) string { return tsql.Quote(name) }

// Bare is the name of a column in a list, which may be descending.
func Bare(item string) string {
	toks := sqltext.Significant(Dialect, item)
	if len(toks) == 0 {
		return ""
	}
	return toks[0].Name()
}

// Qualified writes the name of an object with its schema.
func Qualified(o *catalog.Object) string {
	if o.Schema == "" {
		return Quote(o.Name)
	}
	return Quote(o.Schema) + "." + Quote(o.Name)
}

// String writes a text as a constant.
func String(s string) string { return tsql.String(s) }

// Blank is a structure with nothing in it.
func Blank() *catalog.Catalog {
	return &catalog.Catalog{Engine: "sqlserver", Kinds: Kinds, FoldNames: true, Spell: func(name string, canonical bool) string {
		if canonical {
			return Quote(strings.ToLower(name))
		}
		return Quote(name)
	}}
}

// Fold brings a name into the form in which it is compared.
func Fold(c *catalog.Catalog) func(string) string {
	if c.FoldNames {
		return strings.ToLower
	}
	return func(s string) string { return s }
}

// Batch ends a statement so that the client hands it on alone, as it stands: one
// that holds what the client would take for its own goes as a text.
func Batch(sql string) string {
	sql = strings.TrimSpace(sql)
	if sqltext.ClientLine(Dialect, sql) == "" {
		return sql + "\nGO"
	}
	return "EXEC (" + Broken(sql) + ");\nGO"
}

// Broken is a text as constants that are put together again, so that no line of it
// begins or holds what the client looks for.
func Broken(sql string) string {
	sql = strings.ReplaceAll(sql, "'", "''")
	sql = strings.ReplaceAll(sql, "$(", "$' + N'(")
	return "N'" + strings.ReplaceAll(sql, "\n", "' + N'\n' + N'") + "'"
}
