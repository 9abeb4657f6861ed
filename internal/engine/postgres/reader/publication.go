package reader

import (
	"fmt"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/engine/postgres/vocab"
)

// publicationsSQL takes what of a table a publication has, the schemas it
// has, and whether generated columns go along, by what the version knows.
const publicationsSQL = `SELECT p.oid, p.pubname, p.puballtables, concat_ws(', ', CASE WHEN p.pubinsert THEN 'insert' END, CASE WHEN p.pubupdate THEN 'update' END,
  CASE WHEN p.pubdelete THEN 'delete' END, CASE WHEN p.pubtruncate THEN 'truncate' END), p.pubviaroot, pg_get_userbyid(p.pubowner), %[3]s,
  (SELECT coalesce(array_agg(format('TABLE %%s%%I.%%I', CASE WHEN c.relkind = 'p' THEN '' ELSE 'ONLY ' END, n.nspname, c.relname)%[1]s), '{}')
    FROM pg_publication_rel r JOIN pg_class c ON c.oid = r.prrelid JOIN pg_namespace n ON n.oid = c.relnamespace WHERE r.prpubid = p.oid) || %[2]s
FROM pg_publication p`

func (r *reader) publicationsSQL() string {
	columns := r.since(150000, `|| coalesce(' (' || (SELECT string_agg(quote_ident(a.attname), ', ' ORDER BY a.attnum) FROM pg_attribute a
      WHERE a.attrelid = c.oid AND a.attnum = ANY (r.prattrs)) || ')', '') || coalesce(' WHERE (' || pg_get_expr(r.prqual, r.prrelid) || ')', '')`, "")
	schemas := r.since(150000, `(SELECT coalesce(array_agg(format('TABLES IN SCHEMA %I', n.nspname)), '{}')
    FROM pg_publication_namespace s JOIN pg_namespace n ON n.oid = s.pnnspid WHERE s.pnpubid = p.oid)`, "'{}'::text[]")
	return fmt.Sprintf(publicationsSQL, columns, schemas, r.since(180000, "p.pubgencols::text", "'n'::text"))
}

func (r *reader) publication(w *row) {
	oid, name := w.oid(), w.text()
	o := &catalog.Object{Kind: vocab.Publication, Name: name, Space: "publication"}
	o.SetIf("all tables", w.bool())
	o.Set("operations", catalog.Scalar(w.text()))
	o.SetIf("through the root", w.bool())
	r.owned(o, w.text(), nil)
	o.Remove("grants")
	o.SetIf("generated columns", w.text() == "s")
	o.Set("tables", catalog.SetOf(w.texts()...))
	r.add(r.classes["pg_publication"], oid, o)
}

// publishedSQL maps the rows that join publications with tables and schemas
// to the publication: dependencies hang on them.
const publishedSQL = `SELECT 'pg_publication_rel', oid, prpubid FROM pg_publication_rel%s`

func (r *reader) publishedSQL() string {
	return fmt.Sprintf(publishedSQL, r.since(150000, " UNION ALL SELECT 'pg_publication_namespace', oid, pnpubid FROM pg_publication_namespace", ""))
}

func (r *reader) published(w *row) {
	class, oid := w.text(), w.oid()
	if p, ok := r.things[r.classes["pg_publication"]][w.oid()]; ok {
		r.note(r.classes[class], oid, p)
	}
}
