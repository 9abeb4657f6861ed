package settings

import (
	"bufio"
	"bytes"
	"fmt"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"

	"dappermirror/internal/core/words"
	"dappermirror/internal/place"
)

// Target is one of a list of targets, with what is said of it alone.
type Target struct {
	Place
	// What is permitted, given, and the same thing under another name there.
	MayLose, Fill, Pair, Rename, Leave []string
}

// mostTargets is how many targets a list may have, mostList how many bytes its file.
const (
	mostTargets = 100_000
	mostList    = 64 << 20
)

// readTarget reads an entry of a list in YAML: what a place can say of itself, and
// what is said of a target.
func readTarget(file string, n *yaml.Node, bad wrong) Target {
	t := Target{}
	if n.Kind == yaml.ScalarNode {
		t.At, t.Name, t.Line = n.Value, "", n.Line
		return t
	}
	rest := &yaml.Node{Kind: n.Kind, Tag: n.Tag, Line: n.Line, Column: n.Column}
	own := map[string]func(*yaml.Node){
		"name": text(&t.Name, "name", bad), "may-lose": list(&t.MayLose, "may-lose", bad), "fill": list(&t.Fill, "fill", bad),
		"pair": list(&t.Pair, "pair", bad), "rename": list(&t.Rename, "rename", bad), "leave": list(&t.Leave, "leave", bad),
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		if do := own[n.Content[i].Value]; do != nil {
			do(n.Content[i+1])
			continue
		}
		rest.Content = append(rest.Content, n.Content[i], n.Content[i+1])
	}
	name := t.Name
	t.Place = readPlace(file, name, rest, bad)
	t.Line = n.Line
	if why := badName(name); name != "" && why != "" {
		bad(n, "%q cannot name a target: %s", name, why)
	}
	return t
}

// ReadTargets reads a list of targets: a place a line, or YAML with a list under
// targets:. name is the file's; what is not understood is answered with its line.
func ReadTargets(name string, data []byte) ([]Target, error) {
	if len(data) > mostList {
		return nil, fmt.Errorf("%s is too large for a list of targets", name)
	}
	data = bytes.TrimPrefix(data, []byte("\ufeff"))
	var out []Target
	var err error
	if ext := strings.ToLower(filepath.Ext(name)); ext == ".yaml" || ext == ".yml" {
		out, err = targetsYAML(name, data)
	} else {
		out, err = targetLines(name, data)
	}
	switch {
	case err != nil:
		return nil, err
	case len(out) == 0:
		return nil, fmt.Errorf("%s names no target", name)
	case len(out) > mostTargets:
		return nil, fmt.Errorf("%s names %d targets; %d are the most", name, len(out), mostTargets)
	}
	return out, nil
}

func targetLines(name string, data []byte) ([]Target, error) {
	var out []Target
	in := bufio.NewScanner(bytes.NewReader(data))
	in.Buffer(nil, 1<<20)
	for n := 1; in.Scan(); n++ {
		line := strings.TrimSpace(in.Text())
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		if strings.ContainsFunc(line, func(r rune) bool { return r < ' ' }) {
			return nil, fmt.Errorf("%s:%d: that is no place; a list of targets has one a line", name, n)
		}
		t := Target{Place: Place{At: line, File: name, Line: n}}
		if clear(line) {
			return nil, fmt.Errorf("%s:%d: a password stands there in clear; name the place in %s, with where its password comes from", name, n, ProjectFile)
		}
		out = append(out, t)
	}
	if err := in.Err(); err != nil {
		return nil, fmt.Errorf("%s cannot be read as a list of targets: %w", name, err)
	}
	return out, nil
}

// clear tells whether a password stands in an address.
func clear(at string) bool {
	for _, s := range place.Secrets(at) {
		if secret := at[s[0]:s[1]]; secret != "" && os.Expand(secret, func(string) string { return "" }) != "" {
			return true
		}
	}
	return false
}

func targetsYAML(name string, data []byte) ([]Target, error) {
	var wrongs []string
	bad := func(n *yaml.Node, format string, args ...any) {
		wrongs = append(wrongs, fmt.Sprintf("%s:%d:%d: %s", name, n.Line, n.Column, fmt.Sprintf(format, args...)))
	}
	var doc yaml.Node
	if err := yaml.Unmarshal(data, &doc); err != nil {
		return nil, fmt.Errorf("%s is not understood: %s", name, strings.Join(strings.Fields(err.Error()), " "))
	}
	if len(doc.Content) == 0 {
		return nil, nil
	}
	var out []Target
	entries := func(n *yaml.Node) {
		if n.Kind != yaml.SequenceNode {
			bad(n, "targets is a list")
			return
		}
		for _, x := range n.Content {
			out = append(out, readTarget(name, x, bad))
		}
	}
	if root := doc.Content[0]; root.Kind == yaml.SequenceNode {
		entries(root)
	} else {
		keyed(root, "a list of targets", bad, map[string]func(*yaml.Node){"targets": entries})
	}
	for i := range out {
		if len(wrongs) == 0 && clear(out[i].At) {
			bad(&yaml.Node{Line: out[i].Line, Column: 1}, "a password stands there in clear; say where it comes from, as password: {env: NAME}")
		}
	}
	if len(wrongs) > 0 {
		return nil, fmt.Errorf("%s", wrongs[0])
	}
	return out, nil
}

// Expand finds the targets that words mean: places as they are, and patterns of
// names of places (customer-*), which stand for all that match. A target that is
// named twice counts once. not is left out: a source is no target of its own.
func Expand(targets []Target, names []string, not string) ([]Target, error) {
	var out []Target
	seen := map[string]bool{}
	add := func(t Target) {
		if key := t.Name + "\x00" + t.At; !seen[key] {
			seen[key] = true
			out = append(out, t)
		}
	}
	names = slices.Sorted(slices.Values(names))
	slices.SortStableFunc(names, words.InOrder)
	for _, t := range targets {
		if t.Name != "" || !strings.ContainsAny(t.At, "*?") || strings.Contains(t.At, "://") {
			add(t)
			continue
		}
		if _, err := os.Lstat(t.At); err == nil {
			add(t) // a file of that name
			continue
		}
		n := 0
		for _, name := range names {
			ok, err := path.Match(t.At, name)
			if err != nil {
				return nil, fmt.Errorf("%q is no pattern of names: %w", t.At, err)
			}
			if ok && name != not {
				match := t
				match.At = name
				add(match)
				n++
			}
		}
		if n == 0 {
			return nil, fmt.Errorf("%q matches the name of no place%s; `dapper-mirror places` lists them", t.At, words.Suggest(strings.Trim(t.At, "*?"), names))
		}
	}
	return out, nil
}

// Beside has what is found beside the list's own file meant so: a list is made in
// the folder where its files are, or names them from where one stands.
func (t *Target) Beside(list string) {
	if list == "-" || t.At == "" {
		return
	}
	if at := beside(list, t.At); at != t.At {
		if _, err := os.Lstat(strings.TrimPrefix(at, t.scheme())); err == nil {
			t.At = at
		}
	}
}

// scheme is the beginning of the address of a file, "" for none.
func (t *Target) scheme() string {
	if head, _, ok := strings.Cut(t.At, ":"); ok && len(head) > 1 && !strings.ContainsAny(head, "/\\.") {
		return head + ":"
	}
	return ""
}

// Called are names for targets that are short and different: the name of a place, or
// the end of its address.
func Called(targets []Target) []string {
	out := make([]string, len(targets))
	n := map[string]int{}
	for i, t := range targets {
		out[i] = t.Name
		if out[i] == "" {
			out[i] = short(t.At)
		}
		n[out[i]]++
	}
	for i, t := range targets {
		if n[out[i]] > 1 && t.Name == "" {
			out[i] = whole(t.At)
		}
	}
	taken := map[string]bool{}
	for i, name := range out {
		for k := 2; taken[out[i]]; k++ {
			out[i] = fmt.Sprintf("%s-%d", name, k)
		}
		taken[out[i]] = true
	}
	return out
}

// short is the end of an address: the name of a file without what it ends in, or of
// a database.
func short(at string) string {
	at, _, _ = strings.Cut(at, "?")
	at = strings.TrimRight(at, "/\\")
	base := at[strings.LastIndexAny(at, "/\\")+1:]
	if _, rest, ok := strings.Cut(base, ":"); ok && rest != "" {
		base = rest
	}
	if ext := filepath.Ext(base); ext != "" && len(ext) < len(base) && !strings.Contains(at, "://") {
		base = strings.TrimSuffix(base, ext)
	}
	if base == "" {
		return at
	}
	return base
}

// whole is an address without secrets.
func whole(at string) string {
	out := at
	for _, s := range slices.Backward(place.Secrets(at)) {
		out = out[:s[0]] + "***" + out[s[1]:]
	}
	return out
}

// Names are those of the places of the settings files.
func (s *Settings) Names() []string { return slices.Collect(maps.Keys(s.Places())) }
