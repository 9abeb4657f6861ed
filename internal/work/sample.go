package work

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/match"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
)

const (
	sampled    = 200  // values of a column that are looked at
	doubtful   = 0.45 // from which weight on the rows may make a rename likely
	mostAsked  = 100  // of the candidates
	valueBytes = 200  // of a value
)

// Likely are the likely renames of a pair. With rows, a sample of the values of
// both sides is compared: the same values make a rename likelier, and others make
// it less so. That wants two databases.
func (s *Session) Likely(ctx context.Context, p *Pair, rows bool) ([]match.Likely, error) {
	if !rows {
		return p.Comparison.Likely(match.Least), nil
	}
	if !p.Source.Writable() || !p.Target.Writable() {
		return nil, Troubled("compare-rows", "--compare-rows wants two databases; a structure that was saved has no rows")
	}
	list := p.Comparison.Likely(doubtful)
	sides := [2]*sampler{}
	for i, pl := range []*place.Place{p.Source, p.Target} {
		db, err := pl.Open(ctx, engine.OpenOptions{LockWait: s.LockWait})
		if err != nil {
			return nil, Troubled("open", "%w", err)
		}
		defer db.Close()
		asker, ok := db.(engine.RowReader)
		if !ok {
			return p.Comparison.Likely(match.Least), nil
		}
		sides[i] = &sampler{db: asker, spell: p.Comparison.Target.Spell}
	}
	defer s.busy(AskingRows)()
	var out []match.Likely
	for i, l := range list {
		if i < mostAsked && l.Old.PartKind == catalog.Column {
			ours, err := sides[0].values(ctx, p.ofSource(l.New))
			theirs, err2 := sides[1].values(ctx, l.Old)
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
			if err == nil && err2 == nil {
				l = l.Sampled(ours, theirs)
			}
		}
		if l.Weight >= int(match.Least*100) {
			out = append(out, l)
		}
	}
	return out, nil
}

// sampler asks one side for values.
type sampler struct {
	db    engine.RowReader
	spell func(name string, canonical bool) string
}

var errEnough = errors.New("enough")

// values are the first values of a column, in its order.
func (s *sampler) values(ctx context.Context, col catalog.Ref) ([]string, error) {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	table := s.spell(col.Name, false)
	if col.Schema != "" {
		table = s.spell(col.Schema, false) + "." + table
	}
	name := s.spell(col.Part, false)
	var out []string
	err := s.db.Lines(ctx, fmt.Sprintf("SELECT %[1]s FROM %[2]s WHERE %[1]s IS NOT NULL ORDER BY 1 LIMIT %[3]d", name, table, sampled), func(line string) error {
		if len(out) >= sampled {
			return errEnough
		}
		out = append(out, strings.ToValidUTF8(line[:min(len(line), valueBytes)], ""))
		return nil
	})
	if errors.Is(err, errEnough) {
		err = nil
	}
	return out, err
}
