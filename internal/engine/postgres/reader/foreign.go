package reader

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

const wrappersSQL = `SELECT w.oid, w.fdwname, CASE WHEN w.fdwhandler <> 0 THEN w.fdwhandler::regproc::text END, CASE WHEN w.fdwvalidator <> 0 THEN w.fdwvalidator::regproc::text END,
  w.fdwoptions, pg_get_userbyid(w.fdwowner), w.fdwacl::text[]
FROM pg_foreign_data_wrapper w`

const serversSQL = `SELECT s.oid, s.srvname, w.fdwname, s.srvtype, s.srvversion, s.srvoptions, pg_get_userbyid(s.srvowner), s.srvacl::text[]
FROM pg_foreign_server s JOIN pg_foreign_data_wrapper w ON w.oid = s.srvfdw`

// What pg_user_mappings does not show to this account is NULL there.
const mappingsSQL = `SELECT u.umid, u.srvname, CASE WHEN u.umuser = 0 THEN 'PUBLIC' ELSE quote_ident(u.usename) END, u.umoptions,
  u.umoptions IS NULL AND NOT (SELECT rolsuper FROM pg_roles WHERE rolname = current_user) FROM pg_user_mappings u`

const foreignTablesSQL = `SELECT t.ftrelid, s.srvname, t.ftoptions FROM pg_foreign_table t JOIN pg_foreign_server s ON s.oid = t.ftserver`

const subscriptionsSQL = `SELECT %s, s.subname, s.subslotname, %s, s.subpublications, %s, %s, pg_get_userbyid(s.subowner)
FROM pg_subscription s WHERE s.subdbid = (SELECT d.oid FROM pg_database d WHERE d.datname = current_database())`

// secrets are options whose values are nobody's business: they are neither
// compared nor written.
var secrets = []string{"password", "passwd", "passfile", "passcode", "secret", "token", "sslkey", "apikey", "api_key", "private_key", "access_key"}

// options are "name=value" as the catalogs hold them, without secrets.
func options(list []string) []string {
	var out []string
	for _, o := range list {
		name, _, _ := strings.Cut(o, "=")
		secret := false
		for _, s := range secrets {
			secret = secret || strings.Contains(strings.ToLower(name), s)
		}
		if !secret {
			out = append(out, o)
		}
	}
	return out
}

func setOptions(o *catalog.Object, list []string) {
	if l := options(list); len(l) > 0 {
		o.Set("options", catalog.SetOf(l...))
	}
}

func (r *reader) wrapper(w *row) {
	oid, name := w.oid(), w.text()
	if _, member := r.things[r.classes["pg_foreign_data_wrapper"]][oid]; member {
		return
	}
	o := &catalog.Object{Kind: vocab.Wrapper, Name: name, Space: "foreign-data wrapper"}
	o.SetText("handler", w.text())
	o.SetText("validator", w.text())
	setOptions(o, w.texts())
	r.owned(o, w.text(), w.texts())
	r.add(r.classes["pg_foreign_data_wrapper"], oid, o)
}

func (r *reader) server(w *row) {
	oid := w.oid()
	o := &catalog.Object{Kind: vocab.ForeignServer, Name: w.text(), Space: "server"}
	o.Set("wrapper", catalog.Scalar(w.text()))
	o.SetText("type", w.text())
	o.SetText("version", w.text())
	setOptions(o, w.texts())
	r.owned(o, w.text(), w.texts())
	r.add(r.classes["pg_foreign_server"], oid, o)
}

func (r *reader) mapping(w *row) {
	oid, server, user := w.oid(), w.text(), w.text()
	o := &catalog.Object{Kind: vocab.UserMapping, Name: user + " on " + server, Space: "user mapping"}
	o.Carry("sql name", catalog.Scalar("FOR "+user+" SERVER "+vocab.Quote(server)))
	setOptions(o, w.texts())
	if _, said := r.c.Unseen(vocab.UserMapping, "options"); w.bool() && !said {
		r.c.Gaps = append(r.c.Gaps, catalog.Gap{Kind: vocab.UserMapping, Property: "options", Why: "the account may not see the options of all of them"})
	}
	o.Need(catalog.Ref{Kind: vocab.ForeignServer, Name: server}, catalog.AspectName)
	r.add(r.classes["pg_user_mapping"], oid, o)
}

func (r *reader) foreignTable(w *row) {
	rel := r.rels[w.oid()]
	if rel == nil {
		return
	}
	server := w.text()
	rel.object.Set("server", catalog.Scalar(server))
	setOptions(rel.object, w.texts())
	rel.object.Need(catalog.Ref{Kind: vocab.ForeignServer, Name: server}, catalog.AspectName)
}

func (r *reader) subscriptionsSQL() string {
	// Not every account may read more before 14.
	return fmt.Sprintf(subscriptionsSQL, r.since(140000, "s.oid", "0::oid"), r.since(140000, "s.subsynccommit", "NULL::text"), r.since(140000, "s.subbinary", "false"), r.since(140000, "s.substream::text", "'f'"))
}

// subscription reads all but where it connects to, and whether it runs, which
// is no structure.
func (r *reader) subscription(w *row) {
	oid := w.oid()
	o := &catalog.Object{Kind: vocab.Subscription, Name: w.text(), Space: "subscription"}
	o.SetText("slot", w.text())
	o.SetText("synchronous commit", w.text())
	l := w.texts()
	o.Set("publications", catalog.SetOf(l...))
	o.Carry("written publications", catalog.List(l...))
	o.SetIf("binary", w.bool())
	if s := w.text(); s != "f" && s != "false" {
		o.Set("streaming", catalog.Scalar(map[string]string{"t": "on", "true": "on", "p": "parallel"}[s]))
	}
	o.Optional("owner", "owners", catalog.Scalar(w.text()))
	r.add(r.classes["pg_subscription"], oid, o)
}

// baseTypesSQL reads types made in C, with what they are made of.
const baseTypesSQL = `SELECT t.oid, t.typnamespace, t.typname, t.typarray, t.typinput::oid, t.typoutput::oid, t.typreceive::oid, t.typsend::oid, t.typmodin::oid, t.typmodout::oid, t.typanalyze::oid, %s,
  'CREATE TYPE ' || quote_ident(n.nspname) || '.' || quote_ident(t.typname) || ' (' || concat_ws(', ', 'INPUT = ' || t.typinput, 'OUTPUT = ' || t.typoutput,
    CASE WHEN t.typreceive <> 0 THEN 'RECEIVE = ' || t.typreceive END, CASE WHEN t.typsend <> 0 THEN 'SEND = ' || t.typsend END,
    CASE WHEN t.typmodin <> 0 THEN 'TYPMOD_IN = ' || t.typmodin END, CASE WHEN t.typmodout <> 0 THEN 'TYPMOD_OUT = ' || t.typmodout END,
    CASE WHEN t.typanalyze <> 0 THEN 'ANALYZE = ' || t.typanalyze END, %s,
    'INTERNALLENGTH = ' || CASE WHEN t.typlen = -1 THEN 'VARIABLE' ELSE t.typlen::text END, CASE WHEN t.typbyval THEN 'PASSEDBYVALUE' END,
    'ALIGNMENT = ' || CASE t.typalign WHEN 'c' THEN 'char' WHEN 's' THEN 'int2' WHEN 'i' THEN 'int4' ELSE 'double' END,
    CASE WHEN t.typstorage <> 'p' THEN 'STORAGE = ' || CASE t.typstorage WHEN 'e' THEN 'external' WHEN 'x' THEN 'extended' ELSE 'main' END END,
    CASE WHEN t.typcategory <> 'U' THEN 'CATEGORY = ' || quote_literal(t.typcategory::text) END, CASE WHEN t.typispreferred THEN 'PREFERRED = true' END,
    CASE WHEN t.typdefault IS NOT NULL THEN 'DEFAULT = ' || quote_literal(t.typdefault) END, CASE WHEN t.typelem <> 0 THEN 'ELEMENT = ' || format_type(t.typelem, NULL) END,
    CASE WHEN t.typdelim <> ',' THEN 'DELIMITER = ' || quote_literal(t.typdelim::text) END, CASE WHEN t.typcollation <> 0 THEN 'COLLATABLE = true' END) || ');',
  pg_get_userbyid(t.typowner), t.typacl::text[]
FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace WHERE t.typtype = 'b' AND t.oid >= 16384 AND t.typcategory <> 'A'`

func (r *reader) baseTypesSQL() string {
	return fmt.Sprintf(baseTypesSQL, r.since(140000, "t.typsubscript::oid", "0::oid"), r.since(140000, "CASE WHEN t.typsubscript <> 0 THEN 'SUBSCRIPT = ' || t.typsubscript END", "NULL"))
}

func (r *reader) baseType(w *row) {
	oid, schema, name, array := w.oid(), w.oid(), w.text(), w.oid()
	if !r.mine(pgType, oid, schema) {
		return
	}
	o := &catalog.Object{Kind: vocab.BaseType, Schema: r.schemas[schema], Name: name, Space: "type"}
	for range 8 {
		if f := w.oid(); f != 0 {
			r.shells[f] = o // its functions need no more than the type's shell
		}
	}
	o.Set("definition", catalog.PlainSQL(w.text()))
	r.owned(o, w.text(), w.texts())
	r.add(pgType, oid, o)
	r.elements[array] = true
	r.types[oid], r.types[array] = thing{o, nil}, thing{o, nil}
	r.note(pgType, array, thing{o, nil})
}

// labelsSQL reads security labels of what has one name.
const labelsSQL = `SELECT l.classoid, l.objoid, l.objsubid, l.provider, l.label FROM pg_seclabel l WHERE l.objoid >= 16384`

func (r *reader) label(w *row) {
	a := address{w.oid(), w.oid(), int32(w.int())}
	if t, ok := r.thing(a); ok && t.owner != nil && t.owner.Kind != vocab.Extension {
		o := t.self()
		o.Set("security labels", catalog.SetOf(append(o.List("security labels"), vocab.Quote(w.text())+" "+w.text())...))
	}
}
