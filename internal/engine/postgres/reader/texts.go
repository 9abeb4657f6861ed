package reader

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"dappermirror/internal/core/catalog"
)

// unread is a text that only the server can print, and that waits until it is
// known to be wanted.
type unread struct {
	of         thing
	rel        *relation // nil of a domain
	fact       string
	class, oid uint32 // of what the server prints
}

func (u *unread) value() *catalog.Value { return &u.of.self().Property(u.fact).Value }

// wait puts a placeholder where the text will be, with a key made of the
// stored trees it would be printed from; prefix is what else it says, or ""
// where that is not known.
func (r *reader) wait(u unread, prefix string, trees ...[]byte) {
	r.unread = append(r.unread, u)
	v := catalog.Value{Form: catalog.FormSQL, Unread: true, Handle: len(r.unread)}
	if r.keyed && prefix != "" {
		v.Key = r.treeKey(u.rel, prefix, trees)
	}
	u.of.self().Set(u.fact, v)
}

// printed says, by system catalog, how the server prints a text.
var printed = map[uint32]struct{ what, sql string }{
	pgRewrite:    {"views", `SELECT r.oid, pg_get_viewdef(r.ev_class) FROM pg_rewrite r WHERE r.oid = ANY($1)`},
	pgConstraint: {"constraints", `SELECT k.oid, pg_get_constraintdef(k.oid) FROM pg_constraint k WHERE k.oid = ANY($1)`},
	pgClass:      {"indexes", `SELECT i.indexrelid, pg_get_indexdef(i.indexrelid) FROM pg_index i WHERE i.indexrelid = ANY($1)`},
	pgAttrdef:    {"expressions of columns", `SELECT d.oid, pg_get_expr(d.adbin, d.adrelid) FROM pg_attrdef d WHERE d.oid = ANY($1)`},
}

// ErrChanged says that something was dropped while it was read: the server's
// own definition functions see the present, not the transaction's snapshot.
var ErrChanged = errors.New("the structure changed while it was read")

// fetcher reads texts that were left unread.
func (r *reader) fetcher(conn Conn) catalog.Fetcher {
	return func(ctx context.Context, values []*catalog.Value) error {
		wanted := map[uint32][]uint32{}
		by := map[address]*unread{}
		for _, v := range values {
			if !v.Unread {
				continue
			}
			u := &r.unread[v.Handle-1]
			wanted[u.class] = append(wanted[u.class], u.oid)
			by[address{u.class, u.oid, 0}] = u
		}
		for _, class := range []uint32{pgRewrite, pgConstraint, pgClass, pgAttrdef} {
			if len(wanted[class]) == 0 {
				continue
			}
			p := printed[class]
			rows, err := conn.Query(ctx, p.sql, wanted[class])
			if err != nil {
				return fmt.Errorf("reading %s: %w", p.what, err)
			}
			cursor := &row{}
			for rows.Next() {
				cursor.vals, cursor.at = rows.RawValues(), 0
				oid := cursor.oid()
				if u := by[address{class, oid, 0}]; u != nil && !cursor.isNull() {
					u.read(cursor.text())
					delete(by, address{class, oid, 0})
				}
			}
			if err := rows.Err(); err != nil {
				return fmt.Errorf("reading %s: %w", p.what, err)
			}
		}
		if len(by) > 0 {
			return ErrChanged
		}
		return nil
	}
}

// read takes the text the server printed.
func (u *unread) read(text string) {
	v := u.value()
	canon := ""
	switch u.class {
	case pgRewrite:
		text = strings.TrimSuffix(strings.TrimRight(text, " \n"), ";")
		canon = canonicalView(text)
	case pgClass:
		text = afterUsing(text)
	case pgConstraint:
		// It ends in what is kept as facts of their own.
		for _, tail := range []string{" NOT VALID", " NOT ENFORCED", " INITIALLY DEFERRED", " DEFERRABLE"} {
			text = strings.TrimSuffix(text, tail)
		}
	}
	if canon == "" {
		canon = canonical(text)
	}
	key := v.Key
	*v = catalog.SQL(catalog.Piece{Text: writable(text), Canon: canon})
	v.Key = key
}
