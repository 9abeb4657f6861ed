// Package history keeps numbered captures of a place, compressed, beside the
// settings file that names the place.
package history

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gofrs/flock"

	"dappermirror/internal/core/capture"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
	"dappermirror/internal/files"
)

// Entry is one capture.
type Entry struct {
	Number int       `json:"number"`
	Date   time.Time `json:"date"`
	// Seen is when the structure was last found to be still so.
	Seen        time.Time       `json:"seen"`
	Note        string          `json:"note,omitempty"`
	Server      string          `json:"server,omitempty"`
	Counts      []catalog.Count `json:"counts"`
	Fingerprint string          `json:"fingerprint"`
	// Alike is how alike it is to the one before, in tenths of a percent; nil for
	// the first.
	Alike *int `json:"alike,omitempty"`
}

// Store is the history of one place.
type Store struct{ dir, name string }

// Of is the history of a place that is named in a settings file of a folder.
func Of(folder, name string) *Store {
	return &Store{filepath.Join(folder, ".dapper-mirror", "history", files.Safe(name)), name}
}

// index is what the file of a history holds.
type index struct {
	Format  string  `json:"format"`
	Version int     `json:"version"`
	Next    int     `json:"next"`
	Entries []Entry `json:"entries"`
}

// The format of the index. The version grows only when an older program would
// misunderstand it.
const (
	format  = "dapper-mirror history"
	version = 1
)

func (s *Store) index() (index, error) {
	i := index{Format: format, Version: version, Next: 1}
	data, err := os.ReadFile(filepath.Join(s.dir, "index.json"))
	if errors.Is(err, os.ErrNotExist) {
		return i, nil
	}
	if err == nil {
		err = json.Unmarshal(data, &i)
	}
	switch {
	case err != nil:
		return i, fmt.Errorf("the history of %s cannot be read: %w", s.name, err)
	case i.Format != format:
		return i, fmt.Errorf("the history of %s cannot be read: %s is no index of one", s.name, s.dir)
	case i.Version > version:
		return i, fmt.Errorf("the history of %s was written by a newer program", s.name)
	}
	return i, nil
}

// List are the captures there are, the oldest first.
func (s *Store) List() ([]Entry, error) {
	i, err := s.index()
	return i.Entries, err
}

func (s *Store) path(n int) string { return filepath.Join(s.dir, fmt.Sprintf("%06d.json.gz", n)) }

// Open opens a capture as it was kept, compressed.
func (s *Store) Open(n int) (io.ReadCloser, error) { return os.Open(s.path(n)) }

// Add keeps a structure, read at a time. Where it is as the newest that is kept,
// and no note is to be added, that one is only noted to be still so. read reads
// a capture that was kept.
func (s *Store) Add(ctx context.Context, c *catalog.Catalog, note string, now time.Time, read func(n int) (*catalog.Catalog, error)) (e Entry, added bool, err error) {
	if err := os.MkdirAll(s.dir, 0o777); err != nil {
		return e, false, fmt.Errorf("the history of %s cannot be written: %w", s.name, err)
	}
	lock := flock.New(filepath.Join(s.dir, "lock"))
	if _, err := lock.TryLockContext(ctx, 50*time.Millisecond); err != nil {
		return e, false, fmt.Errorf("the history of %s cannot be written: %w", s.name, err)
	}
	defer lock.Unlock()
	i, err := s.index()
	if err != nil {
		return e, false, err
	}
	e = Entry{Number: i.Next, Date: now, Seen: now, Note: note, Server: c.Version, Counts: c.Count(), Fingerprint: judge.Whole(c)}
	if n := len(i.Entries); n > 0 {
		last := &i.Entries[n-1]
		if last.Fingerprint == e.Fingerprint && note == "" {
			last.Seen = now
			return *last, false, s.write(i)
		}
		before, err := read(last.Number)
		if err != nil {
			return e, false, err
		}
		alike := compare.Compare(c, before, compare.Options{Groups: groups(c)}).Similarity()
		e.Alike = &alike
	}
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	if err := capture.Encode(z, c); err != nil {
		return e, false, err
	}
	if err := z.Close(); err != nil {
		return e, false, err
	}
	if err := files.Write(s.path(e.Number), b.Bytes()); err != nil {
		return e, false, fmt.Errorf("the history of %s cannot be written: %w", s.name, err)
	}
	i.Entries, i.Next = append(i.Entries, e), i.Next+1
	return e, true, s.write(i)
}

// groups are all that facts of a structure are of.
func groups(c *catalog.Catalog) map[string]bool {
	out := map[string]bool{}
	for _, o := range c.Objects {
		for _, x := range append([]*catalog.Object{o}, o.Parts...) {
			out[x.Group] = true
			for _, p := range x.Properties {
				out[p.Group] = true
			}
		}
	}
	delete(out, "")
	return out
}

func (s *Store) write(i index) error {
	data, err := json.MarshalIndent(i, "", "  ")
	if err == nil {
		err = files.Write(filepath.Join(s.dir, "index.json"), append(data, '\n'))
	}
	if err != nil {
		return fmt.Errorf("the history of %s cannot be written: %w", s.name, err)
	}
	return nil
}

// Find is the capture that a word behind @ means: its number, "latest", or the
// newest that was there on a day or at a time.
func (s *Store) Find(word string, now time.Time) (Entry, error) {
	list, err := s.List()
	if err != nil {
		return Entry{}, err
	}
	if len(list) == 0 {
		return Entry{}, fmt.Errorf("%s has no history yet; `dapper-mirror capture %s --to-history` begins one", s.name, s.name)
	}
	if word == "latest" {
		return list[len(list)-1], nil
	}
	if n, err := strconv.Atoi(word); err == nil {
		for _, e := range list {
			if e.Number == n {
				return e, nil
			}
		}
		return Entry{}, fmt.Errorf("%s has no capture %d; `dapper-mirror history %s` lists them (%d to %d)", s.name, n, s.name, list[0].Number, list[len(list)-1].Number)
	}
	at, err := Until(word, now)
	if err != nil {
		return Entry{}, err
	}
	for _, e := range slices.Backward(list) {
		if !e.Date.After(at) {
			return e, nil
		}
	}
	return Entry{}, fmt.Errorf("the history of %s begins on %s, after %s", s.name, list[0].Date.Local().Format("2006-01-02 15:04"), sqltext.CommentSafe(word))
}

// Until is the last moment that a day or time takes in: "2026-11-01",
// "2026-11-01T18:00", "today", "yesterday", the name of a weekday for the last
// one that was.
func Until(word string, now time.Time) (time.Time, error) {
	for _, f := range []string{"2006-01-02T15:04:05", "2006-01-02T15:04", "2006-01-02 15:04", time.RFC3339} {
		if t, err := time.ParseInLocation(f, word, now.Location()); err == nil {
			return t, nil
		}
	}
	end := func(t time.Time) time.Time {
		y, m, d := t.Date()
		return time.Date(y, m, d+1, 0, 0, 0, 0, now.Location()).Add(-1)
	}
	if t, err := time.ParseInLocation("2006-01-02", word, now.Location()); err == nil {
		return end(t), nil
	}
	days := []string{"today", "yesterday"}
	switch strings.ToLower(word) {
	case "today", "now":
		return now, nil
	case "yesterday":
		return end(now.AddDate(0, 0, -1)), nil
	}
	for d := time.Sunday; d <= time.Saturday; d++ {
		days = append(days, strings.ToLower(d.String()))
		if strings.EqualFold(d.String(), word) || len(word) == 3 && strings.EqualFold(d.String()[:3], word) {
			back := (int(now.Weekday()) - int(d) + 7) % 7
			if back == 0 {
				back = 7
			}
			return end(now.AddDate(0, 0, -back)), nil
		}
	}
	return time.Time{}, fmt.Errorf("%q is no capture and no day%s; write a number, latest, a day as 2026-11-01, today, yesterday or a weekday", sqltext.CommentSafe(word), words.Suggest(word, days))
}

// Prune drops what a rule does not keep: "20 newest, 30 daily, 24 monthly". What
// has a note stays, and the newest always.
func (s *Store) Prune(ctx context.Context, rule string) (gone []int, err error) {
	keep, err := ParseRule(rule)
	if err != nil || len(keep) == 0 {
		return nil, err
	}
	if _, err := os.Stat(s.dir); err != nil {
		return nil, nil // nothing was kept yet
	}
	lock := flock.New(filepath.Join(s.dir, "lock"))
	if _, err := lock.TryLockContext(ctx, 50*time.Millisecond); err != nil {
		return nil, fmt.Errorf("the history of %s cannot be written: %w", s.name, err)
	}
	defer lock.Unlock()
	i, err := s.index()
	if err != nil {
		return nil, err
	}
	var moments []Moment
	for _, e := range i.Entries {
		moments = append(moments, Moment{e.Number, e.Date})
	}
	stay := Stay(keep, moments)
	var left []Entry
	for n, e := range i.Entries {
		if stay[e.Number] || e.Note != "" || n == len(i.Entries)-1 {
			left = append(left, e)
			continue
		}
		gone = append(gone, e.Number)
	}
	if len(gone) == 0 {
		return nil, nil
	}
	i.Entries = left
	if err := s.write(i); err != nil {
		return nil, err
	}
	for _, n := range gone {
		_ = os.Remove(s.path(n)) // it is in no list any more
	}
	return gone, nil
}

// Moment is when something was that a rule keeps or drops.
type Moment struct {
	Number int
	Date   time.Time
}

// Keep is one piece of a rule: how many of which periods.
type Keep struct {
	n      int
	period func(Moment) string
}

var periods = map[string]func(Moment) string{
	"newest":  func(e Moment) string { return strconv.Itoa(e.Number) },
	"daily":   func(e Moment) string { return e.Date.Local().Format("2006-01-02") },
	"weekly":  func(e Moment) string { y, w := e.Date.Local().ISOWeek(); return fmt.Sprint(y, " ", w) },
	"monthly": func(e Moment) string { return e.Date.Local().Format("2006-01") },
	"yearly":  func(e Moment) string { return e.Date.Local().Format("2006") },
}

// Stay are those of some moments, the oldest first, that a rule keeps, by number.
func Stay(rule []Keep, moments []Moment) map[int]bool {
	stay := map[int]bool{}
	for _, k := range rule {
		seen := map[string]bool{}
		for _, m := range slices.Backward(moments) {
			if at := k.period(m); !seen[at] && len(seen) < k.n {
				seen[at], stay[m.Number] = true, true
			}
		}
	}
	return stay
}

// ParseRule reads a rule of what is kept; an empty one keeps all.
func ParseRule(rule string) ([]Keep, error) {
	var out []Keep
	for piece := range strings.SplitSeq(rule, ",") {
		f := strings.Fields(piece)
		if len(f) == 0 {
			continue
		}
		n, err := strconv.Atoi(f[0])
		if err != nil || n < 1 || len(f) != 2 || periods[f[1]] == nil {
			return nil, fmt.Errorf("%q says nothing of what is kept; write it as \"20 newest, 30 daily, 12 weekly, 24 monthly, 5 yearly\"", sqltext.CommentSafe(strings.TrimSpace(piece)))
		}
		out = append(out, Keep{n, periods[f[1]]})
	}
	return out, nil
}
