package work

import (
	"maps"
	"slices"
	"strings"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/engine"
)

// fills reads the --fill options; each must name a column of the source.
func fills(texts []string, source *catalog.Catalog) (map[catalog.Ref]string, error) {
	out := map[catalog.Ref]string{}
	for _, t := range texts {
		column, expr, ok := strings.Cut(t, "=")
		if !ok || strings.TrimSpace(expr) == "" {
			return nil, Troubled("usage", "--fill %q: it is written COLUMN=EXPR, for example berth.depth=0", t)
		}
		ps, err := scope.Parse("column:" + strings.TrimPrefix(column, "column:"))
		if err != nil || len(ps) != 1 {
			return nil, Troubled("usage", "--fill %q: %q is no column; write TABLE.COLUMN", t, column)
		}
		found := false
		for _, o := range source.Objects {
			for _, c := range o.PartsOf(catalog.Column) {
				if ref := o.PartRef(c); ps[0].MatchSelf(ref, source.FoldName) {
					out[ref] = expr
					found = true
				}
			}
		}
		if !found {
			return nil, Troubled("no-match", "--fill %s: the source has no such column; write TABLE.COLUMN", column)
		}
	}
	return out, nil
}

// fillsSomething refuses values for columns that need none: they would do
// nothing.
func fillsSomething(fill map[catalog.Ref]string, cmp *compare.Comparison, others *Patterns) error {
	needed := map[catalog.Ref]bool{}
	remakes := func(_, _ *catalog.Object) bool { return false }
	if e, err := engine.Named(cmp.Target.Engine); err == nil {
		if r, ok := e.(engine.Remaker); ok {
			remakes = r.Remakes
		}
	}
	for _, it := range cmp.Items {
		if it.Source == nil || it.Target == nil {
			continue
		}
		for _, p := range it.Parts {
			if p.Kind() != catalog.Column || p.Source == nil {
				continue
			}
			if d := p.Property("not null"); p.Target == nil || d != nil && d.Target == nil || remakes(p.Target, p.Source) {
				needed[it.Source.PartRef(p.Source)] = true
			}
		}
	}
	columns := slices.SortedFunc(maps.Keys(fill), func(a, b catalog.Ref) int { return strings.Compare(a.String(), b.String()) })
	for _, column := range columns {
		_, name, _ := strings.Cut(column.String(), ":")
		if err := others.matches("--fill "+name, needed[column], func() error {
			return Troubled("usage", "--fill %s does nothing here: the column is neither new in its table nor becomes NOT NULL, and what it holds stays", name)
		}); err != nil {
			return err
		}
	}
	return nil
}
