// Package ci hands tasks to other systems and has their own checkers look at the files:
// a linter of workflows, the parser of crontabs, systemd's verifier.
package ci

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"github.com/rhysd/actionlint"
	"github.com/robfig/cron/v3"
	"go.yaml.in/yaml/v4"

	"dappermirror/tests/built"
)

// program is the built program.
var program string

func TestMain(m *testing.M) {
	os.Exit(built.Main(m, &program))
}

func run(t *testing.T, dir string, env []string, name string, args ...string) (string, int) {
	t.Helper()
	cmd := exec.Command(name, args...)
	cmd.Dir, cmd.Env = dir, append([]string{"HOME=" + t.TempDir(), "PATH=" + filepath.Dir(program) + ":" + os.Getenv("PATH"), "TMPDIR=" + t.TempDir()}, env...)
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &out
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatalf("%s: %v", name, err)
	}
	return out.String(), cmd.ProcessState.ExitCode()
}

// schedules are ours, with the moments after a Thursday noon at which cron would run
// them first.
var schedules = map[string]string{
	"daily 02:30": "2026-11-27 02:30", "weekdays 06:00": "2026-11-27 06:00", "weekly sun 23:59": "2026-11-29 23:59", "weekly Monday 00:00": "2026-11-30 00:00",
	"monthly 1 04:05": "2026-12-01 04:05", "hourly": "2026-11-26 13:00", "every 15m": "2026-11-26 12:15", "every 6h": "2026-11-26 18:00", "every 5m": "2026-11-26 12:05", "every 24h": "2026-11-27 00:00",
}

// project is a folder within a repository, whose name every system must quote.
func project(t *testing.T, schedule string) string {
	t.Helper()
	dir := filepath.Join(t.TempDir(), `it's 100% "ours" $HOME`)
	if err := os.MkdirAll(filepath.Join(dir, ".git"), 0o755); err != nil {
		t.Fatal(err)
	}
	dir = filepath.Join(dir, "quill haven")
	if err := os.MkdirAll(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	text := "places:\n  dev: dev.sql\n  live: {at: live.sql, note: x}\n  far: {at: \"postgres://office@db.quillhaven.example/x\", password: {env: FAR_PASSWORD}}\ntasks:\n" +
		"  nightly:\n    source: dev\n    target: live\n    dialect: sqlite\n    script: up.sql\n    schedule: " + schedule + "\n" +
		"  far.away:\n    source: dev\n    target: far\n    schedule: " + schedule + "\n    messages: [{webhook: {url: https://hooks.quillhaven.example/, secret: {env: HOOK}}}]\n" +
		"  'odd ${{ name }}':\n    source: dev\n    target: live\n    schedule: hourly\n"
	for name, data := range map[string]string{"dapper-mirror.yaml": text, "dev.sql": "CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT);\n", "live.sql": "CREATE TABLE berth (id INTEGER PRIMARY KEY);\n"} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(data), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

// kinds are the systems that files are written for.
var kinds = []string{"github", "gitlab", "jenkins", "azure", "cron", "systemd", "windows-task"}

// TestFiles: the systems' own checkers take the files.
func TestFiles(t *testing.T) {
	from := time.Date(2026, 11, 26, 12, 0, 30, 0, time.UTC)
	for schedule, first := range schedules {
		dir := project(t, schedule)
		for _, task := range []string{"nightly", "far.away"} {
			files := map[string]string{}
			for _, kind := range kinds {
				if err := os.RemoveAll(filepath.Join(dir, kind)); err != nil {
					t.Fatal(err)
				}
				if out, code := run(t, dir, nil, program, "task", task, "--write", kind, "-o", kind+"/", "-q"); code != 0 {
					t.Fatalf("%s for %s: %s", task, kind, out)
				}
				err := filepath.WalkDir(filepath.Join(dir, kind), func(p string, d os.DirEntry, err error) error {
					if err == nil && !d.IsDir() {
						data, e := os.ReadFile(p)
						files[kind+filepath.Ext(p)], err = string(data), e
					}
					return err
				})
				if err != nil {
					t.Fatal(err)
				}
				if task == "nightly" {
					if _, code := run(t, dir, nil, program, "task", task, "--write", kind, "-o", kind+"/"); code != 2 {
						t.Errorf("%s: a file that is there is overwritten", kind)
					}
				}
			}
			lint, err := actionlint.NewLinter(io.Discard, &actionlint.LinterOptions{})
			if err != nil {
				t.Fatal(err)
			}
			wrong, err := lint.Lint("workflow.yml", []byte(files["github.yml"]), nil)
			if err != nil || len(wrong) > 0 {
				t.Errorf("the workflow: %v %v\n%s", err, wrong, files["github.yml"])
			}
			line := regexp.MustCompile(`(?m)^[^#].*$`).FindString(files["cron.crontab"])
			fields := strings.Fields(line)
			when, err := cron.ParseStandard(strings.Join(fields[:5], " "))
			if err != nil || when.Next(from).Format("2006-01-02 15:04") != first {
				t.Errorf("%s: cron runs it %s, %v", schedule, when.Next(from), err)
			}
			for _, kind := range []string{"github.yml", "azure.yml"} {
				if !strings.Contains(files[kind], `- cron: "`+strings.Join(fields[:5], " ")+`"`) {
					t.Errorf("%s has another schedule than %v\n%s", kind, fields[:5], files[kind])
				}
			}
			if out, code := run(t, filepath.Dir(one(t, dir, "cron/*.crontab")), nil, "crontab", "-n", filepath.Base(one(t, dir, "cron/*.crontab"))); code != 0 {
				t.Errorf("crontab: %s\n%s", out, files["cron.crontab"])
			}
			calendar := regexp.MustCompile(`OnCalendar=(.*)`).FindStringSubmatch(files["systemd.timer"])[1]
			if out, code := run(t, dir, []string{"TZ=UTC"}, "systemd-analyze", "calendar", "--base-time", from.Format("2006-01-02 15:04:05"), calendar); code != 0 || !strings.Contains(out, first+":00") {
				t.Errorf("%s: systemd runs it\n%s", schedule, out)
			}
			if task == "nightly" { // far.away wants a file of secrets that is not there
				if out, code := run(t, dir, nil, "systemd-analyze", "verify", one(t, dir, "systemd/*.service"), one(t, dir, "systemd/*.timer")); code != 0 || strings.Contains(out, "dapper-mirror") {
					t.Errorf("systemd: %s\n%s", out, files["systemd.service"])
				}
			}
			var units []uint16
			for i := 0; i+1 < len(files["windows-task.xml"]); i += 2 {
				units = append(units, uint16(files["windows-task.xml"][i])|uint16(files["windows-task.xml"][i+1])<<8)
			}
			text := string(utf16.Decode(units[1:]))
			dec := xml.NewDecoder(strings.NewReader(strings.Replace(text, "UTF-16", "UTF-8", 1)))
			var x struct {
				Actions struct {
					Exec struct{ Command, Arguments, WorkingDirectory string }
				}
				Triggers struct {
					Inner string `xml:",innerxml"`
				}
			}
			if err := dec.Decode(&x); err != nil || units[0] != 0xfeff || x.Actions.Exec.WorkingDirectory != dir || x.Actions.Exec.Command != program || x.Triggers.Inner == "" {
				t.Errorf("the task of Windows: %v %+v", err, x)
			}
			shape(t, "gitlab", files["gitlab.yml"])
			shape(t, "azure", files["azure.yml"])
			for _, kind := range []string{"github.yml", "jenkins.Jenkinsfile", "azure.yml", "gitlab.yml"} {
				if task == "far.away" && (!strings.Contains(files[kind], "FAR_PASSWORD") || !strings.Contains(files[kind], "HOOK")) {
					t.Errorf("%s does not say which secrets it wants:\n%s", kind, files[kind])
				}
			}
			if j := files["jenkins.Jenkinsfile"]; strings.Count(j, "{") != strings.Count(j, "}") || strings.Count(j, "sh '") != 2 && strings.Count(j, "sh \"") != 2 {
				t.Errorf("the pipeline:\n%s", j)
			}
		}
	}
	if out, code := run(t, project(t, "every 1m"), nil, program, "task", "nightly", "--write", "github"); code != 2 || !strings.Contains(out, "every 5 minutes") {
		t.Errorf("too often: %d %s", code, out)
	}
	dir := project(t, "hourly")
	if out, code := run(t, dir, nil, program, "task", "odd ${{ name }}", "--write", "github"); code != 2 || !strings.Contains(out, "read something else into the name") {
		t.Errorf("a name that is an expression: %d %s", code, out)
	}
}

func one(t *testing.T, dir, pattern string) string {
	t.Helper()
	list, err := filepath.Glob(filepath.Join(strings.NewReplacer(`[`, `\[`).Replace(dir), pattern))
	if err != nil || len(list) != 1 {
		t.Fatalf("%s: %v %v", pattern, list, err)
	}
	return list[0]
}

// keys are those that the systems' reference pages know, of the ones that are used:
// GitLab, CI/CD YAML syntax; Azure Pipelines, YAML schema.
var keys = map[string][]string{
	"gitlab": {"stage", "rules", "resource_group", "script", "artifacts", "if", "when", "allow_failure", "expire_in", "paths", "reports", "junit"},
	"azure":  {"trigger", "schedules", "cron", "displayName", "branches", "include", "always", "pool", "vmImage", "steps", "script", "workingDirectory", "env", "condition", "publish", "artifact"},
}

// shape sees that a file is YAML with keys that its system knows.
func shape(t *testing.T, system, text string) {
	t.Helper()
	var doc map[string]any
	if err := yaml.Unmarshal([]byte(text), &doc); err != nil {
		t.Errorf("%s: %v\n%s", system, err, text)
		return
	}
	var walk func(at string, v any)
	walk = func(at string, v any) {
		switch v := v.(type) {
		case map[string]any:
			for k, x := range v {
				if at != "env" && !strings.HasPrefix(k, "dapper-mirror-") && !slices.Contains(keys[system], k) {
					t.Errorf("%s does not know %s:\n%s", system, k, text)
				}
				walk(k, x)
			}
		case []any:
			for _, x := range v {
				walk(at, x)
			}
		}
	}
	walk("", doc)
}

// TestStepsRun: the commands of a workflow do what it says: the first finds the
// difference and does not fail, the second fails until there is none.
func TestStepsRun(t *testing.T) {
	dir := project(t, "hourly")
	out, _ := run(t, dir, nil, program, "task", "nightly", "--write", "github")
	var w struct {
		Jobs map[string]struct {
			Steps []struct {
				Run  string
				Uses string
				Dir  string `yaml:"working-directory"`
				With map[string]any
			}
		}
	}
	if err := yaml.Unmarshal([]byte(out), &w); err != nil {
		t.Fatal(err)
	}
	steps := func() (codes []int, said string) {
		for _, s := range w.Jobs["compare"].Steps {
			if s.Run != "" {
				out, code := run(t, filepath.Join(filepath.Dir(dir), s.Dir), []string{"GITHUB_STEP_SUMMARY=" + filepath.Join(dir, "summary.md"), "GITHUB_ACTIONS=true"}, "bash", "-e", "-c", s.Run)
				codes, said = append(codes, code), said+out
			}
			if path, ok := s.With["path"].(string); ok {
				if _, err := os.Stat(filepath.Join(filepath.Dir(dir), path, "000001", "scripts", "up.sql")); err != nil {
					t.Errorf("the script is not in what is kept: %v", err)
				}
			}
		}
		return codes, said
	}
	codes, said := steps()
	summary, err := os.ReadFile(filepath.Join(dir, "summary.md"))
	if !slices.Equal(codes, []int{0, 1}) || !strings.Contains(said, "::warning title=dapper-mirror nightly::live") || err != nil || !strings.Contains(string(summary), "| live | 1 | 0 | 0 |") {
		t.Errorf("%v %v\n%s\n%s", codes, err, said, summary)
	}
	if err := os.WriteFile(filepath.Join(dir, "live.sql"), []byte("CREATE TABLE berth (id INTEGER PRIMARY KEY, name TEXT);\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	w.Jobs["compare"].Steps[2].With = nil
	if codes, said = steps(); !slices.Equal(codes, []int{0, 0}) || strings.Contains(said, "::warning") {
		t.Errorf("%v %s", codes, said)
	}
}
