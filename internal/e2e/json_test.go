package e2e

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"strings"
	"testing"
)

// schema is as much of JSON Schema as docs/output.schema.json uses. Fields it
// does not name are refused: what is published must be complete.
type schema struct {
	Ref        string `json:"$ref"`
	Type       any
	Const      any
	Enum       []any
	Properties map[string]*schema
	Required   []string
	Items      *schema
	Defs       map[string]*schema `json:"$defs"`
}

func (s *schema) check(root *schema, at string, v any) error {
	if s.Ref != "" {
		return root.Defs[strings.TrimPrefix(s.Ref, "#/$defs/")].check(root, at, v)
	}
	if s.Const != nil && fmt.Sprint(s.Const) != fmt.Sprint(v) {
		return fmt.Errorf("%s is %v, not %v", at, v, s.Const)
	}
	if s.Enum != nil {
		ok := false
		for _, e := range s.Enum {
			ok = ok || e == v
		}
		if !ok {
			return fmt.Errorf("%s is %v, not one of %v", at, v, s.Enum)
		}
	}
	types, _ := s.Type.([]any)
	if one, ok := s.Type.(string); ok {
		types = []any{one}
	}
	ok := len(types) == 0
	for _, t := range types {
		switch x := v.(type) {
		case nil:
			ok = ok || t == "null"
		case string:
			ok = ok || t == "string"
		case bool:
			ok = ok || t == "boolean"
		case float64:
			ok = ok || t == "number" || t == "integer" && x == math.Trunc(x)
		case []any:
			ok = ok || t == "array"
		case map[string]any:
			ok = ok || t == "object"
		}
	}
	if !ok {
		return fmt.Errorf("%s is %T, not %v", at, v, s.Type)
	}
	if l, isList := v.([]any); isList && s.Items != nil {
		for i, x := range l {
			if err := s.Items.check(root, fmt.Sprintf("%s[%d]", at, i), x); err != nil {
				return err
			}
		}
	}
	m, isObject := v.(map[string]any)
	if !isObject || s.Properties == nil {
		return nil
	}
	for _, r := range s.Required {
		if _, ok := m[r]; !ok {
			return fmt.Errorf("%s has no %s", at, r)
		}
	}
	for k, x := range m {
		p := s.Properties[k]
		if p == nil {
			return fmt.Errorf("%s has %s, which is not published", at, k)
		}
		if err := p.check(root, at+"."+k, x); err != nil {
			return err
		}
	}
	return nil
}

func TestJSONIsAsPublished(t *testing.T) {
	t.Parallel()
	data, err := os.ReadFile("../../docs/output.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	var root schema
	if err := json.Unmarshal(data, &root); err != nil {
		t.Fatal(err)
	}
	dir := harbour(t)
	lite(t, dir, "dev2.db", devSQL)
	want(t, 3, dir, "script", "dev.db", "live.db", "-o", "up.sql")
	write(t, dir, "dapper-mirror.yaml", "places:\n  named: {at: live.db, note: x, except: 'view:*'}\npairs:\n  default: {source: named, target: named}\ntasks:\n  told:\n    source: dev.db\n    targets: [live.db, dev2.db]\n    script: told/{target}.sql\n    note: x\n    schedule: hourly\n    may-lose: [{pattern: 'view:*', until: 2001-01-01}, {pattern: '*', until: 2999-01-01}]\n    messages: [{when: [done], command: [\"true\"]}, {command: [\"false\"]}]\n")
	var moved = harbour(t)
	command(t, "", "sqlite3", moved+"/live.db", "DROP VIEW deep")
	for _, c := range []struct {
		code int
		part string // the field the command fills
		args string
	}{
		{1, "comparisons", "compare dev.db live.db"},
		{1, "comparisons", "compare dev.db live.db --detail --all"},
		{1, "comparisons", "compare dev.db live.db dev2.db"},
		{2, "ways", "compare dev.db live.db gone.db --detail --all"},
		{0, "targets", "script dev.db live.db dev2.db --may-lose * -o out/{target}.sql --backout out/{target}.back.sql --rehearse"},
		{1, "targets", "check out/live.sql live.db dev2.db"},
		{0, "tasks", "task told --plan"},
		{1, "task_run", "task told"},
		{1, "task_run", "task told --fail-on losses"},
		{0, "task_run", "task told@1"},
		{0, "task_runs", "task told --runs"},
		{0, "changes", "task told@1..2"},
		{1, "targets", "task results .dapper-mirror"},
		{0, "tasks", "tasks"},
		{0, "files", "task told --write systemd -o timers"},
		{1, "comparisons", "compare dev.db live.db --all --tolerate collation,default-spelling,index-names --rename column:berth.pilotage=depth --leave view:*"},
		{0, "comparisons", "compare dev.db live.db --leave * --to-source column:*"},
		{1, "comparisons", "compare dev.db live.db --pair table:berth=berth --choices-out c.yaml --compare-rows"},
		{0, "script", "script dev.db live.db --choices c.yaml --rename column:berth.pilotage=depth --leave-target-only --remake view:deep"},
		{0, "impact", "impact live.db table:berth --change drop"},
		{0, "impact", "impact live.db column:berth.pilotage --change type"},
		{0, "tolerances", "tolerances"},
		{0, "tolerances", "tolerances collation"},
		{3, "script", "script dev.db live.db"},
		{0, "script", "script dev.db live.db --may-lose * -o new.sql"},
		{0, "script", "script dev.db live.db --may-lose * -o again.sql --backout back.sql --rehearse"},
		{3, "rehearsal", "rehearse dev.db live.db --copy-rows 5"},
		{0, "rehearsal", "rehearse up.sql live.db"},
		{0, "script", "check up.sql"},
		{0, "script", "check up.sql live.db"},
		{1, "script", "check up.sql " + moved + "/live.db"},
		{0, "run", "apply up.sql live.db --yes"},
		{0, "run", "sync dev.db live.db --yes --may-lose *"},
		{0, "capture", "capture dev.db -o dev.json"},
		{0, "capture", "capture dev.db --as folder -o db"},
		{0, "run", "sync live.db db --yes"},
		{0, "places", "places"},
		{0, "places", "places named --try"},
		{0, "history", "capture named --to-history"},
		{0, "history", "history named"},
		{0, "settings", "config"},
		{0, "program", "version"},
		{0, "files", "man -o " + t.TempDir()},
		{2, "error", "compare gone.db live.db"},
		{3, "error", "apply up.sql " + moved + "/live.db --yes"},
	} {
		r := want(t, c.code, dir, append(strings.Fields(c.args), "--format", "json", "-q")...)
		text := r.out
		if c.part == "error" {
			text = r.errout
		}
		var v map[string]any
		if err := json.Unmarshal([]byte(text), &v); err != nil {
			t.Errorf("%s: %v\n%s", c.args, err, text)
			continue
		}
		if err := root.check(&root, "$", v); err != nil {
			t.Errorf("%s: %v\n%s", c.args, err, text)
		}
		if v[c.part] == nil || v["command"] != strings.Fields(c.args)[0] {
			t.Errorf("%s fills no %s, or says command %v", c.args, c.part, v["command"])
		}
	}
}
