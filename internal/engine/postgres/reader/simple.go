package reader

import (
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

// simpleQuery asks for the things of one simple kind.
type simpleQuery struct {
	kind catalog.Kind
	// sql answers oid, schema (or NULL), name, what stands behind the word in
	// DROP, the statements that make it, and owner and rights (or NULL).
	sql string
}

// The kinds, each with the statement it is made by.
var simpleQueries = []simpleQuery{
	{"language", `SELECT l.oid, NULL, l.lanname, quote_ident(l.lanname),
  format('CREATE %sLANGUAGE %I%s;', CASE WHEN l.lanpltrusted THEN 'TRUSTED ' ELSE '' END, l.lanname,
    CASE WHEN l.lanplcallfoid <> 0 THEN ' HANDLER ' || l.lanplcallfoid::regproc || CASE WHEN l.laninline <> 0 THEN ' INLINE ' || l.laninline::regproc ELSE '' END
      || CASE WHEN l.lanvalidator <> 0 THEN ' VALIDATOR ' || l.lanvalidator::regproc ELSE '' END ELSE '' END), l.lanowner, l.lanacl::text[]
FROM pg_language l WHERE l.lanispl AND l.oid >= 16384 AND ` + notMember("pg_language", "l.oid")},
	{"access-method", `SELECT a.oid, NULL, a.amname, quote_ident(a.amname),
  format('CREATE ACCESS METHOD %I TYPE %s HANDLER %s;', a.amname, CASE a.amtype WHEN 'i' THEN 'INDEX' ELSE 'TABLE' END, a.amhandler), NULL, NULL
FROM pg_am a WHERE a.oid >= 16384 AND ` + notMember("pg_am", "a.oid")},
	{"collation", `SELECT o.oid, n.nspname, o.collname, format('%I.%I', n.nspname, o.collname),
  format('CREATE COLLATION %I.%I (', n.nspname, o.collname) || concat_ws(', ',
    'provider = ' || CASE o.collprovider WHEN 'i' THEN 'icu' WHEN 'b' THEN 'builtin' ELSE 'libc' END,
    'locale = ' || quote_literal(coalesce(to_jsonb(o) ->> 'colllocale', to_jsonb(o) ->> 'colliculocale', CASE WHEN o.collcollate = o.collctype THEN o.collcollate END)),
    CASE WHEN o.collcollate <> o.collctype THEN 'lc_collate = ' || quote_literal(o.collcollate) || ', lc_ctype = ' || quote_literal(o.collctype) END,
    'rules = ' || quote_literal(to_jsonb(o) ->> 'collicurules'),
    CASE WHEN NOT o.collisdeterministic THEN 'deterministic = false' END) || ');',
  o.collowner, NULL
FROM pg_collation o JOIN pg_namespace n ON n.oid = o.collnamespace WHERE `},
	{"conversion", `SELECT o.oid, n.nspname, o.conname, format('%I.%I', n.nspname, o.conname),
  format('CREATE %sCONVERSION %I.%I FOR %L TO %L FROM %s;', CASE WHEN o.condefault THEN 'DEFAULT ' ELSE '' END, n.nspname, o.conname,
    pg_encoding_to_char(o.conforencoding), pg_encoding_to_char(o.contoencoding), o.conproc), o.conowner, NULL
FROM pg_conversion o JOIN pg_namespace n ON n.oid = o.connamespace WHERE `},
	{"aggregate", `SELECT p.oid, n.nspname, p.proname || '(' || oidvectortypes(p.proargtypes) || ')',
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
    CASE a.aggkind WHEN 'h' THEN 'hypothetical' END) || ');',
  p.proowner, p.proacl::text[]
FROM pg_proc p JOIN pg_aggregate a ON a.aggfnoid = p.oid JOIN pg_namespace n ON n.oid = p.pronamespace WHERE p.prokind = 'a' AND `},
	{"operator", `SELECT o.oid, n.nspname, format('%s(%s, %s)', o.oprname, CASE WHEN o.oprleft = 0 THEN 'NONE' ELSE format_type(o.oprleft, NULL) END, CASE WHEN o.oprright = 0 THEN 'NONE' ELSE format_type(o.oprright, NULL) END),
  format('%I.%s (%s, %s)', n.nspname, o.oprname, CASE WHEN o.oprleft = 0 THEN 'NONE' ELSE format_type(o.oprleft, NULL) END, CASE WHEN o.oprright = 0 THEN 'NONE' ELSE format_type(o.oprright, NULL) END),
  format('CREATE OPERATOR %I.%s (', n.nspname, o.oprname) || concat_ws(', ', 'FUNCTION = ' || o.oprcode,
    CASE WHEN o.oprleft <> 0 THEN 'LEFTARG = ' || format_type(o.oprleft, NULL) END, CASE WHEN o.oprright <> 0 THEN 'RIGHTARG = ' || format_type(o.oprright, NULL) END,
    'COMMUTATOR = ' || (SELECT format('OPERATOR(%I.%s)', cn.nspname, c.oprname) FROM pg_operator c JOIN pg_namespace cn ON cn.oid = c.oprnamespace WHERE c.oid = o.oprcom),
    'NEGATOR = ' || (SELECT format('OPERATOR(%I.%s)', cn.nspname, c.oprname) FROM pg_operator c JOIN pg_namespace cn ON cn.oid = c.oprnamespace WHERE c.oid = o.oprnegate),
    CASE WHEN o.oprrest <> 0 THEN 'RESTRICT = ' || o.oprrest END, CASE WHEN o.oprjoin <> 0 THEN 'JOIN = ' || o.oprjoin END,
    CASE WHEN o.oprcanhash THEN 'HASHES' END, CASE WHEN o.oprcanmerge THEN 'MERGES' END) || ');', o.oprowner, NULL
FROM pg_operator o JOIN pg_namespace n ON n.oid = o.oprnamespace WHERE o.oprcode <> 0 AND `},
	{"operator-family", `SELECT o.oid, n.nspname, format('%s USING %s', o.opfname, am.amname), format('%I.%I USING %I', n.nspname, o.opfname, am.amname),
  format('CREATE OPERATOR FAMILY %I.%I USING %I;', n.nspname, o.opfname, am.amname) || coalesce((SELECT format(E'\nALTER OPERATOR FAMILY %I.%I USING %I ADD ', n.nspname, o.opfname, am.amname) || string_agg(m.item, ', ' ORDER BY m.item) || ';'
    FROM (` + members("pg_opfamily", "o.oid") + `) m), ''), o.opfowner, NULL
FROM pg_opfamily o JOIN pg_namespace n ON n.oid = o.opfnamespace JOIN pg_am am ON am.oid = o.opfmethod WHERE `},
	{"operator-class", `SELECT o.oid, n.nspname, format('%s USING %s', o.opcname, am.amname), format('%I.%I USING %I', n.nspname, o.opcname, am.amname),
  format('CREATE OPERATOR CLASS %I.%I%s FOR TYPE %s USING %I FAMILY %I.%I AS %s;', n.nspname, o.opcname, CASE WHEN o.opcdefault THEN ' DEFAULT' ELSE '' END, format_type(o.opcintype, NULL), am.amname, fn.nspname, f.opfname,
    concat_ws(', ', CASE WHEN o.opckeytype <> 0 THEN 'STORAGE ' || format_type(o.opckeytype, NULL) END, coalesce((SELECT string_agg(m.item, ', ' ORDER BY m.item) FROM (` + members("pg_opclass", "o.oid") + `) m),
      CASE WHEN o.opckeytype = 0 THEN 'STORAGE ' || format_type(o.opcintype, NULL) END))), o.opcowner, NULL
FROM pg_opclass o JOIN pg_namespace n ON n.oid = o.opcnamespace JOIN pg_am am ON am.oid = o.opcmethod
JOIN pg_opfamily f ON f.oid = o.opcfamily JOIN pg_namespace fn ON fn.oid = f.opfnamespace WHERE `},
	{"statistics", `SELECT o.oid, n.nspname, o.stxname, format('%I.%I', n.nspname, o.stxname), pg_get_statisticsobjdef(o.oid) || ';' || CASE WHEN (to_jsonb(o) ->> 'stxstattarget')::int >= 0
    THEN format(E'\nALTER STATISTICS %I.%I SET STATISTICS %s;', n.nspname, o.stxname, to_jsonb(o) ->> 'stxstattarget') ELSE '' END,
  o.stxowner, NULL
FROM pg_statistic_ext o JOIN pg_namespace n ON n.oid = o.stxnamespace WHERE `},
	{"text-search-parser", `SELECT o.oid, n.nspname, o.prsname, format('%I.%I', n.nspname, o.prsname),
  format('CREATE TEXT SEARCH PARSER %I.%I (START = %s, GETTOKEN = %s, END = %s, LEXTYPES = %s%s);', n.nspname, o.prsname, o.prsstart, o.prstoken, o.prsend, o.prslextype,
    CASE WHEN o.prsheadline <> 0 THEN ', HEADLINE = ' || o.prsheadline ELSE '' END), NULL, NULL
FROM pg_ts_parser o JOIN pg_namespace n ON n.oid = o.prsnamespace WHERE `},
	{"text-search-template", `SELECT o.oid, n.nspname, o.tmplname, format('%I.%I', n.nspname, o.tmplname),
  format('CREATE TEXT SEARCH TEMPLATE %I.%I (%sLEXIZE = %s);', n.nspname, o.tmplname, CASE WHEN o.tmplinit <> 0 THEN 'INIT = ' || o.tmplinit || ', ' ELSE '' END, o.tmpllexize), NULL, NULL
FROM pg_ts_template o JOIN pg_namespace n ON n.oid = o.tmplnamespace WHERE `},
	{"text-search-dictionary", `SELECT o.oid, n.nspname, o.dictname, format('%I.%I', n.nspname, o.dictname),
  format('CREATE TEXT SEARCH DICTIONARY %I.%I (TEMPLATE = %I.%I%s);', n.nspname, o.dictname, tn.nspname, t.tmplname, coalesce(', ' || o.dictinitoption, '')),
  o.dictowner, NULL
FROM pg_ts_dict o JOIN pg_namespace n ON n.oid = o.dictnamespace JOIN pg_ts_template t ON t.oid = o.dicttemplate JOIN pg_namespace tn ON tn.oid = t.tmplnamespace WHERE `},
	{"text-search-configuration", `SELECT o.oid, n.nspname, o.cfgname, format('%I.%I', n.nspname, o.cfgname),
  format('CREATE TEXT SEARCH CONFIGURATION %I.%I (PARSER = %I.%I);', n.nspname, o.cfgname, pn.nspname, p.prsname) || coalesce(
    (SELECT string_agg(format(E'\nALTER TEXT SEARCH CONFIGURATION %I.%I ADD MAPPING FOR %I WITH %s;', n.nspname, o.cfgname, m.alias, m.dicts), '' ORDER BY m.alias)
     FROM (SELECT tt.alias, string_agg(format('%I.%I', dn.nspname, d.dictname), ', ' ORDER BY cm.mapseqno) AS dicts
           FROM pg_ts_config_map cm JOIN ts_token_type(o.cfgparser) tt ON tt.tokid = cm.maptokentype
           JOIN pg_ts_dict d ON d.oid = cm.mapdict JOIN pg_namespace dn ON dn.oid = d.dictnamespace
           WHERE cm.mapcfg = o.oid GROUP BY tt.alias) m), ''),
  o.cfgowner, NULL
FROM pg_ts_config o JOIN pg_namespace n ON n.oid = o.cfgnamespace JOIN pg_ts_parser p ON p.oid = o.cfgparser JOIN pg_namespace pn ON pn.oid = p.prsnamespace WHERE `},
	{"cast", `SELECT c.oid, NULL, format('%s AS %s', format_type(c.castsource, NULL), format_type(c.casttarget, NULL)),
  format('(%s AS %s)', format_type(c.castsource, NULL), format_type(c.casttarget, NULL)),
  format('CREATE CAST (%s AS %s) %s%s;', format_type(c.castsource, NULL), format_type(c.casttarget, NULL),
    CASE c.castmethod WHEN 'f' THEN 'WITH FUNCTION ' || c.castfunc::regprocedure WHEN 'i' THEN 'WITH INOUT' ELSE 'WITHOUT FUNCTION' END,
    CASE c.castcontext WHEN 'a' THEN ' AS ASSIGNMENT' WHEN 'i' THEN ' AS IMPLICIT' ELSE '' END),
  NULL, NULL
FROM pg_cast c WHERE c.oid >= 16384 AND NOT EXISTS (SELECT 1 FROM pg_depend d WHERE d.classid = 'pg_cast'::regclass AND d.objid = c.oid AND d.deptype IN ('i', 'e'))`},
	{"transform", `SELECT o.oid, NULL, format('%s FOR %s', format_type(o.trftype, NULL), l.lanname), format('FOR %s LANGUAGE %I', format_type(o.trftype, NULL), l.lanname),
  format('CREATE TRANSFORM FOR %s LANGUAGE %I (%s);', format_type(o.trftype, NULL), l.lanname,
    concat_ws(', ', CASE WHEN o.trffromsql <> 0 THEN 'FROM SQL WITH FUNCTION ' || o.trffromsql::regprocedure END, CASE WHEN o.trftosql <> 0 THEN 'TO SQL WITH FUNCTION ' || o.trftosql::regprocedure END)), NULL, NULL
FROM pg_transform o JOIN pg_language l ON l.oid = o.trflang WHERE o.oid >= 16384 AND ` + notMember("pg_transform", "o.oid")},
	{"event-trigger", `SELECT t.oid, NULL, t.evtname, quote_ident(t.evtname),
  format('CREATE EVENT TRIGGER %I ON %s%s EXECUTE FUNCTION %s();', t.evtname, t.evtevent,
    CASE WHEN t.evttags IS NOT NULL THEN ' WHEN TAG IN (' || (SELECT string_agg(quote_literal(x), ', ') FROM unnest(t.evttags) x) || ')' ELSE '' END, t.evtfoid::regproc)
  || CASE t.evtenabled WHEN 'D' THEN format(E'\nALTER EVENT TRIGGER %I DISABLE;', t.evtname) WHEN 'R' THEN format(E'\nALTER EVENT TRIGGER %I ENABLE REPLICA;', t.evtname)
     WHEN 'A' THEN format(E'\nALTER EVENT TRIGGER %I ENABLE ALWAYS;', t.evtname) ELSE '' END,
  t.evtowner, NULL
FROM pg_event_trigger t`},
}

// members lists what belongs to an operator class or family, as it stands in
// CREATE OPERATOR CLASS.
func members(class, oid string) string {
	return fmt.Sprintf(`SELECT format('OPERATOR %%s %%s%%s', a.amopstrategy, a.amopopr::regoperator,
      (SELECT format(' FOR ORDER BY %%I.%%I', sn.nspname, sf.opfname) FROM pg_opfamily sf JOIN pg_namespace sn ON sn.oid = sf.opfnamespace WHERE sf.oid = a.amopsortfamily)) AS item
    FROM pg_depend d JOIN pg_amop a ON a.oid = d.objid WHERE d.classid = 'pg_amop'::regclass AND d.refclassid = '%[1]s'::regclass AND d.refobjid = %[2]s
    UNION ALL SELECT format('FUNCTION %%s (%%s, %%s) %%s', a.amprocnum, format_type(a.amproclefttype, NULL), format_type(a.amprocrighttype, NULL), a.amproc::regprocedure)
    FROM pg_depend d JOIN pg_amproc a ON a.oid = d.objid WHERE d.classid = 'pg_amproc'::regclass AND d.refclassid = '%[1]s'::regclass AND d.refobjid = %[2]s`, class, oid)
}

// extensionsSQL is asked first, since what belongs to an extension is no
// object of its own.
const extensionsSQL = `SELECT x.oid, NULL, x.extname, quote_ident(x.extname),
  n.nspname, x.extversion,
  (SELECT array_agg(format_type(c.castsource, NULL) || ' AS ' || format_type(c.casttarget, NULL)) FROM pg_cast c JOIN pg_depend d ON d.classid = 'pg_cast'::regclass AND d.objid = c.oid
   WHERE d.deptype = 'e' AND d.refclassid = 'pg_extension'::regclass AND d.refobjid = x.oid)
FROM pg_extension x JOIN pg_namespace n ON n.oid = x.extnamespace WHERE x.extname <> 'plpgsql'`

func (r *reader) extension(w *row) {
	oid := w.oid()
	w.next()
	o := &catalog.Object{Kind: vocab.Extension, Name: w.text(), Space: "extension"}
	o.Carry("sql name", catalog.Scalar(w.text()))
	o.Set("schema", catalog.Scalar(w.text()))
	o.Set("version", catalog.Scalar(w.text()))
	if l := w.texts(); len(l) > 0 {
		o.Carry("casts", catalog.SetOf(l...))
	}
	r.add(r.classes["pg_extension"], oid, o)
}

// simpleQueries are the queries of the kinds the server's version has.
func (r *reader) simpleQueries() []query {
	var out []query
	for _, q := range simpleQueries {
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
	oid, schema, name, drop, def, owner, acl := w.oid(), w.text(), w.text(), w.text(), w.text(), w.oid(), w.texts()
	o := &catalog.Object{Kind: kind, Schema: schema, Name: name, Space: k.Space}
	o.Set("definition", catalog.PlainSQL(def))
	o.Carry("sql name", catalog.Scalar(drop))
	if owner != 0 {
		r.owned(o, r.roles[owner], acl)
		if vocab.Rights[kind].Word == "" {
			o.Remove("grants")
		}
	}
	r.add(r.classes[k.Class], oid, o)
}

func (r *reader) member(w *row) {
	class, oid := w.oid(), w.oid()
	if x, ok := r.things[r.classes["pg_extension"]][w.oid()]; ok {
		r.note(class, oid, x)
	}
}

// membersOfSQL maps the rows of an operator class or family to it:
// dependencies hang on them.
const membersOfSQL = `SELECT d.classid, d.objid, d.refclassid, d.refobjid FROM pg_depend d
WHERE d.classid IN ('pg_amop'::regclass, 'pg_amproc'::regclass) AND d.refclassid IN ('pg_opclass'::regclass, 'pg_opfamily'::regclass) AND d.objid >= 16384`

func (r *reader) memberOf(w *row) {
	class, oid, of := w.oid(), w.oid(), w.oid()
	if t, ok := r.things[of][w.oid()]; ok && t.owner.Kind != vocab.Extension {
		r.note(class, oid, t)
	}
}

// otherClasses are the system catalogs besides those of the simple kinds.
var otherClasses = []string{"pg_publication", "pg_publication_rel", "pg_publication_namespace", "pg_foreign_data_wrapper", "pg_foreign_server", "pg_user_mapping",
	"pg_subscription", "pg_amop", "pg_amproc"}

// classesSQL asks for the oids of system catalogs, which no version changes
// but which are better asked for than written down.
func classesSQL() string {
	var names []string
	for _, c := range otherClasses {
		names = append(names, "'"+c+"'")
	}
	for _, k := range vocab.SimpleKinds {
		names = append(names, "'"+k.Class+"'")
	}
	return fmt.Sprintf("SELECT relname, oid FROM pg_class WHERE relnamespace = 'pg_catalog'::regnamespace AND relname IN (%s)", strings.Join(names, ", "))
}
