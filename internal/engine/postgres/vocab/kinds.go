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
	DefaultRights catalog.Kind = "default-privileges" // what ALTER DEFAULT PRIVILEGES sets for one role, kind of object and, perhaps, schema
)

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
	{"extension", "pg_extension", "EXTENSION", "extension"},
	{"collation", "pg_collation", "COLLATION", "collation"},
	{"aggregate", "pg_proc", "AGGREGATE", "routine"},
	{"statistics", "pg_statistic_ext", "STATISTICS", "statistics"},
	{"text-search-dictionary", "pg_ts_dict", "TEXT SEARCH DICTIONARY", "text search dictionary"},
	{"text-search-configuration", "pg_ts_config", "TEXT SEARCH CONFIGURATION", "text search configuration"},
	{"cast", "pg_cast", "CAST", "cast"},
	{"event-trigger", "pg_event_trigger", "EVENT TRIGGER", "event trigger"},
}

// NotNullName is the name the server gives to a NOT NULL without one
// (PostgreSQL 18: CREATE TABLE, Notes); one of more than 63 bytes is cut.
func NotNullName(table, column string) string { return table + "_" + column + "_not_null" }
