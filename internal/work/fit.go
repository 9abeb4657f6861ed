package work

import (
	"context"
	"fmt"
	"slices"
	"time"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/script"
)

// Fit tells whether a target is what a script was written for.
func (s *Session) Fit(ctx context.Context, sc *script.Script, target *place.Place) (*catalog.Catalog, script.FitReport, error) {
	c, err := s.structure(ctx, target, place.Options{})
	if err != nil {
		return nil, script.FitReport{}, Troubled("reading", "%w", err)
	}
	if c.Engine != sc.Meta.Engine {
		return nil, script.FitReport{}, Troubled("engines", "the script is for %s and the target is %s", engine.Title(sc.Meta.Engine), engine.Title(c.Engine))
	}
	return c, sc.Check(c), nil
}

// Standing finds out what stands in the way of a script on a target that it
// fits: the rights that the account lacks, and the steps that the rows stop.
// Nothing does of a target that is no database.
func (s *Session) Standing(ctx context.Context, sc *script.Script, target *place.Place) (lacking, failing []string, err error) {
	if !target.Writable() || target.Missing() {
		return nil, nil, nil
	}
	if lacking, err = s.lacking(ctx, sc, target, false); err == nil {
		failing, err = s.askAgain(ctx, sc, target, RowCheckTime)
	}
	return lacking, failing, err
}

// RowCheckTime is how long one question to the rows may take, unless it is said.
const RowCheckTime = 5 * time.Second

// askAgain asks the rows once more about what they stood in the way of, and
// answers what they still do.
func (s *Session) askAgain(ctx context.Context, sc *script.Script, target *place.Place, limit time.Duration) ([]string, error) {
	var questions []*order.Question
	about := map[*order.Question]string{}
	for _, st := range sc.Planned() {
		for _, r := range st.Risks {
			if r.Rows == nil || r.Rows.Count == "" || r.Kind != order.WillFail {
				continue
			}
			q := &order.Question{Count: r.Rows.Count, What: "stand in the way", Converts: true}
			questions = append(questions, q)
			about[q] = fmt.Sprintf("step %d (%s): %s", st.Number, st.Title, r.Sentence())
		}
	}
	answers, err := s.askRows(ctx, target, questions, limit)
	if err != nil {
		return nil, err
	}
	var out []string
	for _, q := range questions {
		if an := answers.To(q); an != nil && an.State == order.Found {
			out = append(out, about[q])
		}
	}
	return out, nil
}

// lacking lists what the account may not do that the script wants.
func (s *Session) lacking(ctx context.Context, sc *script.Script, target *place.Place, write bool) ([]string, error) {
	db, err := target.Open(ctx, engine.OpenOptions{Write: write, LockWait: s.LockWait})
	if err != nil {
		return nil, Troubled("open", "%w", err)
	}
	defer db.Close()
	in, ok := db.(engine.Inspector)
	if !ok {
		return nil, nil
	}
	var list []engine.Work
	for _, st := range sc.Planned() {
		locks := st.Guards || slices.ContainsFunc(st.Risks, func(r order.Risk) bool { return r.Save != nil && r.Save.Lock != "" })
		list = append(list, engine.Work{On: st.About.Object(), Creates: st.Creates, Drops: st.Drops, Part: st.About.PartKind, Locks: locks})
	}
	out, err := in.Lacking(ctx, list, sc.Meta.Role)
	if err != nil {
		return nil, Troubled("rights", "finding out what the account may do: %w", err)
	}
	return out, nil
}
