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

// IsTable tells the kinds that have columns, constraints and rows of their own
// or of somebody else.
func IsTable(k catalog.Kind) bool { return k == catalog.Table || k == ForeignTable }

// NotNullName is the name the server gives to a NOT NULL without one
// (PostgreSQL 18: CREATE TABLE, Notes); one of more than 63 bytes is cut.
func NotNullName(table, column string) string { return table + "_" + column + "_not_null" }
