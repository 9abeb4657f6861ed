package vocab

import "dappermirror/internal/core/catalog"

// Kinds PostgreSQL has besides the common ones.
const (
	Domain        catalog.Kind = "domain"
	Composite     catalog.Kind = "composite"
	Range         catalog.Kind = "range"
	MatView       catalog.Kind = "materialized-view"
	Policy        catalog.Kind = "policy"
	Rule          catalog.Kind = "rule"
	Exclusion     catalog.Kind = "exclusion"
	Publication   catalog.Kind = "publication"
	Extension     catalog.Kind = "extension"
	BaseType      catalog.Kind = "base-type"
	ForeignTable  catalog.Kind = "foreign-table"
	Wrapper       catalog.Kind = "foreign-data-wrapper"
	ForeignServer catalog.Kind = "foreign-server"
	UserMapping   catalog.Kind = "user-mapping"
	Subscription  catalog.Kind = "subscription"
	DefaultRights catalog.Kind = "default-privileges" // what ALTER DEFAULT PRIVILEGES sets for one role, kind of object and, perhaps, schema
)

// Shell is the name of a type whose own functions are not there yet. The
// functions a type is made of need no more of it.
func Shell(typ *catalog.Object) catalog.Ref {
	return catalog.Ref{Kind: "shell", Schema: typ.Schema, Name: typ.Name}
}

// Simple is a kind whose definition the server can put together as
// statements: it is compared by that text, and rebuilt when it differs.
type Simple struct {
	Kind  catalog.Kind
	Class string // the system catalog its oids are of
	Word  string // in DROP, COMMENT ON, ALTER … OWNER
	Space string
}

// SimpleKinds lists them.
var SimpleKinds = []Simple{
	{Extension, "pg_extension", "EXTENSION", "extension"},
	{"language", "pg_language", "LANGUAGE", "language"},
	{"access-method", "pg_am", "ACCESS METHOD", "access method"},
	{"collation", "pg_collation", "COLLATION", "collation"},
	{"conversion", "pg_conversion", "CONVERSION", "conversion"},
	{"aggregate", "pg_proc", "AGGREGATE", "routine"},
	{"operator", "pg_operator", "OPERATOR", "operator"},
	{"operator-family", "pg_opfamily", "OPERATOR FAMILY", "operator family"},
	{"operator-class", "pg_opclass", "OPERATOR CLASS", "operator class"},
	{"statistics", "pg_statistic_ext", "STATISTICS", "statistics"},
	{"text-search-parser", "pg_ts_parser", "TEXT SEARCH PARSER", "text search parser"},
	{"text-search-template", "pg_ts_template", "TEXT SEARCH TEMPLATE", "text search template"},
	{"text-search-dictionary", "pg_ts_dict", "TEXT SEARCH DICTIONARY", "text search dictionary"},
	{"text-search-configuration", "pg_ts_config", "TEXT SEARCH CONFIGURATION", "text search configuration"},
	{"cast", "pg_cast", "CAST", "cast"},
	{"transform", "pg_transform", "TRANSFORM", "transform"},
	{"event-trigger", "pg_event_trigger", "EVENT TRIGGER", "event trigger"},
}

// Kinds are all of them, with what is done with each.
var Kinds = catalog.NewKinds([]catalog.Kind{Extension, catalog.Schema, "language", "collation", catalog.Enum, Domain, Composite, Range, catalog.Sequence, catalog.Table, ForeignTable,
	catalog.Column, catalog.PrimaryKey, catalog.Unique, catalog.Check, Exclusion, catalog.ForeignKey, catalog.Index, catalog.Routine, "aggregate", catalog.View, MatView, catalog.Trigger, Policy, Rule}, notes()).Tolerating(tolerances()...)

func notes() []catalog.KindInfo {
	byText := []string{"definition"}
	const whole = "dropped and made anew when its definition changes"
	out := []catalog.KindInfo{
		{Kind: catalog.Schema, Note: "with owner, grants and default privileges"},
		{Kind: catalog.Table, Note: "ordinary, unlogged, partitioned, inheriting, of a type; recast with its rows when its partitioning changes"},
		{Kind: catalog.Column, Note: "type, collation, NOT NULL and its name (18), default, identity, generated, storage, compression, statistics target, options"},
		{Kind: catalog.PrimaryKey, DefinedBy: byText, Note: "also over time (18)"}, {Kind: catalog.Unique, DefinedBy: byText, Note: "NULLS NOT DISTINCT, deferrable"}, {Kind: catalog.Check, DefinedBy: byText, Note: "NO INHERIT, NOT VALID, NOT ENFORCED (18)"},
		{Kind: catalog.ForeignKey, DefinedBy: byText, Note: "all actions, deferrable, NOT VALID; SET NULL of some columns"}, {Kind: Exclusion, DefinedBy: byText},
		{Kind: catalog.Index, DefinedBy: []string{"unique", "definition"}, Note: "every method; one that is not valid is made anew", Notable: true}, {Kind: catalog.Trigger, Note: "with its enabled state", Notable: true},
		{Kind: Policy, Note: "with row security of the table", Notable: true}, {Kind: Rule, Notable: true},
		{Kind: catalog.View, Note: "replaced in place where its columns allow it"}, {Kind: MatView, Note: "with its indexes; filled again when made anew"},
		{Kind: catalog.Routine, Note: "functions, procedures, window functions; replaced in place where the signature allows it"},
		{Kind: catalog.Sequence, Note: "the counter is no structure"}, {Kind: catalog.Enum, Note: "values added in place; else a new type and a cast"},
		{Kind: Domain}, {Kind: Composite, Note: "attributes changed in place"}, {Kind: Range, Note: whole}, {Kind: BaseType, Note: "made through its shell; " + whole},
		{Kind: Extension, Note: "version and schema; its members are not objects of their own"},
		{Kind: ForeignTable, Note: "with options of table and columns"}, {Kind: Wrapper, Note: "changed in place"}, {Kind: ForeignServer, Note: "changed in place"},
		{Kind: UserMapping, Note: "without secrets"}, {Kind: Publication, Note: "changed in place"}, {Kind: Subscription, Note: "names and options; not where it connects to"},
		{Kind: DefaultRights, Note: "with --include grants"},
	}
	for _, k := range SimpleKinds {
		if k.Kind != Extension {
			out = append(out, catalog.KindInfo{Kind: k.Kind, Note: whole})
		}
	}
	return out
}

// IsTable tells the kinds that have columns, constraints and rows of their own
// or of somebody else.
func IsTable(k catalog.Kind) bool { return k == catalog.Table || k == ForeignTable }

// NotNullName is the name the server gives to a NOT NULL without one
// (PostgreSQL 18: CREATE TABLE, Notes); one of more than 63 bytes is cut.
func NotNullName(table, column string) string { return table + "_" + column + "_not_null" }
