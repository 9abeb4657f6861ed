package reader

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

// simpleQuery asks for the things of one simple kind.
type simpleQuery struct {
	kind  catalog.Kind
	since int // server_version_num
	// sql answers oid, schema (or NULL), name, what stands behind the word in
	// DROP, and the statements that make it.
	sql string
}

// The kinds, each with the statement it is made by.
var simpleQueries = []simpleQuery{
	{"collation", 0, `SELECT o.oid, n.nspname, o.collname, format('%I.%I', n.nspname, o.collname),
  format('CREATE COLLATION %I.%I (', n.nspname, o.collname) || concat_ws(', ',
    'provider = ' || CASE o.collprovider WHEN 'i' THEN 'icu' WHEN 'b' THEN 'builtin' ELSE 'libc' END,
    'locale = ' || quote_literal(coalesce(to_jsonb(o) ->> 'colllocale', to_jsonb(o) ->> 'colliculocale', CASE WHEN o.collcollate = o.collctype THEN o.collcollate END)),
    CASE WHEN o.collcollate <> o.collctype THEN 'lc_collate = ' || quote_literal(o.collcollate) || ', lc_ctype = ' || quote_literal(o.collctype) END,
    CASE WHEN NOT o.collisdeterministic THEN 'deterministic = false' END) || ');'
FROM pg_collation o JOIN pg_namespace n ON n.oid = o.collnamespace WHERE `},
	{"aggregate", 0, `SELECT p.oid, n.nspname, p.proname || '(' || oidvectortypes(p.proargtypes) || ')',
  format('%I.%I(%s)', n.nspname, p.proname, coalesce(nullif(pg_get_function_identity_arguments(p.oid), ''), '*')),
  format('CREATE AGGREGATE %I.%I(%s) (', n.nspname, p.proname, coalesce(nullif(pg_get_function_arguments(p.oid), ''), '*')) || concat_ws(', ',
    'sfunc = ' || a.aggtransfn::regproc, 'stype = ' || format_type(a.aggtranstype, NULL),
    CASE WHEN a.aggtransspace > 0 THEN 'sspace = ' || a.aggtransspace END,
    CASE WHEN a.aggfinalfn <> 0 THEN 'finalfunc = ' || a.aggfinalfn::regproc END,
    CASE WHEN a.aggfinalextra THEN 'finalfunc_extra' END,
    CASE WHEN a.aggfinalmodify <> (CASE a.aggkind WHEN 'n' THEN 'r' ELSE 'w' END)::"char" THEN 'finalfunc_modify = ' || CASE a.aggfinalmodify WHEN 'r' THEN 'read_only' WHEN 's' THEN 'shareable' ELSE 'read_write' END END,
    CASE WHEN a.aggcombinefn <> 0 THEN 'combinefunc = ' || a.aggcombinefn::regproc END,
    CASE WHEN a.aggserialfn <> 0 THEN 'serialfunc = ' || a.aggserialfn::regproc END,
    CASE WHEN a.aggdeserialfn <> 0 THEN 'deserialfunc = ' || a.aggdeserialfn::regproc END,
    'initcond = ' || quote_literal(a.agginitval),
    CASE WHEN a.aggmtransfn <> 0 THEN 'msfunc = ' || a.aggmtransfn::regproc END,
    CASE WHEN a.aggminvtransfn <> 0 THEN 'minvfunc = ' || a.aggminvtransfn::regproc END,
    CASE WHEN a.aggmtranstype <> 0 THEN 'mstype = ' || format_type(a.aggmtranstype, NULL) END,
    CASE WHEN a.aggmtransspace > 0 THEN 'msspace = ' || a.aggmtransspace END,
    CASE WHEN a.aggmfinalfn <> 0 THEN 'mfinalfunc = ' || a.aggmfinalfn::regproc END,
    CASE WHEN a.aggmfinalextra THEN 'mfinalfunc_extra' END,
    'minitcond = ' || quote_literal(a.aggminitval),
    CASE WHEN a.aggsortop <> 0 THEN 'sortop = ' || (SELECT format('operator(%I.%s)', sn.nspname, so.oprname) FROM pg_operator so JOIN pg_namespace sn ON sn.oid = so.oprnamespace WHERE so.oid = a.aggsortop) END,
    CASE p.proparallel WHEN 's' THEN 'parallel = safe' WHEN 'r' THEN 'parallel = restricted' END,
    CASE a.aggkind WHEN 'h' THEN 'hypothetical' END) || ');'
FROM pg_proc p JOIN pg_aggregate a ON a.aggfnoid = p.oid JOIN pg_namespace n ON n.oid = p.pronamespace WHERE p.prokind = 'a' AND `},
	{"statistics", 0, `SELECT o.oid, n.nspname, o.stxname, format('%I.%I', n.nspname, o.stxname), pg_get_statisticsobjdef(o.oid) || ';'
FROM pg_statistic_ext o JOIN pg_namespace n ON n.oid = o.stxnamespace WHERE `},
	{"text-search-dictionary", 0, `SELECT o.oid, n.nspname, o.dictname, format('%I.%I', n.nspname, o.dictname),
  format('CREATE TEXT SEARCH DICTIONARY %I.%I (TEMPLATE = %I.%I%s);', n.nspname, o.dictname, tn.nspname, t.tmplname, coalesce(', ' || o.dictinitoption, ''))
FROM pg_ts_dict o JOIN pg_namespace n ON n.oid = o.dictnamespace JOIN pg_ts_template t ON t.oid = o.dicttemplate JOIN pg_namespace tn ON tn.oid = t.tmplnamespace WHERE `},
	{"text-search-configuration", 0, `SELECT o.oid, n.nspname, o.cfgname, format('%I.%I', n.nspname, o.cfgname),
  format('CREATE TEXT SEARCH CONFIGURATION %I.%I (PARSER = %I.%I);', n.nspname, o.cfgname, pn.nspname, p.prsname) || coalesce(
    (SELECT string_agg(format(E'\nALTER TEXT SEARCH CONFIGURATION %I.%I ADD MAPPING FOR %I WITH %s;', n.nspname, o.cfgname, m.alias, m.dicts), '' ORDER BY m.alias)
     FROM (SELECT tt.alias, string_agg(format('%I.%I', dn.nspname, d.dictname), ', ' ORDER BY cm.mapseqno) AS dicts
           FROM pg_ts_config_map cm JOIN ts_token_type(o.cfgparser) tt ON tt.tokid = cm.maptokentype
           JOIN pg_ts_dict d ON d.oid = cm.mapdict JOIN pg_namespace dn ON dn.oid = d.dictnamespace
           WHERE cm.mapcfg = o.oid GROUP BY tt.alias) m), '')
FROM pg_ts_config o JOIN pg_namespace n ON n.oid = o.cfgnamespace JOIN pg_ts_parser p ON p.oid = o.cfgparser JOIN pg_namespace pn ON pn.oid = p.prsnamespace WHERE `},
	{"cast", 0, `SELECT c.oid, NULL, format('%s AS %s', format_type(c.castsource, NULL), format_type(c.casttarget, NULL)),
  format('(%s AS %s)', format_type(c.castsource, NULL), format_type(c.casttarget, NULL)),
  format('CREATE CAST (%s AS %s) %s%s;', format_type(c.castsource, NULL), format_type(c.casttarget, NULL),
    CASE c.castmethod WHEN 'f' THEN 'WITH FUNCTION ' || c.castfunc::regprocedure WHEN 'i' THEN 'WITH INOUT' ELSE 'WITHOUT FUNCTION' END,
    CASE c.castcontext WHEN 'a' THEN ' AS ASSIGNMENT' WHEN 'i' THEN ' AS IMPLICIT' ELSE '' END)
FROM pg_cast c WHERE c.oid >= 16384 AND NOT EXISTS (SELECT 1 FROM pg_depend d WHERE d.classid = 'pg_cast'::regclass AND d.objid = c.oid AND d.deptype IN ('i', 'e'))`},
	{"event-trigger", 0, `SELECT t.oid, NULL, t.evtname, quote_ident(t.evtname),
  format('CREATE EVENT TRIGGER %I ON %s%s EXECUTE FUNCTION %s();', t.evtname, t.evtevent,
    CASE WHEN t.evttags IS NOT NULL THEN ' WHEN TAG IN (' || (SELECT string_agg(quote_literal(x), ', ') FROM unnest(t.evttags) x) || ')' ELSE '' END, t.evtfoid::regproc)
  || CASE t.evtenabled WHEN 'D' THEN format(E'\nALTER EVENT TRIGGER %I DISABLE;', t.evtname) WHEN 'R' THEN format(E'\nALTER EVENT TRIGGER %I ENABLE REPLICA;', t.evtname)
     WHEN 'A' THEN format(E'\nALTER EVENT TRIGGER %I ENABLE ALWAYS;', t.evtname) ELSE '' END
FROM pg_event_trigger t`},
}

// extensionsSQL is asked first, since what belongs to an extension is no
// object of its own.
const extensionsSQL = `SELECT x.oid, NULL, x.extname, quote_ident(x.extname),
  format('CREATE EXTENSION %I SCHEMA %I VERSION %L;', x.extname, n.nspname, x.extversion)
FROM pg_extension x JOIN pg_namespace n ON n.oid = x.extnamespace WHERE x.extname <> 'plpgsql'`

func (r *reader) extension(w *row) { r.simple("extension", w) }

// simpleQueries are the queries of the kinds the server's version has.
func (r *reader) simpleQueries() []query {
	var out []query
	for _, q := range simpleQueries {
		if r.version < q.since {
			continue
		}
		sql := q.sql
		if strings.HasSuffix(sql, "WHERE ") || strings.HasSuffix(sql, "AND ") {
			alias := "o"
			if simpleKinds[q.kind].Class == "pg_proc" {
				alias = "p"
			}
			sql += notSystem + " AND " + notMember(simpleKinds[q.kind].Class, alias+".oid")
		}
		out = append(out, query{what: q.kind.Plural(), sql: sql, row: func(w *row) { r.simple(q.kind, w) }})
	}
	return out
}

var simpleKinds = func() map[catalog.Kind]vocab.Simple {
	m := map[catalog.Kind]vocab.Simple{}
	for _, k := range vocab.SimpleKinds {
		m[k.Kind] = k
	}
	return m
}()

func (r *reader) simple(kind catalog.Kind, w *row) {
	k := simpleKinds[kind]
	oid, schema, name, drop, def := w.oid(), w.text(), w.text(), w.text(), w.text()
	o := &catalog.Object{Kind: kind, Schema: schema, Name: name, Space: k.Space}
	o.Set("definition", catalog.PlainSQL(def))
	o.Carry("sql name", catalog.Scalar(drop))
	r.add(r.classes[k.Class], oid, o)
}

func (r *reader) member(w *row) {
	class, oid := w.oid(), w.oid()
	if x, ok := r.things[r.classes["pg_extension"]][w.oid()]; ok {
		r.note(class, oid, x)
	}
}

// classesSQL asks for the oids of system catalogs, which no version changes
// but which are better asked for than written down.
func classesSQL() string {
	names := []string{"'pg_publication'", "'pg_publication_rel'", "'pg_publication_namespace'"}
	for _, k := range vocab.SimpleKinds {
		names = append(names, "'"+k.Class+"'")
	}
	return fmt.Sprintf("SELECT relname, oid FROM pg_class WHERE relnamespace = 'pg_catalog'::regnamespace AND relname IN (%s)", strings.Join(names, ", "))
}
