package reader

import "fmt"

// The catalog queries: a handful, each over a whole set, none of which makes
// the server print an expression it need not: printing opens tables one by
// one, and is what reading costs. Texts follow where they are wanted (see
// texts.go).

// notSystem is true of a namespace (alias n) that is the user's.
const notSystem = `n.nspname NOT IN ('pg_catalog', 'information_schema', 'pg_toast')
  AND n.nspname NOT LIKE 'pg\_temp\_%' AND n.nspname NOT LIKE 'pg\_toast\_temp\_%'`

// membersSQL finds what belongs to an extension: it is not an object of its
// own, and who needs it needs the extension.
const membersSQL = `SELECT classid, objid, refobjid FROM pg_depend WHERE refclassid = 'pg_extension'::regclass AND deptype = 'e'`

const schemasSQL = `SELECT n.oid, n.nspname, pg_get_userbyid(n.nspowner), n.nspacl::text[] FROM pg_namespace n WHERE ` + notSystem

const relationsSQL = `SELECT c.oid, c.relnamespace, c.relname, c.relkind, c.relpersistence, c.reloptions, t.reloptions,
  c.relrowsecurity, c.relforcerowsecurity, c.relreplident, c.relispopulated,
  CASE WHEN c.relkind = 'p' THEN pg_get_partkeydef(c.oid) END,
  CASE WHEN c.relispartition THEN pg_get_expr(c.relpartbound, c.oid) END,
  c.relam, c.reltablespace, pg_get_userbyid(c.relowner), c.relacl::text[], c.reltype, CASE WHEN c.reloftype <> 0 THEN format_type(c.reloftype, NULL) END
FROM pg_class c LEFT JOIN pg_class t ON t.oid = c.reltoastrelid AND t.reloptions IS NOT NULL
WHERE c.relkind IN ('r', 'p', 'v', 'm', 'S', 'f') AND c.oid >= 16384`

const inheritsSQL = `SELECT i.inhrelid, i.inhparent FROM pg_inherits i ORDER BY i.inhrelid, i.inhseqno`

const columnsSQL = `SELECT a.attrelid, a.attnum, a.attname, a.atttypid, a.atttypmod, a.attnotnull,
  CASE WHEN a.attcollation NOT IN (0, 100) OR a.attstorage <> CASE WHEN a.attlen <> -1 THEN 'p' WHEN a.atttypid = 1700 THEN 'm' ELSE 'x' END::"char"
    OR a.attidentity <> '' OR a.attgenerated <> '' OR a.attinhcount > 0 OR a.attstattarget >= 0 OR a.attoptions IS NOT NULL OR a.attacl IS NOT NULL OR a.attfdwoptions IS NOT NULL OR %[1]s IS NOT NULL
  THEN (SELECT ARRAY[
    CASE WHEN a.attcollation <> t.typcollation AND a.attcollation <> 0 THEN
      (SELECT quote_ident(cn.nspname) || '.' || quote_ident(co.collname) FROM pg_collation co JOIN pg_namespace cn ON cn.oid = co.collnamespace WHERE co.oid = a.attcollation) END,
    CASE WHEN a.attstorage <> t.typstorage THEN a.attstorage::text END,
    %[1]s, a.attstattarget::text, array_to_string(a.attoptions, e'\x01'), array_to_string(a.attacl, e'\x01'), a.attidentity::text, a.attgenerated::text,
    CASE WHEN a.attinhcount > 0 AND NOT a.attislocal THEN 'inherited' END, array_to_string(a.attfdwoptions, e'\x01')] FROM pg_type t WHERE t.oid = a.atttypid) END
FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid
WHERE a.attnum > 0 AND NOT a.attisdropped AND c.relkind IN ('r', 'p', 'v', 'm', 'c', 'f') AND c.oid >= 16384`

// The names of types, asked once for each that columns have.
const columnTypesSQL = `SELECT x.typ, x.mod, format_type(x.typ, x.mod) FROM unnest($1::oid[], $2::int4[]) AS x (typ, mod)`

// Indexes whose operator classes have parameters, which those of B-trees and
// hashes never do.
const parametersSQL = `SELECT DISTINCT a.attrelid FROM pg_attribute a WHERE a.attoptions IS NOT NULL
AND a.attrelid = ANY (ARRAY(SELECT c.oid FROM pg_class c WHERE c.relkind IN ('i', 'I') AND c.relam NOT IN (403, 405)))`

// Statistics targets of index columns, which are of expressions.
const indexStatsSQL = `SELECT a.attrelid, a.attnum, a.attstattarget FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid
WHERE a.attstattarget >= 0 AND a.attnum > 0 AND c.relkind IN ('i', 'I') AND c.oid >= 16384`

// A default names no column, so it is printed without opening its table; the
// expression of a generated column waits.
const defaultsSQL = `SELECT d.oid, d.adrelid, d.adnum, CASE WHEN position('{VAR ' IN d.adbin::text) = 0 THEN pg_get_expr(d.adbin, 0) END,
  CASE WHEN position('{VAR ' IN d.adbin::text) > 0 THEN d.adbin END FROM pg_attrdef d WHERE d.adrelid >= 16384`

const constraintsSQL = `SELECT k.oid, k.conrelid, k.contypid, k.conname, k.contype, k.condeferrable, k.condeferred, k.convalidated, k.conislocal, k.coninhcount > 0,
  k.conparentid, k.conindid, k.confrelid, k.conkey, k.confkey, k.confupdtype, k.confdeltype, k.confmatchtype, k.connoinherit, %s, k.conbin
FROM pg_constraint k WHERE k.oid >= 16384 AND k.contype IN ('p', 'u', 'c', 'f', 'x', 'n')`

const indexesSQL = `SELECT i.indexrelid, i.indrelid, c.relname, c.relam, i.indisunique, i.indisclustered, i.indisreplident, i.indisvalid, i.indnkeyatts,
  i.indkey::text, i.indclass::text, i.indcollation::text, i.indoption::text, %s, c.reloptions, c.reltablespace, i.indexprs, i.indpred
FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid WHERE i.indexrelid >= 16384`

// What relations and indexes name by oid.
const smallSQL = `SELECT am.oid, am.amname FROM pg_am am UNION ALL SELECT ts.oid, ts.spcname FROM pg_tablespace ts`

const opclassesSQL = `SELECT o.oid, quote_ident(n.nspname) || '.' || quote_ident(o.opcname), o.opcintype, o.opcdefault
FROM pg_opclass o JOIN pg_namespace n ON n.oid = o.opcnamespace`

const triggersSQL = `SELECT t.oid, t.tgrelid, t.tgname, pg_get_triggerdef(t.oid), t.tgenabled, t.tgparentid <> 0
FROM pg_trigger t WHERE (NOT t.tgisinternal OR t.tgparentid <> 0 AND t.tgconstraint = 0) AND t.oid >= 16384`

const policiesSQL = `SELECT p.oid, p.polrelid, p.polname, p.polpermissive, p.polcmd,
  (SELECT coalesce(array_agg(CASE WHEN r = 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(r)) END), '{}') FROM unnest(p.polroles) r),
  pg_get_expr(p.polqual, p.polrelid), pg_get_expr(p.polwithcheck, p.polrelid)
FROM pg_policy p`

const rulesSQL = `SELECT r.oid, r.ev_class, r.rulename, CASE WHEN r.rulename <> '_RETURN' THEN pg_get_ruledef(r.oid) END, r.ev_enabled, %s
FROM pg_rewrite r WHERE r.oid >= 16384`

const typesSQL = `SELECT t.oid, t.typnamespace, t.typname, t.typtype, t.typarray, t.typrelid, t.typnotnull, t.typdefault,
  CASE WHEN t.typtype = 'd' THEN format_type(t.typbasetype, t.typtypmod) END,
  CASE WHEN t.typtype = 'd' AND t.typcollation <> b.typcollation THEN
    (SELECT quote_ident(cn.nspname) || '.' || quote_ident(co.collname) FROM pg_collation co JOIN pg_namespace cn ON cn.oid = co.collnamespace WHERE co.oid = t.typcollation) END,
  pg_get_userbyid(t.typowner), t.typacl::text[]
FROM pg_type t LEFT JOIN pg_type b ON b.oid = t.typbasetype
WHERE t.typtype IN ('e', 'd', 'c', 'r') AND t.oid >= 16384 AND (t.typrelid = 0 OR t.typrelid IN (SELECT c.oid FROM pg_class c WHERE c.relkind = 'c'))`

// Arrays of the row types of tables and views.
const rowArraysSQL = `SELECT t.oid, c.oid FROM pg_type t JOIN pg_class c ON c.reltype = t.typelem
WHERE t.typtype = 'b' AND t.typelem <> 0 AND t.typlen = -1 AND c.relkind IN ('r', 'p', 'v', 'm', 'f') AND c.oid >= 16384`

const enumsSQL = `SELECT e.enumtypid, e.oid, e.enumlabel FROM pg_enum e WHERE e.enumtypid >= 16384 ORDER BY e.enumtypid, e.enumsortorder`

const rangesSQL = `SELECT r.rngtypid, format_type(r.rngsubtype, NULL),
  CASE WHEN NOT o.opcdefault THEN (SELECT quote_ident(n.nspname) || '.' || quote_ident(o.opcname) FROM pg_namespace n WHERE n.oid = o.opcnamespace) END,
  CASE WHEN r.rngcollation <> st.typcollation THEN (SELECT quote_ident(n.nspname) || '.' || quote_ident(co.collname) FROM pg_collation co JOIN pg_namespace n ON n.oid = co.collnamespace WHERE co.oid = r.rngcollation) END,
  CASE WHEN r.rngcanonical <> 0 THEN r.rngcanonical::regproc::text END,
  CASE WHEN r.rngsubdiff <> 0 THEN r.rngsubdiff::regproc::text END, %s, r.rngcanonical::oid
FROM pg_range r JOIN pg_opclass o ON o.oid = r.rngsubopc JOIN pg_type st ON st.oid = r.rngsubtype
WHERE r.rngtypid >= 16384`

const sequencesSQL = `SELECT s.seqrelid, format_type(s.seqtypid, NULL), s.seqstart, s.seqincrement, s.seqmin, s.seqmax, s.seqcache, s.seqcycle,
  d.refobjid, d.refobjsubid, d.deptype
FROM pg_sequence s LEFT JOIN pg_depend d ON d.classid = 'pg_class'::regclass AND d.objid = s.seqrelid AND d.objsubid = 0
  AND d.refclassid = 'pg_class'::regclass AND d.refobjsubid > 0 AND d.deptype IN ('a', 'i')`

const routinesSQL = `SELECT p.oid, p.pronamespace, p.proname, pg_get_function_identity_arguments(p.oid), p.prokind, pg_get_functiondef(p.oid),
  pg_get_function_result(p.oid), p.proargnames, p.pronargdefaults::int, p.prosrc, l.lanname, pg_get_userbyid(p.proowner), p.proacl::text[],
  oidvectortypes(p.proargtypes)
FROM pg_proc p JOIN pg_language l ON l.oid = p.prolang
WHERE p.prokind IN ('f', 'p', 'w') AND p.oid >= 16384
  AND NOT EXISTS (SELECT 1 FROM pg_depend i WHERE i.classid = 'pg_proc'::regclass AND i.objid = p.oid AND i.deptype = 'i')`

// What follows from the columns of keys and indexes is left out.
const dependSQL = `SELECT d.classid, d.objid, d.objsubid, d.refclassid, d.refobjid, d.refobjsubid
FROM pg_depend d WHERE d.objid >= 16384 AND d.refobjid >= 16384 AND d.deptype IN ('n', 'a')
  AND NOT (d.deptype = 'a' AND d.refobjsubid > 0 AND (d.classid = 'pg_constraint'::regclass OR d.classid = 'pg_attrdef'::regclass
    AND EXISTS (SELECT 1 FROM pg_attrdef x WHERE x.oid = d.objid AND x.adrelid = d.refobjid AND x.adnum = d.refobjsubid)))
  AND d.classid IN (%s)`

const descriptionsSQL = `SELECT d.classoid, d.objoid, d.objsubid, d.description FROM pg_description d WHERE d.objoid >= 16384 OR d.classoid = 'pg_namespace'::regclass`

const commentedSQL = `SELECT DISTINCT d.objoid FROM pg_description d WHERE d.objoid >= 16384 AND d.objsubid = 0`

// notMember is true of an object that no extension owns.
func notMember(class, oid string) string {
	return fmt.Sprintf(`NOT EXISTS (SELECT 1 FROM pg_depend e WHERE e.classid = '%s'::regclass AND e.objid = %s AND e.deptype = 'e')`, class, oid)
}

// notComparedSQL counts, by kind, what is there and is not read: things of the
// user's in system catalogs that nothing here knows.
const notComparedSQL = `SELECT c.relname::text, d.n
FROM (SELECT classid, count(*) AS n FROM pg_depend WHERE deptype = 'n' AND refclassid = 'pg_namespace'::regclass AND objid >= 16384 GROUP BY classid) d JOIN pg_class c ON c.oid = d.classid
WHERE c.relname NOT IN ('pg_class', 'pg_type', 'pg_proc', 'pg_operator', 'pg_opclass', 'pg_opfamily', 'pg_collation', 'pg_conversion', 'pg_constraint', 'pg_statistic_ext',
  'pg_ts_parser', 'pg_ts_template', 'pg_ts_dict', 'pg_ts_config', 'pg_extension', 'pg_default_acl', 'pg_publication_namespace') ORDER BY 1`
