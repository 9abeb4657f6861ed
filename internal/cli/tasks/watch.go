package tasks

import (
	"context"
	"slices"
	"time"

	"dappermirror/internal/cli/many"
	"dappermirror/internal/core/words"
	"dappermirror/internal/settings"
	"dappermirror/internal/work"
)

// watch runs a task, and again whenever one of its places has changed, until it is
// interrupted.
func (a *commands) watch(ctx context.Context, t settings.Task, o *options) error {
	if t.Source == "-" || slices.Contains(t.Targets, "-") {
		return work.Troubled("usage", "--every looks at places again and again; standard input is there once")
	}
	var before map[string]string
	for n := 0; ; n++ {
		now, err := a.marks(ctx, t, o)
		if err != nil {
			return err
		}
		if changed := changes(before, now); n == 0 || len(changed) > 0 {
			if n > 0 {
				a.Note("%s  changed: %s", time.Now().Format("15:04:05"), words.Join(changed, 6))
			}
			if err := a.once(ctx, t, o); err != nil {
				if ctx.Err() != nil {
					return err
				}
				a.Always("%v", err)
			}
			if err := a.Flush(); err != nil {
				return err
			}
			if t.Apply { // what it changed itself is nothing new
				if now, err = a.marks(ctx, t, o); err != nil {
					return err
				}
			}
			before = now
		} else {
			a.Detail("%s  nothing has changed", time.Now().Format("15:04:05"))
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(o.every):
		}
	}
}

// changes are the places whose marks are not what they were.
func changes(before, now map[string]string) []string {
	var out []string
	for name, mark := range now {
		if before[name] != mark {
			out = append(out, name)
		}
	}
	for name := range before {
		if _, there := now[name]; !there {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// marks are texts that change when the places of a task do.
func (a *commands) marks(ctx context.Context, t settings.Task, o *options) (map[string]string, error) {
	list, err := a.targets(t, o)
	if err != nil {
		return nil, err
	}
	known := a.Work().Places.Names
	a.Work().Places.Names = many.Known(known, list)
	defer func() { a.Work().Places.Names = known }()
	all := []work.Target{{Name: t.Source, At: t.Source}}
	for i, name := range many.Names(list) {
		all = append(all, work.Target{Name: name, At: many.Target{Target: list[i]}.Arg()})
	}
	marks := make([]string, len(all))
	quiet := func(int) {}
	_, err = a.Work().Each(ctx, "", all, work.Many{Parallel: o.many.Parallel, Begun: quiet, Ended: func(int, error) {}}, func(ctx context.Context, s *work.Session, i int) error {
		marks[i] = s.Mark(ctx, all[i].At)
		return nil
	})
	out := map[string]string{}
	for i, x := range all {
		out[x.Name] = marks[i]
	}
	return out, err
}
