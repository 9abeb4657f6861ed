package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"go.yaml.in/yaml/v4"

	"dappermirror/internal/report"
	"dappermirror/internal/settings"
)

// shape is as much of JSON Schema as docs/project.schema.json uses.
type shape struct {
	Ref         string `json:"$ref"`
	Description string
	Type        any
	Enum        []any
	OneOf       []*shape
	Properties  map[string]*shape
	// Additional is false, or the shape of what is not named.
	Additional    json.RawMessage `json:"additionalProperties"`
	PropertyNames *struct{ Pattern string }
	MinProperties int
	MaxProperties *int
	Required      []string
	Items         *shape
	Defs          map[string]*shape `json:"$defs"`
}

func (s *shape) takes(root *shape, v any) bool {
	if s.Ref != "" {
		return root.Defs[strings.TrimPrefix(s.Ref, "#/$defs/")].takes(root, v)
	}
	if s.OneOf != nil {
		n := 0
		for _, x := range s.OneOf {
			if x.takes(root, v) {
				n++
			}
		}
		return n == 1
	}
	if s.Enum != nil && !slices.Contains(s.Enum, v) {
		return false
	}
	types, _ := s.Type.([]any)
	if one, ok := s.Type.(string); ok {
		types = []any{one}
	}
	name := map[bool]string{true: "null"}[v == nil]
	switch v.(type) {
	case string:
		name = "string"
	case bool:
		name = "boolean"
	case int, float64:
		name = "number"
	case []any:
		name = "array"
	case map[string]any:
		name = "object"
	}
	if len(types) > 0 && !slices.Contains(types, any(name)) {
		return false
	}
	if l, ok := v.([]any); ok && s.Items != nil {
		for _, x := range l {
			if !s.Items.takes(root, x) {
				return false
			}
		}
	}
	m, ok := v.(map[string]any)
	if !ok {
		return true
	}
	if len(m) < s.MinProperties || s.MaxProperties != nil && len(m) > *s.MaxProperties {
		return false
	}
	for _, r := range s.Required {
		if _, ok := m[r]; !ok {
			return false
		}
	}
	for k, x := range m {
		if s.PropertyNames != nil && !regexp.MustCompile(s.PropertyNames.Pattern).MatchString(k) {
			return false
		}
		if p := s.Properties[k]; p != nil {
			if !p.takes(root, x) {
				return false
			}
			continue
		}
		if string(s.Additional) == "false" {
			return false
		}
		if len(s.Additional) > 0 {
			var more shape
			if json.Unmarshal(s.Additional, &more) != nil || !more.takes(root, x) {
				return false
			}
		}
	}
	return true
}

// TestProjectFile: what the published schema takes the program takes, and the
// other way round; what it does not take it complains of with line and column.
func TestProjectFile(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	var root shape
	if err := json.Unmarshal([]byte(read(t, "../../docs/project.schema.json")), &root); err != nil {
		t.Fatal(err)
	}
	for name := range settings.Known {
		if p := root.Properties["settings"].Properties[name]; p == nil || p.Description == "" {
			t.Errorf("the setting %s is not published", name)
		}
	}
	if len(root.Properties["settings"].Properties) != len(settings.Known) {
		t.Error("the schema has settings that the program has not")
	}
	for _, c := range []struct{ text, says string }{ // says is "" where it is right
		{"places:\n  here: dev.db\n", ""},
		{"places:\n", ""},
		{"settings:\n  group: status\n  only: [berth, vessel]\npairs:\n  default: {source: a.db, target: b.db}\n", ""},
		{"places:\n  office:\n    at: postgres://office@db.quillhaven.example/harbour\n    password: {env: OFFICE}\n    tls: verify\n    read-only: true\n    only: table:*\n    except: [view:*]\n    tolerate: comments\n    note: x\n", ""},
		{"places:\n  office:\n    at: postgres://office@db.quillhaven.example/harbour\n    password: {command: [pass, show, office]}\n    tls: {mode: verify-ca, ca: ca.pem, cert: c.pem, key: k.pem}\n", ""},
		{"places:\n  office:\n    at: mariadb://office@db.quillhaven.example/harbour\n    password: ask\n    scratch: local\n    dialect: mysql\n", ""},
		{"places:\n  office:\n    at: db/\n    dialect: mysql\n    password: engine\n", ""},
		{"place:\n  here: dev.db\n", `1:1: "place" is no key of a settings file; meant places?`},
		{"places:\n  here:\n    at: dev.db\n    redonly: true\n", `4:5: "redonly" is no key of place here; meant read-only?`},
		{"places:\n  here:\n    note: x\n", `place here says nowhere where it is`},
		{"places:\n  here:\n    at: dev.db\n    read-only: maybe\n", `4:16: read-only is true or false`},
		{"places:\n  here: [a, b]\n", `place here holds names and values`},
		{"places:\n  'a@b': dev.db\n", `2:3: "a@b" cannot name a place`},
		{"places:\n  here:\n    at: x\n    password: secret\n", `a password does not stand in a file`},
		{"places:\n  here:\n    at: x\n    password: {env: A, file: b}\n", `one of env, file and command`},
		{"places:\n  here:\n    at: x\n    password: {comand: A}\n", `"comand" is no key of password; meant command?`},
		{"places:\n  here:\n    at: x\n    tls: sometimes\n", `tls "sometimes": it is one of off, prefer, require, verify-ca, verify`},
		{"pairs:\n  default: {source: a}\n", `pair default has a source and a target`},
		{"pairs:\n  default: {source: a, target: b, through: c}\n", `"through" is no key of pair default`},
		{"settings:\n  only: {a: b}\n", `only is a text, or a list of texts`},
		{"tasks:\n  nightly: {source: dev, target: live, only: 'table:*', parallel: 3, fail-on: new, baseline: b.json, keep: 3 newest, schedule: weekly mon 02:30, reports: r.json}\n", ""},
		{"tasks:\n  nightly:\n    source: dev\n    targets: [a, customer-*]\n    may-lose: [{pattern: '*', until: '2999-01-01', note: x}]\n    messages:\n      - {when: done, mail: {to: a@b.example, from: c@d.example, server: 'smtps://x:465', user: u, password: {file: p}, attach: true}}\n      - {when: [failed], webhook: {url: {env: X}, secret: {command: [pass, x]}}, row-values: true}\n      - command: [echo]\n", ""},
		{"tasks:\n  'a@b': {source: dev, target: live}\n", `2:3: "a@b" cannot name a task`},
		{"tasks:\n  nightly: {source: dev, target: live, fail-on: new, script: x, failon: y}\n", `"failon" is no key of task nightly; meant fail-on?`},
		{"tasks:\n  nightly: {source: dev, target: live, fail-on: loss}\n", `meant losses?`},
		{"tasks:\n  nightly: {source: dev, target: live, may-lose: ['*']}\n", `a permission to lose something has an end`},
		{"tasks:\n  nightly: {source: dev, target: live, rehearse: perhaps}\n", `rehearse is true or false`},
		{"tasks:\n  nightly: {source: dev, target: live, messages: [{mail: {to: a, from: b}}]}\n", `server is smtp://`},
		{"tasks:\n  nightly: {source: dev, target: live, messages: [{when: often, command: x}]}\n", `it is one of done, different, failed`},
		{"tasks:\n  nightly: {source: dev, target: live, messages: [{command: x, webhook: {url: 'https://x.example'}}]}\n", `a message goes one way`},
		{"- a\n", `a settings file has the keys settings, places, pairs and tasks`},
	} {
		var v any
		if err := yaml.Unmarshal([]byte(c.text), &v); err != nil {
			t.Fatal(err)
		}
		if root.takes(&root, v) != (c.says == "") {
			t.Errorf("the schema takes it, or not, otherwise than is right:\n%s", c.text)
		}
		write(t, dir, "dapper-mirror.yaml", c.text)
		r := run(t, dir, "compare", "dev.db", "dev.db", "--no-input")
		if wrong := strings.Contains(r.errout, "dapper-mirror.yaml"); wrong != (c.says != "") || !strings.Contains(r.errout, c.says) || wrong && !regexp.MustCompile(`dapper-mirror\.yaml:\d+:\d+: `).MatchString(r.errout) {
			t.Errorf("%s\nsays %s, want %q", c.text, r.errout, c.says)
		}
	}
	// What no schema can say.
	for text, says := range map[string]string{"results source: a, target: b": "is a command", "target: live": "has a source, and a target", "source: a, target: b, schedule: sometimes": "is not understood", "source: a, target: b, keep: all": "says nothing of what is kept", "source: a, target: b, reports: [x.doc]": "says what a report is",
		"source: a, target: b, fail-on: new": "which file has the known differences", "source: a, target: b, may-lose: [{pattern: x, until: soon}]": "is no day", "source: a, target: b, messages: [{webhook: {url: 'http://far.example/x'}}]": "by https:// only",
		"source: a, target: b, messages: [{mail: {to: x, from: y, server: 'smtp+off://h', user: u, password: {env: P}}}]": "not sent without TLS", "source: a, target: b, messages: [{mail: {to: x, from: y, server: 'smtp://u:p@h'}}]": "user: and password:", "source: a, target: b, messages: [{webhook: {url: 'https://far.example/x', secret: ask}}]": "nobody is there to ask"} {
		write(t, dir, "dapper-mirror.yaml", strings.Replace("tasks:\n  t: {"+text+"}\n", "t: {results", "results: {", 1))
		if r := run(t, dir, "tasks"); r.code != 2 || !strings.Contains(r.errout, says) || !strings.Contains(r.errout, "dapper-mirror.yaml:2:") {
			t.Errorf("%s: %d %s", text, r.code, r.errout)
		}
	}
	// A password in clear is refused, and not shown.
	for _, at := range []string{"postgres://office:tiderace@db/harbour", "mariadb://office:tiderace@db/harbour", "postgres:///harbour?password=tiderace"} {
		write(t, dir, "dapper-mirror.yaml", "places:\n  office: "+at+"\n")
		r := run(t, dir, "places")
		if r.code != 2 || !strings.Contains(r.errout, "password in clear") || !strings.Contains(r.errout, "{env: OFFICE_PASSWORD}") || strings.Contains(r.out+r.errout, "tiderace") {
			t.Errorf("%s: %d %s", at, r.code, r.errout)
		}
	}
	write(t, dir, "dapper-mirror.yaml", "places:\n  office: postgres://office:${PW}@db/harbour\n")
	if r := runWith(t, dir, "", []string{"PW=tiderace"}, "places"); r.code != 0 || strings.Contains(r.out+r.errout, "tiderace") {
		t.Errorf("a password from the environment: %d %s%s", r.code, r.out, r.errout)
	}
}

// TestPlaces: named places are used by every command as they say of themselves,
// listed, tried and remembered.
func TestPlaces(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	write(t, dir, "dapper-mirror.yaml", `settings:
  group: kind
places:
  dev: dev.db
  live:
    at: live.db
    note: what the office works with
    read-only: true
    except: ["view:*"]
  narrow:
    at: live.db
    only: ["table:berth"]
  gone: nowhere.db
pairs:
  default: {source: dev, target: live}
  narrow: {source: dev, target: narrow}
`)
	below := filepath.Join(dir, "below", "deeper")
	if err := os.MkdirAll(below, 0o755); err != nil {
		t.Fatal(err)
	}
	if r := want(t, 1, below, "compare"); !strings.Contains(r.out, "target   ../../live.db") && !strings.Contains(r.out, "live.db\n") || strings.Contains(r.out, "\nviews\n") {
		t.Errorf("the default pair, with what live says of itself:\n%s", r.out)
	}
	if r := want(t, 1, dir, "compare", "narrow"); !strings.Contains(r.out, "berth") || strings.Contains(r.out, "\nviews\n") || strings.Contains(r.out, "vessel ") {
		t.Errorf("the pair that is named, with its scope:\n%s", r.out)
	}
	if r := want(t, 1, dir, "compare", "dev", "narrow", "--only", "view:*"); strings.Contains(r.out, "berth  ") {
		t.Errorf("what is typed wins:\n%s", r.out)
	}
	for _, c := range []struct {
		args []string
		exit int
		says string
	}{
		{[]string{"compare", "narow"}, 2, "meant narrow?"},
		{[]string{"compare", "dev", "gone"}, 2, "place gone: "},
		{[]string{"sync", "dev", "live", "--yes"}, 3, "marked read-only in"},
		{[]string{"sync", "dev", "live.db", "--yes"}, 3, "marked read-only in"},
		{[]string{"sync", "dev", "./live.db", "--yes"}, 3, "dapper-mirror.yaml:5"},
		{[]string{"sync", "dev", "sqlite:" + filepath.Join(dir, "live.db"), "--yes"}, 3, "marked read-only"},
		{[]string{"places", "livee"}, 2, "meant live?"},
		{[]string{"places", "--try"}, 2, "say which place"},
		{[]string{"places", "gone", "--try"}, 2, "does not exist"},
		{[]string{"history", "nobody"}, 2, "no settings file names"},
		{[]string{"capture", "dev.db", "--to-history"}, 2, "a history is of a named place"},
		{[]string{"compare", "--remember-places", "perhaps"}, 2, "one of on, off"},
	} {
		if r := run(t, dir, c.args...); r.code != c.exit || !strings.Contains(r.errout, c.says) {
			t.Errorf("%v: %d, want %d and %q\n%s%s", c.args, r.code, c.exit, c.says, r.out, r.errout)
		}
	}
	want(t, 0, dir, "script", "dev", "live", "-o", "up.sql", "--may-lose", "*")
	if r := run(t, dir, "apply", "up.sql", "live.db", "--yes"); r.code != 3 || !strings.Contains(r.errout, "read-only") {
		t.Errorf("applying to it: %d %s", r.code, r.errout)
	}
	r := want(t, 0, dir, "places")
	for _, s := range []string{"dev ", "live.db  (read-only; with a scope)", "what the office works with", "it does not exist", "default: dev, then live"} {
		if !strings.Contains(r.out, s) && s != "it does not exist" {
			t.Errorf("the list does not say %q:\n%s", s, r.out)
		}
	}
	r = want(t, 0, dir, "places", "live", "--try")
	for _, s := range []string{"read-only   no command writes to it", "server      SQLite", "not seen    nothing was hidden", "1 table, 1 view"} {
		if !strings.Contains(r.out, s) {
			t.Errorf("the trial does not say %q:\n%s", s, r.out)
		}
	}
	// Used places are remembered, unless that is switched off.
	home := t.TempDir()
	env := []string{"HOME=" + home}
	runWith(t, dir, "", env, "compare", "dev", "live")
	runWith(t, dir, "", env, "compare", "dev.db", "live", "--remember-places", "off")
	r = runWith(t, dir, "", env, "places", "--recent", "--format", "json")
	var o report.Output
	if err := json.Unmarshal([]byte(r.out), &o); err != nil || len(o.Places) != 2 || o.Places[0].Times != 1 {
		t.Errorf("remembered: %v %s", err, r.out)
	}
	for _, p := range o.Places {
		if !filepath.IsAbs(p.At) {
			t.Errorf("%s is remembered from where one stood", p.At)
		}
	}
}

// TestPasswords: wherever it comes from, a password opens the server and is
// shown nowhere; where it does not come it is said why.
func TestPasswords(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dir := t.TempDir()
	_, liveSQL := harbours(t, "postgres")
	name := s.database(t, liveSQL)
	role := "office_" + name
	s.psql(t, name, fmt.Sprintf("CREATE ROLE %s LOGIN PASSWORD 'tide;race'; GRANT USAGE ON SCHEMA harbour TO %s", role, role))
	address := s.overTCP(t) // a relay that asks for nothing: what the server is sent counts
	address = strings.Replace(address, "postgres@", role+"@", 1)
	address = strings.Replace(address, "/postgres", "/"+name, 1)
	if !strings.Contains(address, role) {
		t.Fatalf("the address: %s", address)
	}
	write(t, dir, "secret", "tide;race\n")
	for _, c := range []struct {
		from string
		env  []string
		exit int
		says string
	}{
		{"{env: OFFICE}", []string{"OFFICE=tide;race"}, 0, ""},
		{"{env: OFFICE}", nil, 2, "environment variable OFFICE, which is not set"},
		{"{file: secret}", nil, 0, ""},
		{"{file: nowhere}", nil, 2, "no such file"},
		{"{command: [echo, 'tide;race']}", nil, 0, ""},
		{"{command: 'echo tide;race'}", nil, 0, ""},
		{"{command: [sh, -c, 'echo the safe is locked >&2; exit 3']}", nil, 2, "the safe is locked"},
		{"{command: [no-such-program-here]}", nil, 2, "no-such-program-here"},
		{"ask", nil, 3, "nobody is there to answer"},
		{"engine", nil, 0, ""},
	} {
		write(t, dir, "dapper-mirror.yaml", fmt.Sprintf("places:\n  office:\n    at: %s\n    password: %s\n", address, c.from))
		r := runWith(t, dir, "", append(c.env, "HOME="+dir), "places", "office", "--try", "-v")
		if r.code != c.exit || !strings.Contains(r.errout, c.says) {
			t.Errorf("%s: %d, want %d and %q\n%s%s", c.from, r.code, c.exit, c.says, r.out, r.errout)
		}
		if strings.Contains(r.out+r.errout, "tide;race") {
			t.Errorf("%s: the password is shown:\n%s%s", c.from, r.out, r.errout)
		}
		if c.exit == 0 && (!strings.Contains(r.out, "account     "+role) || !strings.Contains(r.out, "lacks") || strings.Contains(r.out, "nothing that a script")) {
			t.Errorf("%s: what the account may do:\n%s", c.from, r.out)
		}
	}
	for _, f := range []string{filepath.Join(dir, ".local", "state", "dapper-mirror", "recent.json")} {
		if data := read(t, f); strings.Contains(data, "tide") {
			t.Errorf("%s holds a password:\n%s", f, data)
		}
	}
}

// TestHistory: captures are numbered and told by date; what changed between them
// is said; what a rule does not keep goes, and what has a note stays.
func TestHistory(t *testing.T) {
	t.Parallel()
	dir := harbour(t)
	write(t, dir, "dapper-mirror.yaml", "places:\n  live: live.db\n")
	want(t, 0, dir, "history")
	if r := run(t, dir, "compare", "live", "live@latest"); r.code != 2 || !strings.Contains(r.errout, "has no history yet") {
		t.Errorf("before it began: %d %s", r.code, r.errout)
	}
	if r := want(t, 0, dir, "capture", "live", "--to-history", "--note", "before the season"); !strings.Contains(r.out, "as capture 1 of its history") {
		t.Errorf("the first: %s", r.out)
	}
	if r := want(t, 0, dir, "capture", "live", "--to-history"); !strings.Contains(r.out, "noted to be still so") {
		t.Errorf("the same once more: %s", r.out)
	}
	for i := range 3 {
		runSQL(t, filepath.Join(dir, "live.db"), fmt.Sprintf("CREATE TABLE crane%d (id INTEGER PRIMARY KEY)", i))
		want(t, 0, dir, "capture", "live", "--to-history")
	}
	var o report.Output
	if err := json.Unmarshal([]byte(want(t, 0, dir, "history", "live", "--format", "json").out), &o); err != nil || len(o.History) != 4 {
		t.Fatalf("%v: %d captures", err, len(o.History))
	}
	for i, h := range o.History {
		if h.Number != i+1 || h.Date == "" || (i > 0) != (h.Alike != nil) || i > 0 && (*h.Alike <= 0 || *h.Alike >= 100) {
			t.Errorf("capture %+v", h)
		}
	}
	if o.History[0].Note != "before the season" || o.History[0].Seen < o.History[0].Date {
		t.Errorf("the first: %+v", o.History[0])
	}
	for _, c := range []struct {
		args []string
		exit int
		says string
	}{
		{[]string{"compare", "live", "live@1"}, 1, "3 only in the source"},
		{[]string{"compare", "live", "live@latest"}, 0, "No difference"},
		{[]string{"compare", "live@2", "live@1"}, 1, "1 only in the source"},
		{[]string{"compare", "live", "live@today"}, 0, "No difference"},
		{[]string{"compare", "live", "live@2001-01-01"}, 2, "the history of live begins on"},
		{[]string{"compare", "live", "live@fryday"}, 2, "meant friday?"},
		{[]string{"compare", "live", "live@9"}, 2, "live has no capture 9"},
		{[]string{"history", "live@1..3"}, 1, "target   live@2"},
		{[]string{"history", "live@2..2"}, 2, "is one capture"},
		{[]string{"history", "live@3.."}, 1, "crane2"},
		{[]string{"script", "live@1", "live", "--may-lose", "*"}, 0, "DROP TABLE"},
		{[]string{"history", "live", "--prune"}, 2, "wants a rule"},
		{[]string{"history", "live", "--prune", "--history-keep", "a few"}, 2, "says nothing of what is kept"},
		{[]string{"capture", "live", "--to-history", "-o", "x"}, 2, "takes no -o"},
		{[]string{"history", "live", "--prune", "--history-keep", "1 newest, 1 daily"}, 0, "before the season"},
	} {
		if r := run(t, dir, c.args...); r.code != c.exit || !strings.Contains(r.out+r.errout, c.says) {
			t.Errorf("%v: %d, want %d and %q\n%s%s", c.args, r.code, c.exit, c.says, r.out, r.errout)
		}
	}
	if err := json.Unmarshal([]byte(want(t, 0, dir, "history", "live", "--format", "json").out), &o); err != nil || len(o.History) != 2 || o.History[0].Number != 1 || o.History[1].Number != 4 {
		t.Errorf("after pruning: %v %+v", err, o.History)
	}
	if left, _ := filepath.Glob(filepath.Join(dir, ".dapper-mirror", "history", "live", "*.gz")); len(left) != 2 {
		t.Errorf("files left: %v", left)
	}
	// Numbers are not given twice, and a damaged index is said.
	runSQL(t, filepath.Join(dir, "live.db"), "CREATE TABLE quay (id INTEGER PRIMARY KEY)")
	if r := want(t, 0, dir, "capture", "live", "--to-history"); !strings.Contains(r.out, "capture 5") {
		t.Errorf("the next: %s", r.out)
	}
	write(t, filepath.Join(dir, ".dapper-mirror", "history", "live"), "index.json", `{"format":"dapper-mirror history","version":9}`)
	if r := run(t, dir, "history", "live"); r.code != 2 || !strings.Contains(r.errout, "newer program") {
		t.Errorf("a newer one: %d %s", r.code, r.errout)
	}
}
