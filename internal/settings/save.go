package settings

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"go.yaml.in/yaml/v4"

	"dappermirror/internal/files"
)

// Saying is a key of a task that is saved, and its values: one is a text, several a
// list, none is true.
type Saying struct {
	Key    string
	Values []string
	List   bool
}

// SaveTask adds a task to the project file, which is made where there is none; every
// other line of it stays as it is. folder is that of the project. It answers the
// file.
func SaveTask(folder, name string, keys []Saying, losses []Permission) (string, error) {
	if why := badTask(name); why != "" {
		return "", fmt.Errorf("%q cannot name a task: %s", name, why)
	}
	path := filepath.Join(folder, ProjectFile)
	data, err := os.ReadFile(path)
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return "", fmt.Errorf("the settings file %s cannot be read: %w", path, err)
	}
	var before Settings
	if data != nil {
		before.read(path, data)
	} else {
		before.Files = []File{{}}
	}
	if t, ok := before.Files[0].Tasks[name]; ok {
		return "", fmt.Errorf("%s:%d has a task %s already; choose another name", path, t.Line, name)
	}
	text, err := taskText(name, keys, losses)
	if err != nil {
		return "", err
	}
	out := inserted(data, text)
	// It is read back before it is written: the rest of the file may be of a form in
	// which nothing can be put in like this.
	var after Settings
	after.read(path, out)
	if len(after.Wrong) > len(before.Wrong) || len(after.Files[0].Tasks) != len(before.Files[0].Tasks)+1 || len(after.Files[0].Places) != len(before.Files[0].Places) {
		return "", fmt.Errorf("%s is written so that a task cannot be put in by itself; add it by hand under tasks:\n%s", path, text)
	}
	if err := files.Write(path, out); err != nil {
		return "", fmt.Errorf("the settings file %s cannot be written: %w", path, err)
	}
	return path, nil
}

// taskText is a task as YAML, two columns in.
func taskText(name string, keys []Saying, losses []Permission) (string, error) {
	word := func(s string) *yaml.Node {
		n := &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str"}
		n.SetString(s)
		return n
	}
	task := &yaml.Node{Kind: yaml.MappingNode, Tag: "!!map"}
	for _, k := range keys {
		var v *yaml.Node
		switch {
		case k.List || len(k.Values) > 1:
			v = &yaml.Node{Kind: yaml.SequenceNode, Tag: "!!seq", Style: yaml.FlowStyle}
			for _, x := range k.Values {
				v.Content = append(v.Content, word(x))
			}
		case len(k.Values) == 0:
			v = &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!bool", Value: "true"}
		default:
			v = word(k.Values[0])
		}
		task.Content = append(task.Content, word(k.Key), v)
	}
	if len(losses) > 0 {
		list := &yaml.Node{Kind: yaml.SequenceNode, Tag: "!!seq"}
		for _, p := range losses {
			list.Content = append(list.Content, &yaml.Node{Kind: yaml.MappingNode, Tag: "!!map", Style: yaml.FlowStyle, Content: []*yaml.Node{word("pattern"), word(p.Pattern), word("until"), word(p.Until.Format("2006-01-02"))}})
		}
		task.Content = append(task.Content, word("may-lose"), list)
	}
	var b bytes.Buffer
	enc := yaml.NewEncoder(&b)
	enc.SetIndent(2)
	if err := enc.Encode(&yaml.Node{Kind: yaml.MappingNode, Tag: "!!map", Content: []*yaml.Node{word(name), task}}); err != nil {
		return "", err
	}
	if err := enc.Close(); err != nil {
		return "", err
	}
	var out strings.Builder
	for line := range strings.Lines(b.String()) {
		out.WriteString("  " + line)
	}
	return out.String(), nil
}

// inserted is a settings file with a task in it: behind the line tasks:, or at the
// end.
func inserted(data []byte, task string) []byte {
	end := "\n"
	if bytes.Contains(data, []byte("\r\n")) {
		end, task = "\r\n", strings.ReplaceAll(task, "\n", "\r\n")
	}
	lines := strings.SplitAfter(string(data), "\n")
	for i, l := range lines {
		if word, _, _ := strings.Cut(strings.TrimRight(l, "\r\n"), "#"); strings.TrimRight(word, " ") == "tasks:" {
			if !strings.HasSuffix(l, "\n") {
				lines[i] += end
			}
			return []byte(strings.Join(lines[:i+1], "") + task + strings.Join(lines[i+1:], ""))
		}
	}
	text := string(data)
	if text != "" && !strings.HasSuffix(text, "\n") {
		text += end
	}
	return []byte(text + "tasks:" + end + task)
}
