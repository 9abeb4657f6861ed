// Package layout says how a structure lies in a folder: which file a thing
// stands in, and what the files are called.
package layout

import (
	"bytes"
	"fmt"

	"go.yaml.in/yaml/v4"
)

// Index is the name of the file that says what a folder is.
const Index = "dapper-mirror-folder.yaml"

// Format and Version identify a folder. The version grows only when an older
// reader would misunderstand the folder.
const (
	Format  = "dapper-mirror folder"
	Version = 1
)

// Folder is what the index says.
type Folder struct {
	Format  string `yaml:"format"`
	Version int    `yaml:"version"`
	Engine  string `yaml:"engine"`
}

// ReadIndex reads the index of a folder.
func ReadIndex(data []byte) (Folder, error) {
	var f Folder
	d := yaml.NewDecoder(bytes.NewReader(data))
	if err := d.Decode(&f); err != nil {
		return f, fmt.Errorf("it is not understood: %w", err)
	}
	switch {
	case f.Format != Format:
		return f, fmt.Errorf("it is no index of a folder: its format is %q, not %q", f.Format, Format)
	case f.Version > Version:
		return f, fmt.Errorf("the folder was written by a newer program (version %d; this one knows %d)", f.Version, Version)
	}
	return f, nil
}

// WriteIndex writes the index of a folder.
func WriteIndex(engine string) []byte {
	return fmt.Appendf(nil, "# What this folder is. Each .sql file beside it is one object of a database.\nformat: %s\nversion: %d\nengine: %s\n", Format, Version, engine)
}
