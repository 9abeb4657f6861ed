// Package rowcheck asks the target's rows about the risks of a plan: several
// questions at once, each with a time limit, changing nothing.
package rowcheck

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
)

// Options say how to ask.
type Options struct {
	Limit   time.Duration // for one question; past it the answer is "not known"
	AtOnce  int           // how many connections
	Started func(q *order.Question)
}

// Ask asks all questions. open is called once for every connection. It fails
// only where no connection can be had; what cannot be asked is answered as not
// known.
func Ask(ctx context.Context, questions []*order.Question, open func(context.Context) (engine.Database, error), opt Options) (order.Answers, error) {
	as := order.Answers{}
	if len(questions) == 0 {
		return as, nil
	}
	var mu sync.Mutex
	next := 0
	take := func() *order.Question {
		mu.Lock()
		defer mu.Unlock()
		if next == len(questions) {
			return nil
		}
		next++
		return questions[next-1]
	}
	totals := &totals{known: map[string]*total{}}
	g, ctx := errgroup.WithContext(ctx)
	for range min(max(opt.AtOnce, 1), len(questions)) {
		g.Go(func() error {
			db, err := open(ctx)
			if err != nil {
				return err
			}
			defer db.Close()
			rows, ok := db.(engine.RowReader)
			if !ok {
				return nil
			}
			for q := take(); q != nil; q = take() {
				if opt.Started != nil {
					mu.Lock() // one at a time
					opt.Started(q)
					mu.Unlock()
				}
				a := answer(ctx, rows, q, totals, opt.Limit)
				if err := ctx.Err(); err != nil {
					return err
				}
				mu.Lock()
				as.Give(q, a)
				mu.Unlock()
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	return as, nil
}

func answer(ctx context.Context, db engine.RowReader, q *order.Question, totals *totals, limit time.Duration) order.Answer {
	a := order.Answer{State: order.Clean, Count: q.Count, List: q.List}
	why := ""
	fail := func(err error) {
		a.State, why = order.NotKnown, err.Error()
		if errors.Is(err, engine.ErrTime) {
			why = fmt.Sprintf("it took longer than %s", limit)
		} else if q.Tries != "" && !errors.Is(err, engine.ErrConnect) {
			a.State = order.Broken
		}
	}
	probed := false
	if q.Probe != "" {
		probed = true
		a.Count = q.Probe
		_, err := db.Count(ctx, q.Probe, limit)
		switch {
		case errors.Is(err, engine.ErrValue):
			a.State, why = order.Found, err.Error()
		case err != nil:
			fail(err)
		}
	}
	if q.Count != "" && (!probed || a.State == order.Found) {
		n, err := db.Count(ctx, q.Count, limit)
		switch {
		case err == nil && n > 0:
			a.State, a.Rows = order.Found, n
		case err != nil && !probed && q.Converts && errors.Is(err, engine.ErrValue):
			a.State, why = order.Found, err.Error()
		case err != nil && !probed:
			fail(err)
		}
	}
	if q.Total != "" && a.State != order.NotKnown && a.State != order.Broken {
		a.Of = totals.of(ctx, db, q.Total, limit)
	}
	if a.State == order.Clean && q.Total == "" || a.Of < a.Rows {
		a.Of = 0
	}
	ask := *q
	if a.Of == 0 && a.State == order.Found {
		ask.Total = ""
	}
	a.Text = ask.Words(a.State, a.Rows, a.Of, why)
	if a.State == order.Clean {
		a.List = ""
	}
	return a
}

// totals counts each table once, however many questions are about it.
type totals struct {
	mu    sync.Mutex
	known map[string]*total
}

type total struct {
	once sync.Once
	n    int64
}

func (t *totals) of(ctx context.Context, db engine.RowReader, query string, limit time.Duration) int64 {
	t.mu.Lock()
	one := t.known[query]
	if one == nil {
		one = &total{}
		t.known[query] = one
	}
	t.mu.Unlock()
	one.once.Do(func() {
		if n, err := db.Count(ctx, query, limit); err == nil {
			one.n = n
		}
	})
	return one.n
}
