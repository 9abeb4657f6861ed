package work

import (
	"cmp"
	"context"
	"slices"

	"dappermirror/internal/place"
)

// Rewrite works out how the texts that are the target of a pair, which was read
// whole, are brought in line with what was chosen. Nothing is written yet.
func (s *Session) Rewrite(ctx context.Context, p *Pair) (*place.Rewriting, error) {
	if err := writable(p.Target); err != nil {
		return nil, err
	}
	if err := s.needed(p); err != nil {
		return nil, err
	}
	opt := place.Options{LockWait: s.LockWait, Like: p.Comparison.Source, Groups: p.Comparison.Options.Groups}
	var err error
	if opt.Scratch, err = s.scratchFor(ctx, p.Target.Scratch(), p.Target.Engine); err != nil {
		return nil, err
	}
	defer s.busy(ReadingBoth)()
	w, err := p.Target.Rewrite(ctx, p.Comparison.Target, p.Choices.Chosen.Target(), opt)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, Refused("rewrite", "%w", err)
	}
	return w, nil
}

// Put writes what was worked out; the place is read anew afterwards.
func (s *Session) Put(p *place.Place, w *place.Rewriting) error {
	defer s.change()()
	s.forget(p)
	if err := w.Put(); err != nil {
		return Troubled("write", "%w", err)
	}
	return nil
}

// forget has a place read again.
func (s *Session) forget(p *place.Place) {
	s.keeping.Lock()
	defer s.keeping.Unlock()
	delete(s.kept, p.Identity)
}

// Rewritable tells whether a place is texts that can be written anew.
func (s *Session) Rewritable(text string) bool {
	p, err := s.Place(text, false)
	return err == nil && p.Rewritable()
}

// FileChange is what becomes of one file.
type FileChange struct {
	Name    string
	Change  string // "new", "changed" or "gone"
	Objects []string
}

// FileChanges lists the files that change, by name, with the objects they are
// changed for.
func FileChanges(w *place.Rewriting) []FileChange {
	var out []FileChange
	of := func(name string) []string {
		var list []string
		for ref, file := range w.Objects {
			if file == name {
				list = append(list, ref.String())
			}
		}
		slices.Sort(list)
		return list
	}
	for name := range w.Files {
		change := "changed"
		if w.New(name) {
			change = "new"
		}
		out = append(out, FileChange{name, change, of(name)})
	}
	for _, name := range w.Gone {
		out = append(out, FileChange{name, "gone", of(name)})
	}
	slices.SortFunc(out, func(a, b FileChange) int { return cmp.Compare(a.Name, b.Name) })
	return out
}
