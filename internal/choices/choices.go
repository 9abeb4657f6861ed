// Package choices is the file in which somebody edits, reviews and keeps what is
// to become of each difference.
package choices

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"

	"go.yaml.in/yaml/v4"

	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/scope"
	"dappermirror/internal/core/sqltext"
)

// Version of the file. It grows only when an older program would misunderstand it.
const Version = 1

// File is a file of choices.
type File struct {
	Version     int          `yaml:"version"`
	Source      string       `yaml:"source,omitempty"`
	Target      string       `yaml:"target,omitempty"`
	Default     string       `yaml:"default"`
	Differences []Difference `yaml:"differences"`
}

// Difference is one difference, and what is to become of it.
type Difference struct {
	What   string   `yaml:"what"`
	Status string   `yaml:"status,omitempty"`
	Would  string   `yaml:"would,omitempty"` // what happens when it goes to the target
	Rows   []string `yaml:"rows,omitempty"`  // what the target's rows say about that
	Choice string   `yaml:"choice"`
}

const head = `# What is to become of each difference: to-target changes the target, leave
# leaves both as they are, to-source changes the source instead. What is not
# listed here follows the default. Only what and choice are read back; the rest
# is for people. Used with --choices FILE.
`

// Write writes a file.
func Write(f File) ([]byte, error) {
	var b bytes.Buffer
	b.WriteString(head)
	enc := yaml.NewEncoder(&b)
	enc.SetIndent(2)
	if err := enc.Encode(f); err != nil {
		return nil, fmt.Errorf("writing the choices: %w", err)
	}
	return b.Bytes(), enc.Close()
}

// Read reads one. What is not understood is an error with its line.
func Read(data []byte) (*choose.Wishes, error) {
	var doc yaml.Node
	dec := yaml.NewDecoder(bytes.NewReader(data))
	if err := dec.Decode(&doc); err != nil && !errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("it is no YAML: %s", strings.Join(strings.Fields(err.Error()), " "))
	}
	w := &choose.Wishes{}
	if len(doc.Content) == 0 {
		return nil, errors.New("there is nothing in it")
	}
	root := doc.Content[0]
	bad := func(n *yaml.Node, format string, args ...any) error {
		return fmt.Errorf("line %d: %s", n.Line, sqltext.CommentSafe(fmt.Sprintf(format, args...)))
	}
	if root.Kind != yaml.MappingNode {
		return nil, bad(root, "a file of choices has the keys version, default and differences")
	}
	version := false
	for i := 0; i+1 < len(root.Content); i += 2 {
		key, value := root.Content[i], root.Content[i+1]
		switch key.Value {
		case "version":
			n := 0
			if err := value.Decode(&n); err != nil || n < 1 {
				return nil, bad(value, "version %q is no number", value.Value)
			}
			if n > Version {
				return nil, bad(value, "it was written by a newer version (%d)", n)
			}
			version = true
		case "source", "target":
		case "default":
			d, err := choose.ParseDecision(value.Value)
			if err != nil {
				return nil, bad(value, "%v", err)
			}
			w.Default = d
		case "differences":
			if value.Kind != yaml.SequenceNode && value.Tag != "!!null" {
				return nil, bad(value, "differences is a list")
			}
			for _, n := range value.Content {
				wish, err := readOne(n)
				if err != nil {
					return nil, bad(n, "%v", err)
				}
				w.Filed = append(w.Filed, wish)
			}
		default:
			return nil, bad(key, "%q is no key of a file of choices", key.Value)
		}
	}
	if !version {
		return nil, bad(root, "its version is missing: it is no file of choices")
	}
	return w, nil
}

func readOne(n *yaml.Node) (choose.Wish, error) {
	w := choose.Wish{Alone: true}
	if n.Kind != yaml.MappingNode {
		return w, errors.New("each difference has the keys what and choice")
	}
	what, choice := "", ""
	for i := 0; i+1 < len(n.Content); i += 2 {
		switch key := n.Content[i]; key.Value {
		case "what":
			what = n.Content[i+1].Value
		case "choice":
			choice = n.Content[i+1].Value
		case "status", "would", "rows":
		default:
			return w, fmt.Errorf("%q is no key of a difference", key.Value)
		}
	}
	if what == "" || choice == "" {
		return w, errors.New("each difference has what and choice")
	}
	ps, err := scope.Parse(what)
	if err != nil {
		return w, err
	}
	if len(ps) != 1 {
		return w, fmt.Errorf("%q is more than one pattern", what)
	}
	w.On = ps[0]
	w.Decision, err = choose.ParseDecision(choice)
	return w, err
}
