package place

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"dappermirror/internal/core/words"
	"dappermirror/internal/place/unpack"
)

// source is a file of a place, wherever it is kept.
type source struct {
	name string
	open func(context.Context) (io.ReadCloser, error)
}

// unpacked opens a file without what it is packed in.
func (s source) unpacked(ctx context.Context) (*unpack.Reader, error) {
	in, err := s.open(ctx)
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", s.name, err)
	}
	r, err := unpack.New(ctx, in)
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", s.name, err)
	}
	return r, nil
}

// onDisk is a file of this machine.
func onDisk(path string) source {
	return source{path, func(context.Context) (io.ReadCloser, error) { return os.Open(path) }}
}

// archived is an archive in a folder.
func archived(path string) source {
	return source{path, func(ctx context.Context) (io.ReadCloser, error) { return unpack.Folder(ctx, path) }}
}

// isJSON tells a file that begins as a capture does.
func isJSON(head []byte) bool {
	return bytes.HasPrefix(bytes.TrimLeft(head, " \t\r\n\ufeff"), []byte("{"))
}

// textEndings are what the names of texts end in, besides what they are packed
// in.
var textEndings = []string{".sql", ".ddl", ".dump", ".psql", ".pgsql", ".mysql"}

var packedEndings = []string{".gz", ".zst", ".xz", ".bz2", ".zstd"}

// isText tells by its name whether a file is a text.
func isText(name string) bool {
	name = strings.ToLower(name)
	for _, e := range packedEndings {
		name = strings.TrimSuffix(name, e)
	}
	return slices.Contains(textEndings, filepath.Ext(name))
}

// mostFiles is how many files a folder of texts may have.
const mostFiles = 200_000

// inFolder are the texts of a folder, however deep, those with numbers in
// their names in the order of these. Hidden folders are somebody else's.
func inFolder(path string) ([]source, error) {
	var files []string
	err := filepath.WalkDir(path, func(p string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && p != path && strings.HasPrefix(d.Name(), "."):
			return fs.SkipDir
		case !d.IsDir() && isText(p) && !strings.HasPrefix(d.Name(), "."):
			files = append(files, p)
		}
		if len(files) > mostFiles {
			return fmt.Errorf("it has more than %d texts", mostFiles)
		}
		return nil
	})
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", path, err)
	}
	slices.SortFunc(files, words.InOrder)
	var out []source
	for _, f := range files {
		out = append(out, onDisk(f))
	}
	return out, nil
}

// beginning is how texts begin, of many a piece of each.
func beginning(ctx context.Context, list []source) (string, error) {
	var b strings.Builder
	for _, s := range list[:min(len(list), 64)] {
		r, err := s.unpacked(ctx)
		if err != nil {
			return "", err
		}
		_, err = io.CopyN(&b, r, int64(1<<18/min(len(list), 64)))
		_ = r.Close() // it was only looked into
		if err != nil && !errors.Is(err, io.EOF) {
			return "", fmt.Errorf("%s cannot be read: %w", s.name, err)
		}
	}
	return b.String(), nil
}
