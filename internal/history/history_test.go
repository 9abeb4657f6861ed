package history

import (
	"context"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"dappermirror/internal/core/capture"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/place/unpack"
)

// structure has so many tables.
func structure(n int) *catalog.Catalog {
	c := &catalog.Catalog{Engine: "toy", Version: "1"}
	for i := range n {
		c.Add(&catalog.Object{Kind: catalog.Table, Name: string(rune('a' + i))})
	}
	return c
}

func reader(t testing.TB, s *Store) func(int) (*catalog.Catalog, error) {
	return func(n int) (*catalog.Catalog, error) {
		f, err := s.Open(n)
		if err != nil {
			return nil, err
		}
		r, err := unpack.New(t.Context(), f)
		if err != nil {
			return nil, err
		}
		defer r.Close()
		return capture.Decode(io.Reader(r))
	}
}

func TestStore(t *testing.T) {
	s := Of(t.TempDir(), "live")
	day := func(d int) time.Time { return time.Date(2026, 11, d, 12, 0, 0, 0, time.Local) }
	for _, c := range []struct {
		tables, day int
		note        string
		number      int
		added       bool
	}{{1, 1, "", 1, true}, {1, 2, "", 1, false}, {2, 3, "", 2, true}, {2, 4, "again", 3, true}, {3, 4, "", 4, true}, {3, 5, "", 4, false}, {4, 20, "", 5, true}} {
		e, added, err := s.Add(t.Context(), structure(c.tables), c.note, day(c.day), reader(t, s))
		if err != nil || e.Number != c.number || added != c.added {
			t.Fatalf("on day %d: %+v %v %v", c.day, e, added, err)
		}
	}
	list, err := s.List()
	if err != nil || len(list) != 5 || !list[0].Seen.Equal(day(2)) || !list[3].Seen.Equal(day(5)) || list[0].Alike != nil || *list[2].Alike != 1000 || *list[1].Alike >= 1000 {
		t.Fatalf("%v %+v", err, list)
	}
	now := day(21) // a Saturday
	for word, want := range map[string]int{"1": 1, "5": 5, "latest": 5, "today": 5, "2026-11-01": 1, "2026-11-02": 1, "2026-11-03": 2, "2026-11-04": 4, "2026-11-04T11:59": 2, "2026-11-19": 4, "friday": 5, "Thu": 4, "yesterday": 5, "saturday": 4} {
		if e, err := s.Find(word, now); err != nil || e.Number != want {
			t.Errorf("%s is %d, want %d: %v", word, e.Number, want, err)
		}
	}
	for word, says := range map[string]string{"9": "no capture 9", "2026-10-31": "begins on 2026-11-01", "fryday": "meant friday?", "": "no day", "2026-13-01": "no day", "3..4": "no day", "\x1b[2J": "no day"} {
		if _, err := s.Find(word, now); err == nil || !strings.Contains(err.Error(), says) || strings.Contains(err.Error(), "\x1b") {
			t.Errorf("%q: %v, want %q", word, err, says)
		}
	}
	gone, err := s.Prune(t.Context(), "1 newest, 2 daily")
	if err != nil || !slices.Equal(gone, []int{1, 2}) {
		t.Errorf("pruned %v, %v", gone, err)
	}
	if left, _ := filepath.Glob(filepath.Join(s.dir, "*.gz")); len(left) != 3 {
		t.Errorf("left are %v", left)
	}
	if gone, err := s.Prune(t.Context(), ""); err != nil || gone != nil {
		t.Errorf("without a rule: %v %v", gone, err)
	}
	for _, rule := range []string{"x", "3", "0 daily", "-1 newest", "3 hourly", "3 daily 4"} {
		if _, err := s.Prune(t.Context(), rule); err == nil {
			t.Errorf("%q is a rule", rule)
		}
	}
	e, _, err := s.Add(t.Context(), structure(1), "", day(22), reader(t, s))
	if err != nil || e.Number != 6 {
		t.Errorf("the number is given once: %+v %v", e, err)
	}
}

// TestTogether: several captures at once all get numbers of their own.
func TestTogether(t *testing.T) {
	s := Of(t.TempDir(), "a/b..\n")
	var all sync.WaitGroup
	errs := make(chan error, 8)
	for i := range 8 {
		all.Go(func() {
			_, _, err := s.Add(context.Background(), structure(i+1), "x", time.Now(), reader(t, s))
			errs <- err
		})
	}
	all.Wait()
	for range 8 {
		if err := <-errs; err != nil {
			t.Error(err)
		}
	}
	list, err := s.List()
	if err != nil || len(list) != 8 {
		t.Fatalf("%d captures: %v", len(list), err)
	}
	for i, e := range list {
		if e.Number != i+1 {
			t.Errorf("number %d at place %d", e.Number, i+1)
		}
	}
	if err := os.WriteFile(filepath.Join(s.dir, "index.json"), []byte("{"), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := s.List(); err == nil {
		t.Error("a broken index is none")
	}
}
