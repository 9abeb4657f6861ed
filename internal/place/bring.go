package place

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/judge"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/texts"
	"dappermirror/internal/files"
	"dappermirror/internal/place/rewrite"
)

// Rewriting is what texts would be so that they say another structure. It was
// proved to say that.
type Rewriting struct {
	*rewrite.Change
	texts *sqlTexts
}

// Rewritable tells whether the place is texts that can be written anew: files of
// this machine that are not packed.
func (p *Place) Rewritable() bool {
	t, ok := p.is.(*sqlTexts)
	return ok && t.disk
}

// Rewrite works out how texts that say actual, which was read from them, shall
// say desired. Nothing is written yet. The new texts are read to prove it.
func (p *Place) Rewrite(ctx context.Context, actual, desired *catalog.Catalog, opt Options) (*Rewriting, error) {
	t, ok := p.is.(*sqlTexts)
	if !ok || !t.disk {
		return nil, fmt.Errorf("%s: it is no text that can be written", p.Label)
	}
	in := &rewrite.Texts{Actual: actual}
	for _, s := range t.list {
		r, err := s.unpacked(ctx)
		if err != nil {
			return nil, err
		}
		if r.Packed || r.Archive {
			_ = r.Close() // it was only looked into
			return nil, fmt.Errorf("%s is packed, or in UTF-16: it is not written anew", s.name)
		}
		text, err := io.ReadAll(io.LimitReader(r, texts.Longest+1))
		if e := r.Close(); err == nil {
			err = e
		}
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %w", s.name, err)
		}
		if len(text) > texts.Longest {
			return nil, fmt.Errorf("%s has more than %d MB; it is a dump, which is not written anew", s.name, texts.Longest>>20)
		}
		in.Sources = append(in.Sources, rewrite.Source{Name: t.beneath(s.name), Text: text})
	}
	var err error
	if in.Was, in.Grammar, err = laidOut(actual); err != nil {
		return nil, err
	}
	desired = asAsked(desired, actual, opt.Groups)
	in.Desired = desired
	if in.Is, _, err = laidOut(desired); err != nil {
		return nil, err
	}
	if t.folder == "" { // all of it is one file
		for i := range in.Is {
			in.Is[i].Name = in.Sources[0].Name
		}
	}
	change, err := rewrite.Rewrite(ctx, in)
	if err != nil {
		return nil, err
	}
	w := &Rewriting{change, t}
	return w, w.prove(ctx, p, in, desired, opt)
}

// asAsked is the desired structure in which what is new says of itself only what
// counts: an owner nobody asked for is somebody of the other side.
func asAsked(desired, actual *catalog.Catalog, groups map[string]bool) *catalog.Catalog {
	out := *desired
	out.Objects = nil
	for _, o := range desired.Objects {
		if actual.Find(o.Ref()) == nil {
			o = without(o, groups)
			o.Parts = slices.Clone(o.Parts)
			for i, p := range o.Parts {
				o.Parts[i] = without(p, groups)
			}
		}
		out.Add(o)
	}
	return &out
}

func without(o *catalog.Object, groups map[string]bool) *catalog.Object {
	c := *o
	c.Properties = slices.DeleteFunc(slices.Clone(o.Properties), func(p catalog.Property) bool { return judge.Optional(&p, groups) })
	return &c
}

// New tells whether a file of the new texts was not there.
func (w *Rewriting) New(name string) bool {
	return !slices.ContainsFunc(w.texts.list, func(s source) bool { return w.texts.beneath(s.name) == name })
}

// beneath is the name of a file beneath the folder.
func (t *sqlTexts) beneath(name string) string {
	if t.folder == "" {
		return filepath.ToSlash(name)
	}
	rel, err := filepath.Rel(t.folder, name)
	if err != nil {
		return filepath.ToSlash(name)
	}
	return filepath.ToSlash(rel)
}

// prove reads the new texts and sees that they say what they shall.
func (w *Rewriting) prove(ctx context.Context, p *Place, in *rewrite.Texts, desired *catalog.Catalog, opt Options) error {
	now := &sqlTexts{folder: w.texts.folder, whole: w.texts.whole, database: w.texts.database}
	add := func(name string, text []byte) {
		now.list = append(now.list, source{name, func(context.Context) (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(text)), nil }})
	}
	there := map[string]bool{}
	for _, s := range in.Sources {
		there[s.Name] = true
		switch text, changed := w.Files[s.Name]; {
		case changed:
			add(s.Name, text)
		case !slices.Contains(w.Gone, s.Name):
			add(s.Name, s.Text)
		}
	}
	for name, text := range w.Files {
		if !there[name] {
			add(name, text)
		}
	}
	slices.SortFunc(now.list, func(a, b source) int { return words.InOrder(a.name, b.name) })
	q := &Place{Label: p.Label, Engine: p.Engine, is: now}
	got, err := now.read(ctx, q, opt)
	if err != nil {
		return fmt.Errorf("%s cannot be written anew statement by statement, as what it would be cannot be read (%w); write a script for it: dapper-mirror script", p.Label, err)
	}
	groups := map[string]bool{}
	if e, err := engine.Named(desired.Engine); err == nil {
		for _, g := range e.Groups() {
			groups[g] = true
		}
	}
	got = asAsked(got, in.Actual, opt.Groups)
	for _, it := range compare.Compare(desired, got, compare.Options{Groups: groups}).Differences() {
		if onlyOrdered(it, opt.Groups) {
			continue
		}
		return fmt.Errorf("%s cannot be written anew statement by statement: %s would not be as it shall (%s); write a script for it: dapper-mirror script", p.Label, it.Object().Ref(), wrong(it))
	}
	return nil
}

// onlyOrdered tells whether a thing differs in the order of its parts alone, which nobody
// asked for.
func onlyOrdered(it *compare.Item, asked map[string]bool) bool {
	if it.Status != compare.Differs || len(it.Changed()) > 0 {
		return false
	}
	return !slices.ContainsFunc(it.Properties, func(d compare.PropertyDiff) bool {
		p := it.Source.Property(d.Name)
		if p == nil {
			p = it.Target.Property(d.Name)
		}
		return p == nil || !p.Order || p.Group == "" || asked[p.Group]
	})
}

// wrong names what of a thing is not as it shall be.
func wrong(it *compare.Item) string {
	if it.Status != compare.Differs {
		return map[compare.Status]string{compare.SourceOnly: "it is not there", compare.TargetOnly: "it is there"}[it.Status]
	}
	var out []string
	for _, d := range it.Properties {
		out = append(out, d.Name)
	}
	for _, p := range it.Changed() {
		out = append(out, fmt.Sprintf("%s %s", p.Object().Kind.Title(), p.Object().Name))
	}
	return words.Join(out, 3)
}

// Put writes the files.
func (w *Rewriting) Put() error {
	if w.texts.folder != "" {
		return put(w.texts.folder, w.Files, w.Gone)
	}
	for name, text := range w.Files {
		if err := files.Write(filepath.FromSlash(name), text); err != nil {
			return err
		}
	}
	for _, name := range w.Gone { // nothing is left in the one file there is
		if err := os.Truncate(filepath.FromSlash(name), 0); err != nil {
			return err
		}
	}
	return nil
}
