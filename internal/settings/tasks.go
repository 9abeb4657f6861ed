package settings

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v4"

	"dappermirror/internal/core/words"
	"dappermirror/internal/history"
	"dappermirror/internal/message"
	"dappermirror/internal/place"
	"dappermirror/internal/report/formats"
	"dappermirror/internal/schedule"
)

// Task is a saved comparison.
type Task struct {
	Name string
	File string // the settings file, and the line in it
	Line int
	Note string
	// Source and Targets are as they would be typed; TargetsFile is a list of more.
	Source      string
	Targets     []string
	TargetsFile string
	// Options are set as on the command line, by name.
	Options map[string][]string
	// MayLose are the losses that are permitted.
	MayLose []Permission
	// Script and Backout are the files that are written, with {target} in the name
	// where there are several targets; Reports are those of the result.
	Script, Backout string
	Reports         []string
	// Rehearse and Apply have the script run, on a scratch copy and on the target.
	Rehearse, Apply bool
	// History has the targets captured into their histories.
	History bool
	FailOn  string // when a run fails; one of FailOns
	// Baseline is the file of known differences, for "new".
	Baseline string
	Keep     string // which runs are kept
	Schedule string // when timers run it
	Messages []message.Message
}

// Permission allows a loss until a day.
type Permission struct {
	Pattern string
	Until   time.Time // the last moment
	Note    string
}

// FailOns say when differences make a run fail.
var FailOns = map[string]string{
	"differences": "anything differs",
	"losses":      "something would be lost",
	"new":         "something differs that the baseline does not know",
	"never":       "differences never make it fail",
}

// kindOf is what a task's option takes.
type kindOf int

const (
	single kindOf = iota
	several
	switched
)

// TaskOptions are the options of the command line that a task can set.
var TaskOptions = map[string]kindOf{
	"only": several, "except": several, "include": several, "tolerate": several, "pair": several, "rename": several, "empty-source": switched,
	"to-target": several, "leave": several, "to-source": several, "leave-target-only": switched, "choices": single, "add-needed": switched, "remake": several,
	"fill": several, "as": single, "avoid-blocking": switched, "create": switched, "row-checks": single, "row-check-time": single,
	"scratch": single, "copy-rows": single, "lock-timeout": single, "lock-tries": single, "step-timeout": single, "lock-wait": single, "save-rows": single, "backup-command": single,
	"dialect": single, "parallel": single, "stop-on-failure": switched,
}

// taskPath says which options of a task name files: they are meant beside its own.
var taskPath = map[string]bool{"choices": true, "save-rows": true, "scratch": true}

// endOf is the last moment of a day.
func endOf(text string) (time.Time, error) {
	t, err := time.ParseInLocation("2006-01-02", text, time.Local)
	if err != nil {
		return t, fmt.Errorf("%q is no day; write it as 2026-12-31", text)
	}
	return t.AddDate(0, 0, 1).Add(-time.Second), nil
}

// badTask tells why a word cannot name a task.
func badTask(name string) string {
	if name == "results" {
		return "`task results` is a command"
	}
	return badName(name)
}

func readTask(file, name string, n *yaml.Node, bad wrong) Task {
	t := Task{Name: name, File: file, Options: map[string][]string{}, FailOn: "differences"}
	path := func(into *string, what string) func(*yaml.Node) {
		return func(v *yaml.Node) {
			if text(into, what, bad)(v); *into != "" {
				*into = beside(file, os.ExpandEnv(*into))
			}
		}
	}
	table := map[string]func(*yaml.Node){
		"note": text(&t.Note, "note", bad), "source": text(&t.Source, "source", bad), "targets-file": path(&t.TargetsFile, "targets-file"),
		"script": path(&t.Script, "script"), "backout": path(&t.Backout, "backout"), "baseline": path(&t.Baseline, "baseline"),
		"rehearse": yesNo(&t.Rehearse, "rehearse", bad), "apply": yesNo(&t.Apply, "apply", bad), "history": yesNo(&t.History, "history", bad),
		"keep":     checked(&t.Keep, "keep", bad, func(s string) error { _, err := history.ParseRule(s); return err }),
		"schedule": checked(&t.Schedule, "schedule", bad, func(s string) error { _, err := schedule.Parse(s); return err }), "fail-on": text(&t.FailOn, "fail-on", bad),
		"targets": list(&t.Targets, "targets", bad), "target": list(&t.Targets, "target", bad),
		"reports": func(v *yaml.Node) {
			list(&t.Reports, "reports", bad)(v)
			for i, r := range t.Reports {
				if err := formats.Check(r); err != nil {
					bad(v, "reports: %v", err)
				}
				t.Reports[i] = beside(file, os.ExpandEnv(r))
			}
		},
		"may-lose": func(v *yaml.Node) { t.MayLose = readPermissions(v, bad) },
		"messages": func(v *yaml.Node) { t.Messages = readMessages(file, v, bad) },
	}
	for option, kind := range TaskOptions {
		table[option] = taskOption(file, option, kind, t.Options, bad)
	}
	keyed(n, "task "+name, bad, table)
	if t.Source == "" || len(t.Targets) == 0 && t.TargetsFile == "" {
		bad(n, "task %s has a source, and a target, targets or targets-file", name)
	}
	if FailOns[t.FailOn] == "" {
		known := slices.Sorted(maps.Keys(FailOns))
		bad(n, "fail-on %q%s: it is one of %s", t.FailOn, words.Suggest(t.FailOn, known), strings.Join(known, ", "))
	}
	if t.FailOn == "new" && t.Baseline == "" {
		bad(n, "fail-on new: say which file has the known differences, as baseline: %s.baseline.json", name)
	}
	t.Source = placed(file, t.Source)
	for i, target := range t.Targets {
		t.Targets[i] = placed(file, target)
	}
	return t
}

// checked is a text that must be of a form.
func checked(into *string, what string, bad wrong, check func(string) error) func(*yaml.Node) {
	return func(v *yaml.Node) {
		text(into, what, bad)(v)
		if err := check(*into); err != nil {
			bad(v, "%s: %v", what, err)
		}
	}
}

// placed is a place as seen from where we are: a file of it stands beside the
// settings file, a name is itself.
func placed(file, at string) string {
	at = os.ExpandEnv(at)
	if here := beside(file, at); here != at {
		head, _, _ := strings.Cut(here, "#")
		if _, err := os.Lstat(strings.TrimPrefix(head, "sqlite:")); err == nil || strings.ContainsAny(at, "/\\") && !strings.HasPrefix(at, "git:") {
			return here
		}
	}
	return at
}

// taskOption reads an option of the command line.
func taskOption(file, name string, kind kindOf, into map[string][]string, bad wrong) func(*yaml.Node) {
	return func(v *yaml.Node) {
		switch kind {
		case switched:
			on := false
			yesNo(&on, name, bad)(v)
			into[name] = []string{strconv.FormatBool(on)}
		case single:
			one := ""
			if text(&one, name, bad)(v); taskPath[name] {
				one = beside(file, os.ExpandEnv(one))
			}
			into[name] = []string{one}
		default:
			var many []string
			list(&many, name, bad)(v)
			into[name] = many
		}
	}
}

// readPermissions reads what may be lost, and until when: a permission that never
// ends is forgotten, and then permits what nobody thought of.
func readPermissions(n *yaml.Node, bad wrong) []Permission {
	if n.Kind != yaml.SequenceNode {
		bad(n, "may-lose is a list of {pattern: PATTERN, until: DAY}")
		return nil
	}
	var out []Permission
	for _, x := range n.Content {
		var p Permission
		until := ""
		if x.Kind == yaml.MappingNode {
			keyed(x, "may-lose", bad, map[string]func(*yaml.Node){"pattern": text(&p.Pattern, "pattern", bad), "until": text(&until, "until", bad), "note": text(&p.Note, "note", bad)})
		}
		if p.Pattern == "" || until == "" {
			bad(x, "a permission to lose something has an end: {pattern: column:booking.pilotage, until: 2026-12-31}")
			continue
		}
		var err error
		if p.Until, err = endOf(until); err != nil {
			bad(x, "until: %v", err)
		}
		out = append(out, p)
	}
	return out
}

// readMessages reads who hears of a run.
func readMessages(file string, n *yaml.Node, bad wrong) []message.Message {
	if n.Kind != yaml.SequenceNode {
		bad(n, "messages is a list of mail, webhook or command")
		return nil
	}
	var out []message.Message
	for _, x := range n.Content {
		m := message.Message{}
		keyed(x, "a message", bad, map[string]func(*yaml.Node){
			"when": list(&m.When, "when", bad), "row-values": yesNo(&m.RowValues, "row-values", bad), "command": list(&m.Command, "command", bad),
			"mail":    func(v *yaml.Node) { m.Mail = readMail(file, v, bad) },
			"webhook": func(v *yaml.Node) { m.Webhook = readWebhook(file, v, bad) },
		})
		for _, w := range m.When {
			if !slices.Contains(message.Whens, w) {
				bad(x, "when %q%s: it is one of %s", w, words.Suggest(w, message.Whens), strings.Join(message.Whens, ", "))
			}
		}
		ways := 0
		for _, is := range []bool{m.Mail != nil, m.Webhook != nil, len(m.Command) > 0} {
			if is {
				ways++
			}
		}
		if ways != 1 {
			bad(x, "a message goes one way: mail, webhook or command")
		}
		out = append(out, m)
	}
	return out
}

func readMail(file string, n *yaml.Node, bad wrong) *message.Mail {
	m := &message.Mail{}
	keyed(n, "mail", bad, map[string]func(*yaml.Node){
		"to": list(&m.To, "to", bad), "from": text(&m.From, "from", bad), "server": text(&m.Server, "server", bad), "user": text(&m.User, "user", bad),
		"password": func(v *yaml.Node) { m.Password = readSecret(file, v, bad) }, "ca": caFile(file, &m.CA, bad), "attach": yesNo(&m.Attach, "attach", bad),
	})
	if err := m.Check(); err != nil {
		bad(n, "%v", err)
	}
	return m
}

func readWebhook(file string, n *yaml.Node, bad wrong) *message.Webhook {
	w := &message.Webhook{}
	keyed(n, "webhook", bad, map[string]func(*yaml.Node){
		"url": func(v *yaml.Node) {
			if v.Kind == yaml.MappingNode { // the whole address is the secret
				w.Address = readSecret(file, v, bad)
				return
			}
			text(&w.URL, "url", bad)(v)
			w.URL = os.ExpandEnv(w.URL)
		},
		"secret": func(v *yaml.Node) { w.Secret = readSecret(file, v, bad) }, "ca": caFile(file, &w.CA, bad),
	})
	if err := w.Check(); err != nil {
		bad(n, "%v", err)
	}
	for _, s := range []*place.Secret{w.Secret, w.Address} {
		if s != nil && s.Ask {
			bad(n, "nobody is there to ask when a message is sent; let it come from env, file or command")
		}
	}
	return w
}

func caFile(file string, into *string, bad wrong) func(*yaml.Node) {
	return func(v *yaml.Node) {
		text(into, "ca", bad)(v)
		*into = beside(file, os.ExpandEnv(*into))
	}
}

// Tasks are those of the settings files, by name; the project's win.
func (s *Settings) Tasks() map[string]Task {
	out := map[string]Task{}
	for i := len(s.Files) - 1; i >= 0; i-- {
		maps.Copy(out, s.Files[i].Tasks)
	}
	return out
}
