package reader

import (
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

const defaultRightsSQL = `SELECT pg_get_userbyid(d.defaclrole), n.nspname, d.defaclobjtype, d.defaclacl::text[]
FROM pg_default_acl d LEFT JOIN pg_namespace n ON n.oid = d.defaclnamespace`

var defaultObjects = map[string]struct {
	kind catalog.Kind
	word string
}{"r": {catalog.Table, "TABLES"}, "S": {catalog.Sequence, "SEQUENCES"}, "f": {catalog.Routine, "FUNCTIONS"}, "T": {catalog.Enum, "TYPES"}, "n": {catalog.Schema, "SCHEMAS"}}

func (r *reader) defaultRights(w *row) {
	role, schema, objtype, acl := w.text(), w.text(), w.text(), w.texts()
	d, ok := defaultObjects[objtype]
	if !ok {
		return
	}
	o := &catalog.Object{Kind: vocab.DefaultRights, Name: strings.ToLower(d.word) + " of " + role, Group: "grants"}
	head := "ALTER DEFAULT PRIVILEGES FOR ROLE " + vocab.Quote(role)
	normal := vocab.Grants(d.kind, role, nil).Items
	if schema != "" {
		o.Name += " in " + schema
		head += " IN SCHEMA " + vocab.Quote(schema)
		o.Carry("schema", catalog.Scalar(schema))
		normal = nil // in a schema only what is added is kept
		o.Need(catalog.Ref{Kind: catalog.Schema, Name: schema}, catalog.AspectName)
	}
	if acl == nil {
		acl = []string{}
	}
	o.Set("rights", vocab.Grants(d.kind, role, acl))
	o.Carry("head", catalog.Scalar(head))
	o.Carry("on", catalog.Scalar(d.word))
	o.Carry("owner", catalog.Scalar(role))
	o.Carry("normal", catalog.List(normal...))
	r.c.Add(o)
}
