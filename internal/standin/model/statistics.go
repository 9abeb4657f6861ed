package model

import (
	"slices"
	"strings"

	"dappermirror/internal/standin/tsql"
)

// statistic is one that somebody created; those of indexes are theirs.
type statistic struct {
	id          int
	name        string
	cols        []int
	where       tsql.Expr
	filter      string
	noRecompute bool
}

func (o *object) statistic(d *database, name string) int {
	return slices.IndexFunc(o.stats, func(s *statistic) bool { return d.fold(s.name) == d.fold(name) })
}

func (x *session) statistics(b *tsql.Statistics) {
	if b.Verb == "DROP" {
		for _, n := range b.Names {
			t := x.d.find(n[:len(n)-1], "U", "V")
			if t == nil || t.statistic(x.d, n[len(n)-1]) < 0 {
				panic(fail(3701, "Cannot drop the statistics '%s', because it does not exist or you do not have permission.", strings.Join(n, ".")))
			}
			x.alter(t)
			at := t.statistic(x.d, n[len(n)-1])
			t.stats = slices.Delete(slices.Clone(t.stats), at, at+1)
		}
		return
	}
	t := x.d.find(b.On, "U", "V")
	if t == nil {
		panic(fail(1088, "Cannot find the object \"%s\" because it does not exist or you do not have permissions.", strings.Join(b.On, ".")))
	}
	if b.Verb == "UPDATE" {
		if b.Name != "" && t.statistic(x.d, b.Name) < 0 && t.index(x.d, b.Name) == nil {
			panic(fail(2767, "Could not locate statistics '%s' in the system catalogs.", b.Name))
		}
		return
	}
	if t.statistic(x.d, b.Name) >= 0 || t.index(x.d, b.Name) != nil {
		panic(fail(1927, "There are already statistics on table '%s' named '%s'.", t.full(), b.Name))
	}
	s := &statistic{id: 1, name: b.Name, noRecompute: b.NoRecompute}
	for _, i := range t.indexes {
		if i.special == nil {
			s.id = max(s.id, i.id)
		}
	}
	for _, o := range t.stats {
		s.id = max(s.id, o.id)
	}
	s.id++
	for _, n := range b.Columns {
		c := t.column(x.d, n)
		if c == nil {
			panic(fail(1911, "Column name '%s' does not exist in the target table or view.", n))
		}
		s.cols = append(s.cols, c.id)
	}
	if b.Where != nil {
		x.used(t, b.Where)
		s.where, s.filter = b.Where, "("+tsql.Print(b.Where)+")"
	}
	x.alter(t)
	t.stats = append(slices.Clone(t.stats), s)
}

func showStatistics(x *session, add func(...any)) {
	for _, o := range x.d.list("U", "V") {
		for _, i := range o.indexes {
			if i.id > 0 {
				add(o.id, i.name, int64(i.id), int64(0), int64(0), bit(i.options["STATISTICS_NORECOMPUTE"] == "ON"), bit(i.filter != ""), orNull(i.filter), int64(0), int64(0))
			}
		}
		for _, s := range o.stats {
			add(o.id, s.name, int64(s.id), int64(0), int64(1), bit(s.noRecompute), bit(s.filter != ""), orNull(s.filter), int64(0), int64(0))
		}
	}
}

func showStatisticsColumns(x *session, add func(...any)) {
	for _, o := range x.d.list("U", "V") {
		for _, s := range o.stats {
			for n, c := range s.cols {
				add(o.id, int64(s.id), int64(n+1), int64(c))
			}
		}
	}
}
