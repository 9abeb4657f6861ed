package work

import (
	"errors"
	"io"
	"os"
	"path/filepath"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/files"
	"dappermirror/internal/place"
)

// Output is a file that a call writes, by the option that names it.
type Output struct{ Option, Path string }

// WriteFile writes a file whole or not at all. Without force one that is there
// is left alone.
func WriteFile(path string, data []byte, force bool) error {
	if err := Unwritten(path, force); err != nil {
		return err
	}
	if err := files.Write(path, data); err != nil {
		return Troubled("write", "%s cannot be written: %w", path, err)
	}
	return nil
}

// WriteInto is WriteFile into a folder that is made where it is not there.
func WriteInto(path string, data []byte, force bool) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return Troubled("write", "%s cannot be written: %w", path, err)
	}
	return WriteFile(path, data, force)
}

// Keep writes a structure to a place that keeps structures, whole or not at all.
func Keep(to *place.Place, c *catalog.Catalog, force bool) error {
	if err := Unwritten(to.Label, force); err != nil {
		return err
	}
	if err := to.Keep(c); err != nil {
		return Troubled("write", "%s cannot be written: %w", to.Label, err)
	}
	return nil
}

// Unwritten refuses a file that is there already, unless it may be overwritten.
func Unwritten(path string, force bool) error {
	if path != "" && path != "-" && !force && files.Taken(path) {
		return Troubled("exists", "%s is there already; give --force to overwrite it", path)
	}
	return nil
}

// writable refuses a place that is marked read-only.
func writable(p *place.Place) error {
	if p.ReadOnly != "" {
		return Refused("read-only", "%s is marked read-only in %s: no command writes to it", p.Label, p.ReadOnly)
	}
	return nil
}

// Writable sees that all outputs can be written before any is, and that none is
// a file of the places that the call reads.
func (s *Session) Writable(outputs []Output, force bool, places ...string) error {
	for _, o := range outputs {
		if err := Unwritten(o.Path, force); err != nil {
			return err
		}
	}
	var read []*place.Place
	for _, text := range places {
		p, err := s.Place(text, true)
		if err != nil {
			return err
		}
		read = append(read, p)
	}
	return Apart(outputs, read...)
}

// Apart refuses outputs that are one of the places the call reads, or each
// other: --force overwrites a script, not what it is made from.
func Apart(outputs []Output, places ...*place.Place) error {
	for i, o := range outputs {
		if o.Path == "" || o.Path == "-" {
			continue
		}
		for _, p := range places {
			for _, f := range p.Files() {
				if files.Same(o.Path, f) {
					return Troubled("own-input", "%s %s is a file of %s; name another file", o.Option, o.Path, p.Label)
				}
			}
		}
		for _, other := range outputs[:i] {
			if other.Path != "" && other.Path != "-" && files.Same(o.Path, other.Path) && files.Taken(o.Path) == files.Taken(other.Path) {
				return Troubled("same-file", "%s and %s are the same file, %s", other.Option, o.Option, o.Path)
			}
		}
	}
	return nil
}

// ReadText reads a file, or standard input for "-".
func ReadText(path string, stdin io.Reader) (string, error) {
	var data []byte
	var err error
	if path == "-" {
		data, err = io.ReadAll(stdin)
	} else {
		data, err = os.ReadFile(path)
	}
	if errors.Is(err, os.ErrNotExist) {
		return "", Troubled("not-found", "%s does not exist", path)
	}
	if err != nil {
		return "", Troubled("read", "%s cannot be read: %w", path, err)
	}
	return string(data), nil
}
