package rewrite

import (
	"bytes"
	"fmt"
	"maps"
	"slices"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/place/layout"
)

// Whole changes texts of an engine whose statements nobody takes apart: the files of
// objects that changed are written anew as a whole. A file in which more stands than
// the object it was written for, as a comment, is not replaced: that is an error.
func Whole(t *Texts) (*Change, error) {
	out := &Change{Files: map[string][]byte{}, Objects: map[catalog.Ref]string{}}
	there := map[string][]byte{}
	for _, s := range t.Sources {
		there[s.Name] = s.Text
	}
	named := func(list []layout.File) map[string]*layout.File {
		m := map[string]*layout.File{}
		for i := range list {
			m[list[i].Name] = &list[i]
		}
		return m
	}
	was, is := named(t.Was), named(t.Is)
	own := func(name string) error {
		text, found := there[name]
		switch {
		case !found:
			return fmt.Errorf("%s stands in no file of its own, as \"capture PLACE --as folder\" writes them; change it by hand", was[name].Of)
		case !bytes.Equal(text, was[name].Text(t.Grammar)):
			return fmt.Errorf("%s holds more than %s as it was captured, which would be lost; change it by hand", name, was[name].Of)
		}
		return nil
	}
	for _, name := range slices.Sorted(maps.Keys(was)) {
		f, now := was[name], is[name]
		if now != nil && bytes.Equal(now.Text(t.Grammar), f.Text(t.Grammar)) {
			continue
		}
		if err := own(name); err != nil {
			return nil, err
		}
		if now == nil {
			out.Gone, out.Objects[f.Of] = append(out.Gone, name), name
			continue
		}
		out.Files[name], out.Objects[f.Of] = now.Text(t.Grammar), name
	}
	for _, name := range slices.Sorted(maps.Keys(is)) {
		f := is[name]
		if was[name] != nil {
			continue
		}
		if _, found := there[name]; found {
			return nil, fmt.Errorf("%s is to be the file of %s and holds something else; move that away", name, f.Of)
		}
		out.Files[name], out.Objects[f.Of] = f.Text(t.Grammar), name
	}
	return out, nil
}
