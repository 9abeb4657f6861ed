package postgres

import "fmt"

// The catalog queries: a handful, each over a whole set. They name system
// catalogs only, and leave out what belongs to the system, to extensions, to
// temporary schemas and to TOAST.

// notSystem is true of a namespace (alias n) that is the user's.
const notSystem = `n.nspname NOT IN ('pg_catalog', 'information_schema', 'pg_toast')
  AND n.nspname NOT LIKE 'pg\_temp\_%' AND n.nspname NOT LIKE 'pg\_toast\_temp\_%'`

// notMember is true of an object that no extension owns.
func notMember(class, oid string) string {
	return fmt.Sprintf(`NOT EXISTS (SELECT 1 FROM pg_depend e WHERE e.classid = '%s'::regclass AND e.objid = %s AND e.deptype = 'e')`, class, oid)
}

const schemasSQL = `SELECT n.oid, n.nspname, pg_get_userbyid(n.nspowner), n.nspacl::text[]
FROM pg_namespace n WHERE `

const relationsSQL = `SELECT c.oid, n.nspname, c.relname, c.relkind::text, c.relpersistence::text, c.reloptions, t.reloptions,
  c.relrowsecurity, c.relforcerowsecurity, c.relreplident::text, c.relispopulated,
  CASE WHEN c.relkind = 'p' THEN pg_get_partkeydef(c.oid) END,
  CASE WHEN c.relispartition THEN pg_get_expr(c.relpartbound, c.oid) END,
  CASE WHEN c.relkind IN ('v', 'm') THEN pg_get_viewdef(c.oid) END,
  am.amname, ts.spcname, pg_get_userbyid(c.relowner), c.relacl::text[], c.reloftype
FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
LEFT JOIN pg_class t ON t.oid = c.reltoastrelid
LEFT JOIN pg_am am ON am.oid = c.relam
LEFT JOIN pg_tablespace ts ON ts.oid = c.reltablespace
WHERE c.relkind IN ('r', 'p', 'v', 'm', 'S') AND `

const inheritsSQL = `SELECT i.inhrelid, i.inhparent FROM pg_inherits i ORDER BY i.inhrelid, i.inhseqno`

const columnsSQL = `SELECT a.attrelid, a.attnum, a.attname, format_type(a.atttypid, a.atttypmod), a.attnotnull,
  CASE WHEN a.attcollation <> t.typcollation AND a.attcollation <> 0 THEN
    (SELECT quote_ident(cn.nspname) || '.' || quote_ident(co.collname) FROM pg_collation co JOIN pg_namespace cn ON cn.oid = co.collnamespace WHERE co.oid = a.attcollation) END,
  CASE WHEN a.attstorage <> t.typstorage THEN a.attstorage::text END,
  %s, coalesce(a.attstattarget, -1)::int, a.attidentity::text, a.attgenerated::text, a.attislocal, a.attinhcount::int, a.attoptions, a.attacl::text[]
FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid JOIN pg_type t ON t.oid = a.atttypid
WHERE a.attnum > 0 AND NOT a.attisdropped AND c.relkind IN ('r', 'p', 'v', 'm', 'c') AND c.oid >= 16384
ORDER BY a.attrelid, a.attnum`

const defaultsSQL = `SELECT d.adrelid, d.adnum, pg_get_expr(d.adbin, d.adrelid), d.oid FROM pg_attrdef d WHERE d.adrelid >= 16384`

const constraintsSQL = `SELECT k.oid, k.conrelid, k.contypid, k.conname, k.contype::text, k.condeferrable, k.condeferred, k.convalidated,
  k.conislocal, k.coninhcount::int, k.conparentid, k.conindid, pg_get_constraintdef(k.oid), k.conkey
FROM pg_constraint k WHERE k.oid >= 16384 AND k.contype IN ('p', 'u', 'c', 'f', 'x')`

const indexesSQL = `SELECT i.indexrelid, i.indrelid, c.relname, i.indisunique, pg_get_indexdef(i.indexrelid), i.indisclustered, i.indisreplident, i.indisvalid,
  EXISTS (SELECT 1 FROM pg_inherits h WHERE h.inhrelid = i.indexrelid),
  k.oid,
  ts.spcname, i.indkey::int2[], c.reloptions
FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid
LEFT JOIN pg_tablespace ts ON ts.oid = c.reltablespace
LEFT JOIN pg_constraint k ON k.conrelid = i.indrelid AND k.conindid = i.indexrelid AND k.contype IN ('p', 'u', 'x')
WHERE i.indexrelid >= 16384`

const triggersSQL = `SELECT t.oid, t.tgrelid, t.tgname, pg_get_triggerdef(t.oid), t.tgenabled::text, t.tgparentid <> 0
FROM pg_trigger t WHERE (NOT t.tgisinternal OR t.tgparentid <> 0 AND t.tgconstraint = 0) AND t.oid >= 16384`

const policiesSQL = `SELECT p.oid, p.polrelid, p.polname, p.polpermissive, p.polcmd::text,
  (SELECT coalesce(array_agg(CASE WHEN r = 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(r)) END), '{}') FROM unnest(p.polroles) r),
  pg_get_expr(p.polqual, p.polrelid), pg_get_expr(p.polwithcheck, p.polrelid)
FROM pg_policy p`

const rulesSQL = `SELECT r.oid, r.ev_class, r.rulename, CASE WHEN r.rulename <> '_RETURN' THEN pg_get_ruledef(r.oid) END, r.ev_enabled::text
FROM pg_rewrite r WHERE r.oid >= 16384`

const typesSQL = `SELECT t.oid, n.nspname, t.typname, t.typtype::text, t.typarray, t.typrelid, t.typnotnull, t.typdefault,
  CASE WHEN t.typtype = 'd' THEN format_type(t.typbasetype, t.typtypmod) END,
  CASE WHEN t.typtype = 'd' AND t.typcollation <> b.typcollation THEN
    (SELECT quote_ident(cn.nspname) || '.' || quote_ident(co.collname) FROM pg_collation co JOIN pg_namespace cn ON cn.oid = co.collnamespace WHERE co.oid = t.typcollation) END,
  pg_get_userbyid(t.typowner), t.typacl::text[],
  (SELECT array_agg(e.enumlabel::text ORDER BY e.enumsortorder) FROM pg_enum e WHERE e.enumtypid = t.oid),
  c.relkind::text
FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace
LEFT JOIN pg_type b ON b.oid = t.typbasetype
LEFT JOIN pg_class c ON c.oid = t.typrelid
WHERE t.typtype IN ('e', 'd', 'c', 'r') AND `

const rangesSQL = `SELECT r.rngtypid, format_type(r.rngsubtype, NULL),
  CASE WHEN NOT o.opcdefault THEN (SELECT quote_ident(n.nspname) || '.' || quote_ident(o.opcname) FROM pg_namespace n WHERE n.oid = o.opcnamespace) END,
  CASE WHEN r.rngcollation <> st.typcollation THEN (SELECT quote_ident(n.nspname) || '.' || quote_ident(co.collname) FROM pg_collation co JOIN pg_namespace n ON n.oid = co.collnamespace WHERE co.oid = r.rngcollation) END,
  CASE WHEN r.rngcanonical <> 0 THEN r.rngcanonical::regproc::text END,
  CASE WHEN r.rngsubdiff <> 0 THEN r.rngsubdiff::regproc::text END, %s
FROM pg_range r JOIN pg_opclass o ON o.oid = r.rngsubopc JOIN pg_type st ON st.oid = r.rngsubtype
WHERE r.rngtypid >= 16384`

const sequencesSQL = `SELECT s.seqrelid, format_type(s.seqtypid, NULL), s.seqstart, s.seqincrement, s.seqmin, s.seqmax, s.seqcache, s.seqcycle,
  d.refobjid, d.refobjsubid, d.deptype::text
FROM pg_sequence s LEFT JOIN pg_depend d ON d.classid = 'pg_class'::regclass AND d.objid = s.seqrelid AND d.objsubid = 0
  AND d.refclassid = 'pg_class'::regclass AND d.refobjsubid > 0 AND d.deptype IN ('a', 'i')`

const routinesSQL = `SELECT p.oid, n.nspname, p.proname, pg_get_function_identity_arguments(p.oid), p.prokind::text, pg_get_functiondef(p.oid),
  pg_get_function_result(p.oid), coalesce(p.proargnames, '{}')::text[], p.pronargdefaults::int, p.prosrc, l.lanname, pg_get_userbyid(p.proowner), p.proacl::text[],
  oidvectortypes(p.proargtypes)
FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace JOIN pg_language l ON l.oid = p.prolang
WHERE p.prokind IN ('f', 'p')
  AND NOT EXISTS (SELECT 1 FROM pg_depend i WHERE i.classid = 'pg_proc'::regclass AND i.objid = p.oid AND i.deptype = 'i') AND `

const dependSQL = `SELECT d.classid, d.objid, d.objsubid, d.refclassid, d.refobjid, d.refobjsubid
FROM pg_depend d WHERE d.objid >= 16384 AND d.refobjid >= 16384 AND d.deptype IN ('n', 'a')
  AND d.classid IN ('pg_class'::regclass, 'pg_type'::regclass, 'pg_proc'::regclass, 'pg_constraint'::regclass, 'pg_attrdef'::regclass,
    'pg_rewrite'::regclass, 'pg_trigger'::regclass, 'pg_policy'::regclass,
    'pg_collation'::regclass, 'pg_statistic_ext'::regclass, 'pg_ts_dict'::regclass, 'pg_ts_config'::regclass, 'pg_cast'::regclass,
    'pg_event_trigger'::regclass, 'pg_publication_rel'::regclass, 'pg_extension'::regclass)`

const descriptionsSQL = `SELECT d.classoid, d.objoid, d.objsubid, d.description FROM pg_description d WHERE d.objoid >= 16384 OR d.classoid = 'pg_namespace'::regclass`

// notComparedSQL counts, by kind, what is there and is not read yet.
const notComparedSQL = `SELECT kind, count(*) FROM (
  SELECT 'window function' AS kind FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace WHERE p.prokind = 'w' AND %[1]s AND %[2]s
  UNION ALL SELECT 'operator' FROM pg_operator o JOIN pg_namespace n ON n.oid = o.oprnamespace WHERE %[1]s AND NOT EXISTS (SELECT 1 FROM pg_depend e WHERE e.objid = o.oid AND e.deptype = 'e')
  UNION ALL SELECT 'base type' FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace WHERE t.typtype = 'b' AND t.typelem = 0 AND %[1]s AND NOT EXISTS (SELECT 1 FROM pg_depend e WHERE e.objid = t.oid AND e.deptype = 'e')
  UNION ALL SELECT 'foreign table' FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relkind = 'f' AND %[1]s
  UNION ALL SELECT 'publication' FROM pg_publication WHERE current_setting('server_version_num')::int < 150000
  UNION ALL SELECT 'foreign server' FROM pg_foreign_server
  UNION ALL SELECT 'subscription' FROM pg_subscription WHERE subdbid = (SELECT oid FROM pg_database WHERE datname = current_database())
) AS x GROUP BY kind ORDER BY kind`
