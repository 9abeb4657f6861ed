package reviews

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"dappermirror/internal/cli/doing"
	"dappermirror/internal/cli/judgement"
	"dappermirror/internal/cli/project"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/impact"
	"dappermirror/internal/core/order"
	"dappermirror/internal/files"
	"dappermirror/internal/report"
	"dappermirror/internal/report/view"
	"dappermirror/internal/review"
	"dappermirror/internal/settings"
	"dappermirror/internal/work"
)

// desk works out what a review shows, by what the commands do.
type desk struct {
	app    App
	base   *judgement.Said
	w      doing.Writing
	run    doing.Running
	re     doing.Rehearsing
	source string
	target string

	judging         *work.Judging
	script, written string // the file that the script was written into, and its text

	mu    sync.Mutex // what follows is also looked at by what takes a while
	draft *work.Draft
	wr    *work.Writing
	of    *compare.Comparison // what these are of
	items map[string]*compare.Item
	all   []*review.Difference // without choices
	same  []string
}

// comparing is what was said, as the commands understand it.
func (d *desk) comparing(s review.Said) (work.Comparing, *work.Writing, error) {
	said := d.base.With(judgement.Further{Own: s.Own, Leave: s.Leave, ToSource: s.ToSource, Rename: s.Rename, Tolerate: s.Tolerate, AddNeeded: s.AddNeeded})
	c, err := said.Comparing()
	if err != nil {
		return c, nil, err
	}
	w := d.w
	w.MayLose, w.Fill = slices.Concat(w.MayLose, s.MayLose), slices.Concat(w.Fill, s.Fill)
	wr, err := w.Of(d.script, d.target, said.Words())
	c.Create = w.Create
	return c, wr, err
}

// Judge implements review.Desk.
func (d *desk) Judge(ctx context.Context, s review.Said) (*review.Judged, error) {
	c, wr, err := d.comparing(s)
	if err != nil {
		return nil, err
	}
	draft, err := d.judging.Draft(ctx, c, wr)
	if err != nil {
		return nil, err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	d.draft, d.wr = draft, wr
	d.know(draft.Pair.Comparison)
	p := draft.Pair
	j := &review.Judged{Source: p.Source.Label, Target: p.Target.Label, Alike: p.Comparison.Similarity(), Same: d.same, Unasked: len(draft.Unasked), Differences: d.chosen(p.Choices.Chosen)}
	for _, m := range draft.Lacking {
		j.Lacking = append(j.Lacking, review.Lack{Thing: m.Thing.String(), Needs: m.Needs.String(), Goes: m.Goes})
	}
	for _, l := range draft.Likely {
		j.Likely = append(j.Likely, view.Likely{Old: l.Old.String(), New: l.New.String(), Option: l.Option(), Weight: l.Weight, Reasons: l.Reasons})
	}
	if draft.Stuck != nil {
		j.Stuck = draft.Stuck.Error()
		return j, nil
	}
	steps, held := report.StepViews(draft.Plan)
	for i, v := range steps {
		j.Steps = append(j.Steps, d.step(v, draft.Plan.Steps[i], false))
	}
	for i, v := range held {
		j.Held = append(j.Held, d.step(v, draft.Plan.Held[i], true))
	}
	return j, nil
}

// know lists what differs, once for each comparison.
func (d *desk) know(c *compare.Comparison) {
	if d.of == c {
		return
	}
	d.of, d.items, d.all, d.same = c, map[string]*compare.Item{}, nil, nil
	found := view.Found{Comparison: c}
	for _, it := range c.Items {
		ref := it.Object().Ref()
		if it.Status == compare.Same {
			d.same = append(d.same, ref.String())
			continue
		}
		o := found.One(it)
		x := &review.Difference{ID: ref.String(), Kind: string(o.Kind), Name: o.Name, Title: o.Kind.Title() + " " + o.Title(), Mark: view.MarkOf(it.Status), Said: o.Facts}
		if x.Bare = it.Status == compare.Differs && len(it.Properties) == 0; it.Status != compare.Differs {
			x.Said = o.Said
		}
		d.items[x.ID] = it
		for _, p := range it.Changed() {
			title, said := view.Part(p)
			part := &review.Difference{ID: it.Object().PartRef(p.Object()).String(), Kind: string(p.Kind()), Name: p.Object().Name, Title: title + " of " + o.Title(), Of: x.ID, Mark: view.MarkOf(p.Status), Said: said}
			d.items[part.ID] = p
			if it.Status == compare.Differs {
				x.Parts = append(x.Parts, part)
			}
		}
		d.all = append(d.all, x)
	}
}

// chosen are the differences with what becomes of each.
func (d *desk) chosen(c *choose.Chosen) []*review.Difference {
	word := func(x choose.Choice) string {
		if x.Decision == choose.ToTarget {
			return ""
		}
		return x.Decision.String()
	}
	out := make([]*review.Difference, len(d.all))
	for i, x := range d.all {
		it, own := d.items[x.ID], *x
		own.Choice, own.Parts = word(c.Of(it)), nil
		for _, p := range x.Parts {
			part := *p
			part.Choice = word(c.OfPart(it, d.items[p.ID]))
			own.Parts = append(own.Parts, &part)
		}
		out[i] = &own
	}
	return out
}

// severity orders the kinds of risks, the worst first.
var severity = []order.RiskKind{order.WillFail, order.Loss, order.MayFail, order.BreaksCallers, order.Rewrite}

// step is a step with the differences that it carries out.
func (d *desk) step(v view.Step, s *order.Step, held bool) *review.Step {
	out := &review.Step{Step: v}
	for _, k := range severity {
		if out.Worst == "" && slices.ContainsFunc(s.Risks, func(r order.Risk) bool { return r.Kind == k }) {
			out.Worst = string(k)
		}
	}
	if out.Worst == "" && len(s.Locks) > 0 {
		out.Worst = "lock"
	}
	out.Of = d.carried(s, held)
	for _, r := range s.Risks {
		if held && r.Kind == order.Loss {
			out.Loses = append(out.Loses, r.On.String())
		}
		if o := d.of.Source.Find(r.On.Object()); o != nil && r.On.PartKind == catalog.Column && (r.Kind == order.MayFail || r.Kind == order.WillFail) {
			if c := o.Part(catalog.Column, r.On.Part); c != nil && c.Has("not null") && !c.Has("default") && !c.Has("generated") && !c.Has("identity") {
				out.Lacks = append(out.Lacks, strings.TrimPrefix(r.On.String(), "column:"))
			}
		}
	}
	return out
}

// carried are the differences that a step carries out: objects that come or go, parts of
// those that change, and an object itself where its own facts do.
func (d *desk) carried(s *order.Step, held bool) []string {
	var out []string
	wanted, done := d.draft.Pair.Choices, d.draft.Plan.Chosen
	add := func(r catalog.Ref) {
		it, id := d.items[r.Object().String()], r.Thing().String()
		if it == nil || d.items[id] == nil || slices.Contains(out, id) {
			return
		}
		choice, runs := wanted.Of(it), done.Of(it)
		if r.IsPart() {
			choice, runs = wanted.OfPart(it, d.items[id]), done.OfPart(it, d.items[id])
		}
		// What is left or held back may come down for a while, and is put back.
		if choice.Decision == choose.ToTarget && (runs.Decision == choose.ToTarget) != held && (r.IsPart() == (it.Status == compare.Differs) || len(it.Properties) > 0 && !r.IsPart()) {
			out = append(out, id)
		}
	}
	for _, r := range slices.Concat(s.Makes, s.Removes, []catalog.Ref{s.About}) {
		add(r)
	}
	if it := d.items[s.About.Object().String()]; len(out) == 0 && it != nil && !s.About.IsPart() {
		for _, p := range it.Changed() { // the step does not say which
			add(it.Object().PartRef(p.Object()))
		}
	}
	return out
}

// Ask implements review.Desk.
func (d *desk) Ask(ctx context.Context) error {
	d.mu.Lock()
	draft, wr := d.draft, d.wr
	d.mu.Unlock()
	return d.judging.Ask(ctx, draft, wr)
}

// AskNow implements review.Desk.
func (d *desk) AskNow(ctx context.Context, s review.Said) error {
	d.w.Rows.Checks = "on"
	if _, err := d.Judge(ctx, s); err != nil {
		return err
	}
	return d.Ask(ctx)
}

// Again implements review.Desk.
func (d *desk) Again(ctx context.Context, s review.Said) ([]string, error) {
	c, _, err := d.comparing(s)
	if err != nil {
		return nil, err
	}
	d.mu.Lock()
	was := map[string]string{}
	for _, x := range d.all {
		was[x.ID] = fmt.Sprint(x.Mark, x.Said)
	}
	d.mu.Unlock()
	if err := d.judging.Again(ctx, c); err != nil {
		return nil, err
	}
	if _, err := d.Judge(ctx, s); err != nil {
		return nil, err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	var out []string
	for _, x := range d.all {
		switch before, known := was[x.ID]; {
		case !known:
			out = append(out, "differs now: "+x.Title)
		case before != fmt.Sprint(x.Mark, x.Said):
			out = append(out, "differs otherwise now: "+x.Title)
		}
		delete(was, x.ID)
	}
	for id := range was {
		out = append(out, "differs no more: "+id)
	}
	slices.Sort(out)
	return out, nil
}

// Look implements review.Desk.
func (d *desk) Look(id string) (*review.Closely, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	it := d.items[id]
	if it == nil {
		return nil, fmt.Errorf("%s does not differ", id)
	}
	o := view.Found{Comparison: d.of, Define: d.draft.Pair.Definition}.One(it)
	out := &review.Closely{Object: &o}
	if it.Target != nil {
		r := impact.Of(d.of.Target, it.Target.Ref(), impact.None, nil)
		for _, n := range r.Users {
			if n.On.Object() != it.Target.Ref() {
				out.Users = append(out.Users, n.On.String())
			}
		}
	}
	return out, nil
}

// mostRows is how many rows are shown of those that a risk is about.
const mostRows = 50

// Rows implements review.Desk.
func (d *desk) Rows(ctx context.Context, s *review.Step) ([]string, error) {
	d.mu.Lock()
	var risks []order.Risk
	for _, x := range slices.Concat(d.draft.Plan.Steps, d.draft.Plan.Held) {
		if x.Title == s.Title {
			risks = x.Risks
		}
	}
	wr := d.wr
	d.mu.Unlock()
	var out []string
	for _, r := range risks {
		if r.Ask == nil {
			continue
		}
		out = append(out, r.Text)
		if len(r.Ask.On) == 0 || r.Ask.Where == "" {
			out = append(out, "  "+r.Ask.List, "")
			continue
		}
		list, err := d.app.Work().ListRows(ctx, d.target, work.Rows{Table: r.Ask.On[0].String(), Where: r.Ask.Where, Limit: mostRows, Letters: 60, Time: cmp.Or(wr.RowCheckTime, work.RowCheckTime)})
		if err != nil {
			return nil, err
		}
		var b strings.Builder
		report.Rows(&b, project.RowsJSON(list), report.Style{Width: 120})
		out = append(out, strings.Split(strings.TrimRight(b.String(), "\n"), "\n")...)
		out = append(out, "")
	}
	return out, nil
}

// Tolerances implements review.Desk.
func (d *desk) Tolerances(id string) []string {
	d.mu.Lock()
	defer d.mu.Unlock()
	it := d.items[id]
	if it == nil {
		return nil
	}
	var out []string
	note := func(it *compare.Item) {
		for _, c := range d.of.Target.Kinds.Tolerable() {
			for _, f := range it.Properties {
				if c.Of(it.Object(), f.Name) && !slices.Contains(out, c.Tolerance) {
					out = append(out, c.Tolerance)
				}
			}
		}
	}
	note(it)
	for _, p := range it.Parts {
		note(p)
	}
	return out
}

// keptFile is where what was said stays until it is written, one file for each two places.
func (d *desk) keptFile() (string, error) {
	sum := sha256.Sum256([]byte(d.source + "\x00" + d.target))
	return settings.StateFile(filepath.Join("reviews", hex.EncodeToString(sum[:8])+".json"))
}

// Keep implements review.Desk.
func (d *desk) Keep(s review.Said) error {
	path, err := d.keptFile()
	if err != nil {
		return work.Troubled("state", "%w", err)
	}
	if s.Empty() {
		if err := os.Remove(path); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return work.Troubled("state", "%w", err)
		}
		return nil
	}
	data, err := json.Marshal(s)
	if err == nil {
		err = os.MkdirAll(filepath.Dir(path), 0o700)
	}
	if err == nil {
		err = files.Write(path, data)
	}
	if err != nil {
		return work.Troubled("state", "keeping what was said: %w", err)
	}
	return nil
}

// kept is what an earlier review said of the same two places and did not write.
func (d *desk) kept() review.Said {
	var s review.Said
	path, err := d.keptFile()
	if err != nil {
		return s
	}
	if data, err := os.ReadFile(path); err == nil {
		_ = json.Unmarshal(data, &s) // what cannot be read is forgotten
	}
	return s
}
