package settings

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"

	"dappermirror/internal/core/words"
	"dappermirror/internal/place"
)

// Place is a place that a settings file names.
type Place struct {
	Name string
	At   string // its address or file, without a password
	File string // the settings file, and the line in it
	Line int
	Note string
	// Password says where the password comes from; nil for the engine's own ways
	// (password files, services, the environment of its client).
	Password *place.Secret
	TLS      place.TLS
	// Only, Except and Tolerate are said wherever the place takes part.
	Only, Except, Tolerate []string
	// ReadOnly says that no command may write to it.
	ReadOnly bool
	Dialect  string
	Scratch  string // where its texts are run to be read
}

// Pair are two places that are compared.
type Pair struct{ Source, Target string }

// DefaultPair is what is compared where nothing is said.
const DefaultPair = "default"

// wrong notes what is not understood, with its place.
type wrong func(n *yaml.Node, format string, args ...any)

// keyed reads the keys of a mapping by a table; others are complained of.
func keyed(n *yaml.Node, what string, bad wrong, table map[string]func(*yaml.Node)) {
	if n.Kind != yaml.MappingNode {
		bad(n, "%s holds names and values, one a line", what)
		return
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, value := n.Content[i], n.Content[i+1]
		if do := table[key.Value]; do != nil {
			do(value)
			continue
		}
		var known []string
		for k := range table {
			known = append(known, k)
		}
		slices.Sort(known)
		bad(key, "%q is no key of %s%s; there are %s", key.Value, what, words.Suggest(key.Value, known), strings.Join(known, ", "))
	}
}

func text(into *string, what string, bad wrong) func(*yaml.Node) {
	return func(n *yaml.Node) {
		if n.Kind != yaml.ScalarNode || n.Tag == "!!null" {
			bad(n, "%s is a text", what)
			return
		}
		*into = n.Value
	}
}

func list(into *[]string, what string, bad wrong) func(*yaml.Node) {
	return func(n *yaml.Node) {
		switch n.Kind {
		case yaml.ScalarNode:
			*into = []string{n.Value}
			return
		case yaml.SequenceNode:
			for _, x := range n.Content {
				if x.Kind != yaml.ScalarNode {
					bad(x, "%s is a list of texts", what)
					return
				}
				*into = append(*into, x.Value)
			}
			return
		}
		bad(n, "%s is a text, or a list of texts", what)
	}
}

func yesNo(into *bool, what string, bad wrong) func(*yaml.Node) {
	return func(n *yaml.Node) {
		if n.Tag != "!!bool" {
			bad(n, "%s is true or false", what)
			return
		}
		*into = n.Value == "true"
	}
}

// tlsModes are how far a connection is protected, and proved to lead to the
// right server.
var tlsModes = []string{"off", "prefer", "require", "verify-ca", "verify"}

// readPlace reads a place: an address, or an address with what belongs to it.
func readPlace(file, name string, n *yaml.Node, bad wrong) Place {
	p := Place{Name: name, File: file}
	if n.Kind == yaml.ScalarNode {
		p.At = n.Value
	} else {
		what := "place " + name
		keyed(n, what, bad, map[string]func(*yaml.Node){
			"at": text(&p.At, "at", bad), "note": text(&p.Note, "note", bad), "dialect": text(&p.Dialect, "dialect", bad), "scratch": text(&p.Scratch, "scratch", bad),
			"only": list(&p.Only, "only", bad), "except": list(&p.Except, "except", bad), "tolerate": list(&p.Tolerate, "tolerate", bad), "read-only": yesNo(&p.ReadOnly, "read-only", bad),
			"password": func(v *yaml.Node) { p.Password = readSecret(file, v, bad) },
			"tls":      func(v *yaml.Node) { p.TLS = readTLS(file, v, bad) },
		})
		if p.At == "" {
			bad(n, "place %s says nowhere where it is; give at: and its address or file", name)
		}
	}
	// A password that comes from the environment stands in no file.
	for _, s := range place.Secrets(p.At) {
		if secret := p.At[s[0]:s[1]]; secret != "" && os.Expand(secret, func(string) string { return "" }) != "" {
			bad(n, "place %s has its password in clear; take it out of the address and say where it comes from, as password: {env: %s_PASSWORD}", name, strings.ToUpper(strings.ReplaceAll(name, "-", "_")))
			p.At = ""
			return p
		}
	}
	p.At = beside(file, os.ExpandEnv(p.At))
	p.Scratch = os.ExpandEnv(p.Scratch)
	return p
}

// readSecret reads where a password comes from.
func readSecret(file string, n *yaml.Node, bad wrong) *place.Secret {
	s := &place.Secret{}
	if n.Kind == yaml.ScalarNode {
		switch n.Value {
		case "ask":
			s.Ask = true
			return s
		case "engine":
			return nil
		}
		bad(n, "a password does not stand in a file; say where it comes from: {env: NAME}, {file: PATH}, {command: [PROGRAM, ARGUMENT]}, ask, or engine for the engine's own password files")
		return nil
	}
	var path string
	var command []string
	keyed(n, "password", bad, map[string]func(*yaml.Node){
		"env": text(&s.Env, "env", bad), "file": text(&path, "file", bad),
		"command": func(v *yaml.Node) {
			if list(&command, "command", bad)(v); v.Kind == yaml.ScalarNode {
				command = strings.Fields(v.Value)
			}
		},
	})
	if path != "" {
		s.File = beside(file, os.ExpandEnv(path))
	}
	s.Command = command
	if ways := slices.DeleteFunc([]string{s.Env, s.File, strings.Join(command, " ")}, func(x string) bool { return x == "" }); len(ways) != 1 {
		bad(n, "a password comes from one of env, file and command")
	}
	return s
}

func readTLS(file string, n *yaml.Node, bad wrong) place.TLS {
	t := place.TLS{}
	if n.Kind == yaml.ScalarNode {
		t.Mode = n.Value
	} else {
		keyed(n, "tls", bad, map[string]func(*yaml.Node){"mode": text(&t.Mode, "mode", bad), "ca": text(&t.CA, "ca", bad), "cert": text(&t.Cert, "cert", bad), "key": text(&t.Key, "key", bad)})
	}
	for _, f := range []*string{&t.CA, &t.Cert, &t.Key} {
		if *f != "" {
			*f = beside(file, os.ExpandEnv(*f))
		}
	}
	if t.Mode == "" && t.CA != "" {
		t.Mode = "verify"
	}
	if t.Mode != "" && !slices.Contains(tlsModes, t.Mode) {
		bad(n, "tls %q: it is one of %s", t.Mode, strings.Join(tlsModes, ", "))
	}
	return t
}

func readPair(n *yaml.Node, name string, bad wrong) Pair {
	var p Pair
	keyed(n, "pair "+name, bad, map[string]func(*yaml.Node){"source": text(&p.Source, "source", bad), "target": text(&p.Target, "target", bad)})
	if p.Source == "" || p.Target == "" {
		bad(n, "pair %s has a source and a target", name)
	}
	return p
}

// Named is the place as it is resolved.
func (p Place) Named() place.Named {
	n := place.Named{At: p.At, Password: p.Password, TLS: p.TLS, Dialect: p.Dialect, Scratch: p.Scratch, Folder: filepath.Dir(p.File)}
	if p.ReadOnly {
		n.ReadOnly = p.Where()
	}
	return n
}

// Where names the line of the settings file that names the place, as seen from
// where we are.
func (p Place) Where() string {
	file := p.File
	if here, err := os.Getwd(); err == nil {
		if rel, err := filepath.Rel(here, file); err == nil && len(rel) < len(file) {
			file = rel
		}
	}
	return fmt.Sprintf("%s:%d", file, p.Line)
}
