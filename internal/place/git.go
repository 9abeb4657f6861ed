package place

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"dappermirror/internal/core/words"
	"dappermirror/internal/place/layout"
	gitrevision "dappermirror/internal/place/revision"
)

// revision is a file or folder as a revision of a repository has it:
// "git:REV:PATH", or "git:REPO//REV:PATH" in another repository than the one we
// stand in.
func revision(label string, opt Options) (*Place, error) {
	at, err := gitrevision.Parse(strings.TrimPrefix(label, "git:"))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", redactGit(label), err)
	}
	shown := redactGit(label) != label
	ctx := context.Background()
	found, err := gitrevision.Read(ctx, at, func(name string) bool { return isText(name) || path.Base(name) == layout.Index })
	if err != nil {
		return nil, fmt.Errorf("%s: %w", redactGit(label), err)
	}
	label = redactGit(label)
	if found.File != nil {
		from := found.File
		p, err := single(label, source{label, kept(from.Data)}, false, at.Database, opt)
		if err == nil {
			p.Identity, p.PasswordShown = found.Identity, shown
		}
		return p, err
	}
	var index []byte
	var list []source
	prefix := strings.TrimSuffix(label, "/")
	for _, f := range found.Files {
		switch {
		case path.Base(f.Name) == layout.Index:
			if f.Name == layout.Index {
				index = f.Data
			}
		default:
			list = append(list, source{prefix + "/" + f.Name, kept(f.Data)})
		}
	}
	if len(list) == 0 && index == nil {
		return nil, fmt.Errorf("%s: it is a folder without .sql files", label)
	}
	slices.SortFunc(list, func(a, b source) int { return words.InOrder(a.name, b.name) })
	p, err := text(ctx, label, &sqlTexts{list: list, database: at.Database}, index, opt)
	if err == nil {
		p.Identity, p.PasswordShown = found.Identity, shown
	}
	return p, err
}

func kept(data []byte) func(context.Context) (io.ReadCloser, error) {
	return func(context.Context) (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(data)), nil }
}

// redactGit takes a password out of the address of a repository.
func redactGit(label string) string {
	out := []byte(label)
	for _, s := range slices.Backward(Secrets(strings.TrimPrefix(label, "git:"))) {
		out = slices.Concat(out[:4+s[0]], []byte("***"), out[4+s[1]:])
	}
	return string(out)
}
