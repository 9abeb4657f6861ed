package mysql

import (
	"fmt"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine/mysql/vocab"
)

// algorithm is how the server carries out a clause of ALTER TABLE, the gentlest
// first (MariaDB: InnoDB Online DDL Operations).
type algorithm int

const (
	instant      algorithm = iota + 1 // nothing but the table's description changes
	nocopy                            // an index is built, or goes
	inplace                           // the table is built anew while others go on
	inplaceAlone                      // others may read only
	copied                            // the table is copied
)

var algorithms = map[algorithm]struct {
	says string
	lock lockMode
}{
	instant: {"ALGORITHM=INSTANT", lockMoment}, nocopy: {"ALGORITHM=NOCOPY, LOCK=NONE", lockNone}, inplace: {"ALGORITHM=INPLACE, LOCK=NONE", lockNone},
	inplaceAlone: {"ALGORITHM=INPLACE, LOCK=SHARED", lockReaders}, copied: {copying, lockShared},
}

// How a statement says it where the server's version is not known to know the
// gentler ones: it is never refused for that.
const (
	online  = "ALGORITHM=INPLACE, LOCK=NONE"
	copying = "ALGORITHM=COPY, LOCK=SHARED"
)

// knowsInstant tells whether the server has INSTANT and NOCOPY as they are in
// the table (MariaDB 10.5).
func knowsInstant(c *catalog.Catalog) bool {
	major, minor := 0, 0
	_, _ = fmt.Sscanf(c.Version, "%d.%d", &major, &minor)
	return strings.Contains(c.Version, "MariaDB") && (major > 10 || major == 10 && minor >= 5)
}

// takes notes how the newest clause of a list is carried out.
func (ch *change) takes(list []string, how algorithm) {
	if how == inplace && vocab.IndexedVirtual(ch.Target) {
		how = copied
	}
	if len(list) > 0 {
		ch.how[list[len(list)-1]] = how
	}
	switch how {
	case inplace, inplaceAlone:
		if !knowsInstant(ch.Actual) { // it may copy there
			ch.risk(order.Rewrite, ch.Source.Ref(), "the table is copied, and writes to it wait", nil)
		} else {
			ch.risk(order.Rewrite, ch.Source.Ref(), "the table is built anew"+map[bool]string{true: ", and writes to it wait", false: " while others go on"}[how == inplaceAlone], nil)
		}
	case copied:
		ch.risk(order.Rewrite, ch.Source.Ref(), "the table is copied, and writes to it wait", nil)
	}
}

// copied notes that the newest clause of a list copies the table.
func (ch *change) copied(list []string) { ch.takes(list, copied) }

// alters writes clauses as ALTER TABLE statements: one, or with avoidBlocking
// one for each way of carrying them out, each saying which, so that the server
// refuses rather than blocks.
func (ch *change) alters(drops, columns, adds, options []string) []string {
	all := slices.Concat(drops, columns, adds, options)
	if len(all) == 0 {
		return nil
	}
	if !ch.avoidBlocking {
		return []string{ch.alter("", all...)}
	}
	var light, heavy []string
	for _, c := range adds {
		if ch.how[c] == copied {
			heavy = append(heavy, c)
		} else {
			light = append(light, c)
		}
	}
	copies := func(c string) bool { return ch.how[c] == copied }
	body := slices.Concat(drops, columns, options)
	counted := slices.ContainsFunc(ch.Source.PartsOf(catalog.Column), func(c *catalog.Object) bool { return c.Has("auto increment") })
	whole := slices.ContainsFunc(ch.Parts, func(it *compare.Item) bool { return it.Kind() == vocab.Period && it.Status != compare.Same })
	whole = whole || slices.ContainsFunc(body, func(c string) bool { // a counter wants its key at all times
		return c == "DROP PRIMARY KEY" || strings.Contains(c, " AUTO_INCREMENT") || counted && strings.HasPrefix(c, "DROP INDEX")
	})
	switch {
	case vocab.Hashed(ch.Target) && len(all) == 1 && len(drops) == 1 && !vocab.Hashed(ch.Source): // nothing but that key goes
		return ch.gently(whole, all)
	case !strings.EqualFold(ch.Target.Text("engine"), "InnoDB") || ch.Target.Has("system versioning") || vocab.Hashed(ch.Target),
		whole && slices.ContainsFunc(all, copies):
		return []string{ch.alter(copying, all...)}
	case slices.ContainsFunc(body, copies): // what copies the table comes first, the rest need not wait for it
		return append([]string{ch.alter(copying, append(body, heavy...)...)}, ch.gently(whole, light)...)
	}
	out := ch.gently(whole, append(body, light...))
	if len(heavy) > 0 {
		out = append(out, ch.alter(copying, heavy...))
	}
	return out
}

// gently writes clauses that copy nothing, in their order, those of one kind
// together.
func (ch *change) gently(whole bool, clauses []string) []string {
	if len(clauses) == 0 {
		return nil
	}
	if !knowsInstant(ch.Actual) {
		return []string{ch.alter(online, clauses...)}
	}
	var out, run []string
	how := algorithm(0)
	flush := func() {
		if len(run) > 0 {
			out = append(out, ch.alter(algorithms[how].says, run...))
		}
		run = nil
	}
	for _, c := range clauses {
		this := max(ch.how[c], instant)
		switch {
		case whole: // all at once, as the heaviest wants it
			how = max(how, this)
		case this != how || ch.apart[c] || len(run) > 0 && ch.apart[run[len(run)-1]]:
			flush()
			how = this
		}
		run = append(run, c)
	}
	flush()
	return out
}

// alter is one statement; how says how it is carried out, "" for as the server
// likes.
func (ch *change) alter(how string, clauses ...string) string {
	if how != "" {
		for _, a := range algorithms {
			if a.says == how {
				a.lock.takes(ch.action)
			}
		}
		clauses = append(slices.Clip(clauses), how)
	}
	sep := " "
	if len(clauses) > 1 {
		sep = "\n  "
	}
	return delimited("ALTER TABLE " + vocab.Quote(ch.Source.Name) + sep + strings.Join(clauses, ",\n  "))
}
