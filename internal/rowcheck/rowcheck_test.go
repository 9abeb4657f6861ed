package rowcheck

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
)

// fake answers each query with a number or an error, and counts.
type fake struct {
	mu    sync.Mutex
	asked map[string]int
	open  int
}

func (f *fake) Read(context.Context) (*catalog.Catalog, error)          { return nil, nil }
func (f *fake) Exec(context.Context, string) error                      { return errors.New("it must change nothing") }
func (f *fake) Close() error                                            { return nil }
func (f *fake) Lines(context.Context, string, func(string) error) error { return nil }
func (f *fake) Count(_ context.Context, q string, _ time.Duration) (int64, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.asked[q]++
	switch {
	case strings.HasPrefix(q, "slow"):
		return 0, engine.ErrTime
	case strings.HasPrefix(q, "value"):
		return 0, fmt.Errorf("%w: 'x' is no number", engine.ErrValue)
	case strings.HasPrefix(q, "broken"):
		return 0, errors.New("no such column")
	}
	var n int64
	_, err := fmt.Sscan(q, &n)
	return n, err
}

func TestAsk(t *testing.T) {
	f := &fake{asked: map[string]int{}}
	open := func(context.Context) (engine.Database, error) { f.mu.Lock(); f.open++; f.mu.Unlock(); return f, nil }
	var questions []*order.Question
	want := map[*order.Question]string{}
	add := func(answer string, q order.Question) {
		q.What = "hold NULL"
		questions = append(questions, &q)
		want[&q] = answer
	}
	add("found 12 of 9,310 rows hold NULL", order.Question{Count: "12 rows", Total: "9310 rows"})
	add("clean none of 9,310 rows holds NULL", order.Question{Count: "0 rows", Total: "9310 rows"})
	add("not known not known (it took longer than 2s)", order.Question{Count: "slow", Total: "9310 rows"})
	add("not known not known (no such column)", order.Question{Count: "broken"})
	add("found a value stands in the way: 'x' is no number", order.Question{Count: "value", Converts: true})
	add("not known not known (a value stands in the way: 'x' is no number)", order.Question{Count: "value 0"})
	add("found 3 of 9,310 rows hold NULL", order.Question{Probe: "value 1", Count: "3 rows", Total: "9310 rows"})
	add("found a value stands in the way: 'x' is no number", order.Question{Probe: "value 2", Count: "slow 2", Total: "9310 rows"})
	add("clean none of 9,310 rows holds NULL", order.Question{Probe: "7 fit", Count: "4 rows", Total: "9310 rows"}) // the conversion has the last word
	add("not known not known (it took longer than 2s)", order.Question{Probe: "slow 3", Count: "4 rows"})
	as, err := Ask(t.Context(), questions, open, Options{Limit: 2 * time.Second, AtOnce: 3})
	if err != nil {
		t.Fatal(err)
	}
	for _, q := range questions {
		a := as.To(q)
		if a == nil || string(a.State)+" "+a.Text != want[q] {
			t.Errorf("%s%s: %+v, want %s", q.Probe, q.Count, a, want[q])
		}
	}
	if f.open > 3 || f.asked["9310 rows"] != 1 {
		t.Errorf("%d connections; the table was counted %d times", f.open, f.asked["9310 rows"])
	}
	if _, err := Ask(t.Context(), questions, func(context.Context) (engine.Database, error) { return nil, engine.ErrConnect }, Options{}); !errors.Is(err, engine.ErrConnect) {
		t.Errorf("without a connection: %v", err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := Ask(ctx, questions, open, Options{}); !errors.Is(err, context.Canceled) {
		t.Errorf("interrupted: %v", err)
	}
}
