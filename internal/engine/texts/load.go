package texts

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
)

// Server is a scratch database that texts are loaded into.
type Server interface {
	// Run runs a statement under the settings, as an ordinary account or as
	// whoever may make databases. What the server refuses is a *Refused.
	Run(ctx context.Context, sql string, settings []string, raised bool) error
	// Settle gives back what the ordinary account was lent: nothing of it runs any
	// more, and what is fired by other statements is still to come.
	Settle(ctx context.Context) error
	// Loosened makes the server take what names things that are not there yet,
	// as far as it can.
	Loosened(ctx context.Context) error
	// Read reads the structure that came of it.
	Read(ctx context.Context) (*catalog.Catalog, error)
}

// Refused is a server's answer to a statement that it does not take.
type Refused struct {
	Message string
	// Offset is where in the statement, in characters from 1; Line the line, from
	// 1. Both are 0 where the server does not say.
	Offset, Line int
	// Final says that it will not take it later either.
	Final bool
	// Missing says that something it names is not there.
	Missing bool
}

func (r *Refused) Error() string { return r.Message }

// Patience is how long one statement of a text may run.
const Patience = time.Minute

// Load runs the statements in the order that works: the one they stand in, and
// what a statement names that comes behind it, before it.
func Load(ctx context.Context, all []Parsed, on Server) error {
	for phase := First; phase <= Last; phase++ {
		switch phase {
		case Raised:
			continue // with Main
		case Last:
			if err := on.Settle(ctx); err != nil {
				return err
			}
		}
		var queue []*Parsed
		for i := range all {
			if a := all[i].Action; a == phase || phase == Main && a == Raised {
				queue = append(queue, &all[i])
			}
		}
		if err := settle(ctx, queue, on); err != nil {
			return err
		}
	}
	return nil
}

// settle runs what is in the queue until nothing is left, or nothing that is
// left can be run. Every round but the last runs one statement at least.
func settle(ctx context.Context, queue []*Parsed, on Server) error {
	for loose := false; len(queue) > 0; {
		var left []*Parsed
		var first, cause error
		for _, p := range queue {
			err := run(ctx, p, on)
			var refused *Refused
			switch {
			case err == nil:
			case !errors.As(err, &refused) || refused.Final:
				return err
			default:
				left = append(left, p)
				if first == nil {
					first = err
				}
				if !refused.Missing && cause == nil {
					cause = err
				}
			}
		}
		if len(left) == len(queue) {
			if loose {
				if cause == nil {
					cause = first
				}
				if n := len(left) - 1; n > 0 {
					cause = fmt.Errorf("%w; %s cannot run either", cause, words.Number(n, "other statement", "other statements"))
				}
				return cause
			}
			loose = true
			if err := on.Loosened(ctx); err != nil {
				return err
			}
		}
		queue = left
	}
	return nil
}

// run runs one statement; its error says where it stands.
func run(ctx context.Context, p *Parsed, on Server) error {
	sql := p.Reading.SQL
	if sql == "" {
		sql = p.Statement.SQL
	}
	limited, cancel := context.WithTimeout(ctx, Patience)
	defer cancel()
	err := on.Run(limited, sql, p.Settings, p.Action != Main)
	var refused *Refused
	switch {
	case err == nil:
		return nil
	case ctx.Err() != nil:
		return ctx.Err()
	case limited.Err() != nil:
		return fmt.Errorf("%s: the statement ran for %s and was given up (at: %s)", p.Origin, Patience, sqltext.Excerpt(p.Statement.SQL))
	case !errors.As(err, &refused):
		return fmt.Errorf("%s: %w", p.Origin, err)
	}
	at := p.Origin
	line, col := refused.Line, 1
	if refused.Offset > 0 && strings.HasPrefix(sql, p.Statement.SQL) {
		runes := []rune(sql)
		line, col = sqltext.Position(sql, len(string(runes[:min(refused.Offset-1, len(runes))])))
	}
	if line > 1 {
		at.Line, at.Column = at.Line+line-1, col
	} else if line == 1 && refused.Offset > 0 {
		at.Column += col - 1
	}
	return fmt.Errorf("%s: %w", at, refused)
}

// Unseen are the gaps that statements leave which were passed over though they
// may have made something.
func Unseen(all []Parsed) []catalog.Gap {
	var out []catalog.Gap
	seen := map[string]int{}
	for _, p := range all {
		if p.Action != Pass || p.Why == "" {
			continue
		}
		if seen[p.Why]++; seen[p.Why] > 1 {
			continue
		}
		out = append(out, catalog.Gap{Why: fmt.Sprintf("%s: %s", p.Origin, p.Why)})
	}
	return out
}

// Read loads texts into a scratch database and reads what came of it.
func Read(ctx context.Context, files []engine.TextFile, g Grammar, database string, on func(context.Context, []Parsed) (Server, func() error, error)) (c *catalog.Catalog, err error) {
	all, err := Parse(ctx, files, g)
	if err != nil {
		return nil, err
	}
	if all, err = Select(all, database); err != nil {
		return nil, err
	}
	server, remove, err := on(ctx, all)
	if err != nil {
		return nil, err
	}
	defer func() {
		if e := remove(); err == nil {
			err = e
		}
	}()
	if err = Load(ctx, all, server); err != nil {
		return nil, err
	}
	if c, err = server.Read(ctx); err != nil {
		return nil, fmt.Errorf("reading the scratch database: %w", err)
	}
	c.Gaps = append(slices.Clip(c.Gaps), Unseen(all)...)
	Locate(c, all)
	return c, nil
}
