// Package timer writes the files by which other systems run a task: CI systems, and
// the timers of operating systems.
package timer

import (
	"cmp"
	"encoding/xml"
	"fmt"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf16"

	"dappermirror/internal/core/words"
	"dappermirror/internal/schedule"
	"dappermirror/internal/script"
)

// Job is a task as other systems run it.
type Job struct {
	Task     string
	Schedule schedule.Schedule
	Timed    bool // there is a schedule
	// Folder is that of the project file; Within is where it is in its repository, ""
	// for the root.
	Folder, Within string
	Program        string // the path of this program
	// Kept is the folder of the task's runs, beside the project file.
	Kept string
	// Secrets are the variables of the environment that passwords come from.
	Secrets []string
	User    string // who runs timers
}

// File is a file of another system.
type File struct {
	Name string
	Data []byte
}

// writers write the files, by the system they are for.
var writers = map[string]func(Job) []File{
	"github": github, "gitlab": gitlab, "jenkins": jenkins, "azure": azure,
	"cron": cron, "systemd": systemd, "windows-task": windows,
}

// Kinds are the systems that files can be written for.
func Kinds() []string {
	var out []string
	for k := range writers {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// timers are systems that do nothing without a schedule.
var timers = []string{"cron", "systemd", "windows-task"}

// plain are names that no system reads anything else into.
var plain = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._-]*$`)

// variable is the name of a variable of the environment.
var variable = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]*$`)

// Write writes the files by which a system runs a task.
func Write(kind string, j Job) ([]File, error) {
	w, ok := writers[kind]
	switch {
	case !ok:
		return nil, fmt.Errorf("no files are known for %q%s; there are %s", kind, words.Suggest(kind, Kinds()), strings.Join(Kinds(), ", "))
	case !plain.MatchString(j.Task):
		return nil, fmt.Errorf("other systems read something else into the name %q; give the task one of letters, digits, - and _", j.Task)
	case slices.Contains(timers, kind) && !j.Timed:
		return nil, fmt.Errorf("%s says when it runs: give the task a schedule (%s)", kind, schedule.Help)
	case kind == "github" && j.Schedule.Every > 0 && j.Schedule.Every < 5*time.Minute:
		return nil, fmt.Errorf("github runs nothing more often than every 5 minutes; the schedule is %q", j.Schedule)
	case strings.ContainsFunc(j.Folder+j.Program+j.Within, func(r rune) bool { return r < ' ' || r == 0x7f }):
		return nil, fmt.Errorf("the path of the project or the program has a control character in it")
	}
	for _, s := range j.Secrets {
		if !variable.MatchString(s) {
			return nil, fmt.Errorf("%q cannot name a variable in other systems", s)
		}
	}
	return w(j), nil
}

// The command lines: the comparison, of which the scripts are kept whatever it finds,
// and the second one, which fails as the task says.
func (j Job) compare(more string) string {
	return "dapper-mirror task " + j.Task + " --no-input --fail-on never" + more
}

func (j Job) verify() string { return "dapper-mirror task " + j.Task + " --no-input --verify" }

// file is one that a run leaves beside the project file, and where it is as seen from the
// root of the repository.
func (j Job) file(ending string) (here, there string) {
	here = "dapper-mirror-" + j.Task + ending
	return here, filepath.ToSlash(filepath.Join(j.Within, here))
}

// kept is the folder of the runs as seen from the root of the repository.
func (j Job) kept() string { return filepath.ToSlash(filepath.Join(j.Within, j.Kept)) }

// none is no line at all; "" is an empty one.
const none = "\x00"

// text lays out lines.
func text(lines ...string) []byte {
	lines = slices.DeleteFunc(lines, func(l string) bool { return l == none })
	return []byte(strings.Join(lines, "\n") + "\n")
}

// quoted is a text as a string of YAML in double quotes, which is one of JSON.
func quoted(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(s) + `"`
}

func when(is bool, lines ...string) string {
	if !is {
		return none
	}
	return strings.Join(lines, "\n")
}

// env lists the secrets as variables.
func (j Job) env(head, indent, format string) string {
	if len(j.Secrets) == 0 {
		return none
	}
	out := head
	for _, s := range j.Secrets {
		out += "\n" + indent + strings.ReplaceAll(format, "NAME", s)
	}
	return out
}

const made = "Made by `dapper-mirror task %s --write %s`: the comparison, whose scripts are kept, then a step that expects no difference."

func head(j Job, kind string) string {
	return "# " + fmt.Sprintf(made, j.Task, kind) + "\n# The program dapper-mirror is expected on the runner's path."
}

func github(j Job) []File {
	in := when(j.Within != "", "        working-directory: "+quoted(filepath.ToSlash(j.Within)))
	return []File{{".github/workflows/dapper-mirror-" + j.Task + ".yml", text(head(j, "github"),
		"name: dapper-mirror "+j.Task,
		"on:",
		"  workflow_dispatch:",
		when(j.Timed, "  schedule:", "    - cron: "+quoted(j.Schedule.Cron())+" # UTC"),
		"permissions:",
		"  contents: read",
		"concurrency: dapper-mirror-"+j.Task,
		"jobs:",
		"  compare:",
		"    runs-on: ubuntu-latest",
		j.env("    env:", "      ", "NAME: ${{ secrets.NAME }}"),
		"    steps:",
		"      - uses: actions/checkout@v4",
		"      - name: Compare",
		"        run: "+j.compare(` --annotate github --summary "$GITHUB_STEP_SUMMARY"`),
		in,
		"      - name: Keep the scripts",
		"        if: always()",
		"        uses: actions/upload-artifact@v4",
		"        with:",
		"          name: dapper-mirror-"+j.Task,
		"          path: "+quoted(j.kept()),
		"          include-hidden-files: true",
		"          if-no-files-found: ignore",
		"      - name: Expect no difference",
		"        run: "+j.verify(),
		in)}}
}

func gitlab(j Job) []File {
	summary, summaryAt := j.file(".md")
	tests, testsAt := j.file(".xml")
	return []File{{"dapper-mirror-" + j.Task + ".gitlab-ci.yml", text(head(j, "gitlab"),
		"# Include it in .gitlab-ci.yml; its schedule ("+cmp.Or(map[bool]string{true: j.Schedule.Cron()}[j.Timed], "when it is to run")+") is set under Build, Pipeline schedules.",
		when(len(j.Secrets) > 0, "# Set as masked variables: "+strings.Join(j.Secrets, ", ")),
		"dapper-mirror-"+j.Task+":",
		"  stage: test",
		"  rules:",
		`    - if: $CI_PIPELINE_SOURCE == "schedule"`,
		"    - when: manual",
		"      allow_failure: true",
		"  resource_group: dapper-mirror-"+j.Task,
		"  script:",
		when(j.Within != "", "    - cd "+quoted(script.Word(filepath.ToSlash(j.Within)))),
		"    - "+j.compare(" --summary "+summary+" --report "+tests+" --force"),
		"    - "+j.verify(),
		"  artifacts:",
		"    when: always",
		"    expire_in: 30 days",
		"    paths:",
		"      - "+quoted(j.kept()),
		"      - "+quoted(summaryAt),
		"    reports:",
		"      junit: "+quoted(testsAt))}}
}

// groovy is a text as a string of Groovy that nothing is put into.
func groovy(s string) string {
	return "'" + strings.NewReplacer(`\`, `\\`, `'`, `\'`).Replace(s) + "'"
}

func jenkins(j Job) []File {
	run := func(name, command string) []string {
		step := "sh " + groovy(command)
		if j.Within != "" {
			step = "dir(" + groovy(filepath.ToSlash(j.Within)) + ") { " + step + " }"
		}
		return []string{"    stage(" + groovy(name) + ") {", "      steps {", "        " + step, "      }", "    }"}
	}
	lines := []string{"// " + fmt.Sprintf(made, j.Task, "jenkins"), "// The program dapper-mirror is expected on the agent's path.",
		"pipeline {", "  agent any", "  options {", "    disableConcurrentBuilds()", "  }",
		when(j.Timed, "  triggers {", "    cron("+groovy(j.Schedule.Cron())+")", "  }"),
		when(len(j.Secrets) > 0, j.env("  environment {", "    ", "NAME = credentials('NAME')"), "  }"),
		"  stages {"}
	summary, summaryAt := j.file(".md")
	lines = append(lines, run("Compare", j.compare(" --summary "+summary))...)
	lines = append(lines, run("Expect no difference", j.verify())...)
	lines = append(lines, "  }", "  post {", "    always {",
		"      archiveArtifacts artifacts: "+groovy(j.kept()+"/**, "+summaryAt)+", allowEmptyArchive: true, defaultExcludes: false", "    }", "  }", "}")
	return []File{{"dapper-mirror-" + j.Task + ".Jenkinsfile", text(lines...)}}
}

func azure(j Job) []File {
	in := when(j.Within != "", "    workingDirectory: "+quoted(filepath.ToSlash(j.Within)))
	env := j.env("    env:", "      ", "NAME: $(NAME)")
	return []File{{"dapper-mirror-" + j.Task + ".azure-pipelines.yml", text(head(j, "azure"),
		"trigger: none",
		when(j.Timed, "schedules:", "  - cron: "+quoted(j.Schedule.Cron())+" # UTC", "    displayName: "+quoted(j.Schedule.String()), "    branches:", "      include:", "        - main", "    always: true"),
		"pool:",
		"  vmImage: ubuntu-latest",
		"steps:",
		"  - script: "+j.compare(` --annotate azure --summary "$(Build.ArtifactStagingDirectory)/summary.md"`),
		"    displayName: Compare",
		in, env,
		`  - script: echo "##vso[task.uploadsummary]$(Build.ArtifactStagingDirectory)/summary.md"`,
		"    displayName: Summary",
		"    condition: always()",
		"  - publish: "+quoted(j.kept()),
		"    artifact: dapper-mirror-"+j.Task,
		"    displayName: Keep the scripts",
		"    condition: always()",
		"  - script: "+j.verify(),
		"    displayName: Expect no difference",
		in, env)}}
}

func cron(j Job) []File {
	// A % ends the command in a crontab unless a backslash stands before it.
	line := strings.ReplaceAll(fmt.Sprintf("cd %s && %s task %s --no-input --quiet", script.Word(j.Folder), script.Word(j.Program), j.Task), "%", `\%`)
	return []File{{"dapper-mirror-" + j.Task + ".crontab", text(
		"# "+fmt.Sprintf("Made by `dapper-mirror task %s --write cron`; add it with `crontab -e`.", j.Task),
		when(len(j.Secrets) > 0, "# cron's environment lacks these: "+strings.Join(j.Secrets, ", ")+"; a password from {file: PATH} suits it better."),
		j.Schedule.Cron()+" "+line)}}
}

// unit is a text as a word of systemd's ExecStart (systemd.service, COMMAND LINES).
func unit(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, `%`, `%%`, `$`, `$$`).Replace(s) + `"`
}

func systemd(j Job) []File {
	name := "dapper-mirror-" + j.Task
	return []File{
		{name + ".service", text(
			"# "+fmt.Sprintf("Made by `dapper-mirror task %s --write systemd`.", j.Task),
			"[Unit]",
			"Description=Dapper Mirror, task "+j.Task,
			"Wants=network-online.target",
			"After=network-online.target",
			"",
			"[Service]",
			"Type=oneshot",
			"WorkingDirectory="+strings.ReplaceAll(j.Folder, "%", "%%"),
			when(len(j.Secrets) > 0, "# It has these in it, and is readable by its owner only: "+strings.Join(j.Secrets, ", "), "EnvironmentFile="+strings.ReplaceAll(filepath.Join(j.Folder, ".dapper-mirror", "secrets.env"), "%", "%%")),
			"ExecStart="+unit(j.Program)+" task "+unit(j.Task)+" --no-input",
			"# That something differs is no failure of the service.",
			"SuccessExitStatus=1")},
		{name + ".timer", text(
			"[Unit]",
			"Description=Dapper Mirror, task "+j.Task+": "+j.Schedule.String(),
			"",
			"[Timer]",
			"OnCalendar="+j.Schedule.OnCalendar(),
			"Persistent=true",
			"",
			"[Install]",
			"WantedBy=timers.target")},
	}
}

// trigger is the schedule as the Task Scheduler of Windows has it (Task Scheduler
// Schema, triggerGroup).
func trigger(s schedule.Schedule) string {
	start := fmt.Sprintf("<StartBoundary>2026-01-01T%02d:%02d:00</StartBoundary><Enabled>true</Enabled>", s.Hour, s.Minute)
	if s.Every > 0 {
		return fmt.Sprintf("<TimeTrigger><Repetition><Interval>PT%dM</Interval><StopAtDurationEnd>false</StopAtDurationEnd></Repetition>%s</TimeTrigger>", int(s.Every/time.Minute), start)
	}
	by := "<ScheduleByDay><DaysInterval>1</DaysInterval></ScheduleByDay>"
	switch {
	case len(s.Weekdays) > 0:
		var days strings.Builder
		for _, d := range s.Weekdays {
			fmt.Fprintf(&days, "<%s/>", d)
		}
		by = "<ScheduleByWeek><DaysOfWeek>" + days.String() + "</DaysOfWeek><WeeksInterval>1</WeeksInterval></ScheduleByWeek>"
	case s.Day > 0:
		var months strings.Builder
		for m := time.January; m <= time.December; m++ {
			fmt.Fprintf(&months, "<%s/>", m)
		}
		by = fmt.Sprintf("<ScheduleByMonth><DaysOfMonth><Day>%d</Day></DaysOfMonth><Months>%s</Months></ScheduleByMonth>", s.Day, months.String())
	}
	return "<CalendarTrigger>" + start + by + "</CalendarTrigger>"
}

// escape is a text in XML.
func escape(s string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(s)) // a builder takes all
	return b.String()
}

func windows(j Job) []File {
	x := `<?xml version="1.0" encoding="UTF-16"?>
<Task version="1.2" xmlns="http://schemas.microsoft.com/windows/2004/02/mit/task">
  <RegistrationInfo><Description>` + escape("Dapper Mirror, task "+j.Task+": "+j.Schedule.String()) + `</Description></RegistrationInfo>
  <Triggers>` + trigger(j.Schedule) + `</Triggers>
  <Principals><Principal id="Author"><LogonType>S4U</LogonType><RunLevel>LeastPrivilege</RunLevel></Principal></Principals>
  <Settings><MultipleInstancesPolicy>IgnoreNew</MultipleInstancesPolicy><StartWhenAvailable>true</StartWhenAvailable><Enabled>true</Enabled></Settings>
  <Actions Context="Author"><Exec><Command>` + escape(j.Program) + `</Command><Arguments>task ` + escape(j.Task) + ` --no-input</Arguments><WorkingDirectory>` + escape(j.Folder) + `</WorkingDirectory></Exec></Actions>
</Task>
`
	// schtasks /create /xml reads UTF-16 with a byte order mark.
	data := []byte{0xff, 0xfe}
	for _, u := range utf16.Encode([]rune(strings.ReplaceAll(x, "\n", "\r\n"))) {
		data = append(data, byte(u), byte(u>>8))
	}
	return []File{{"dapper-mirror-" + j.Task + ".task.xml", data}}
}
