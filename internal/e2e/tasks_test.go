package e2e

import (
	"bytes"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"
)

// office is a folder with a fleet of n and a project file that names it.
func office(t testing.TB, n int, tasks string) string {
	t.Helper()
	dir := fleet(t, n)
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "  customer-%02d: fleet/%04d.db\n", i, i)
	}
	write(t, dir, "dapper-mirror.yaml", "places:\n  dev: dev.db\n"+b.String()+"tasks:\n"+tasks)
	return dir
}

// TestTask: a task from its first run to its last: what it would do, what it does,
// what is kept of it, what changed, and when it fails.
func TestTask(t *testing.T) {
	t.Parallel()
	dir := office(t, 4, `  nightly:
    source: dev
    targets: [customer-*]
    script: out/{target}.sql
    backout: out/{target}.back.sql
    rehearse: true
    reports: result.json
    baseline: known.json
    keep: 3 newest
    may-lose:
      - {pattern: "column:berth.remark", until: 2999-12-31}
      - {pattern: "table:hot_fix", until: 2001-01-01}
  apply:
    source: dev
    targets: [customer-*]
    script: run/{target}.sql
    backout: run/{target}.back.sql
    apply: true
    history: true
    leave: table:hot_fix
    may-lose: [{pattern: '*', until: 2999-01-01}]
`)
	before := snapshot(t, dir)
	if r := want(t, 0, dir, "task", "nightly", "--plan"); !strings.Contains(r.out, "customer-00, customer-01, customer-02, customer-03") || !strings.Contains(r.out, "ended on 2001-01-01") || !strings.Contains(r.out, "until 2999-12-31") || !strings.Contains(r.out, "rehearse") || snapshot(t, dir) != before {
		t.Errorf("the plan:\n%s", r.out)
	}
	if r := want(t, 0, dir, "tasks"); strings.Count(r.out, "never run here") != 2 {
		t.Errorf("the list:\n%s", r.out)
	}
	r := want(t, 3, dir, "task", "nightly")
	for _, s := range []string{"held back, way 2", "rehearsed", "out/customer-01.sql", "nightly run 1: different (exit 3)", "permission to lose table:hot_fix ended"} {
		if !strings.Contains(r.out+r.errout, s) {
			t.Errorf("the run does not say %q:\n%s%s", s, r.out, r.errout)
		}
	}
	first := files(t, filepath.Join(dir, "out"))
	if len(first) != 6 || first["customer-01.sql"] != read(t, filepath.Join(dir, ".dapper-mirror/tasks/nightly/000001/scripts/customer-01.sql")) || !strings.Contains(first["customer-02.sql"], "held back 1") || strings.Contains(first["customer-03.sql"], "held back 1") {
		t.Errorf("the scripts: %d\n%s", len(first), first["customer-02.sql"])
	}
	alone := want(t, 0, dir, "script", "dev", "customer-03", "--may-lose", "column:berth.remark", "-o", "out/customer-03.sql", "--backout", "out/customer-03.back.sql", "--force", "--format", "json")
	if first["customer-03.sql"] != read(t, filepath.Join(dir, "out/customer-03.sql")) {
		t.Errorf("the command writes another script than the task:\n%s\n%s", first["customer-03.sql"], alone.out)
	}
	if o := output(t, result{out: read(t, filepath.Join(dir, "result.json"))}); o.TaskRun == nil || o.TaskRun.Number != 1 || len(o.Targets) != 4 || len(o.Ways) != 3 {
		t.Errorf("the report: %+v", o)
	}
	// One is mended and one drifts on: scripts of yesterday are not left lying about.
	want(t, 0, dir, "apply", "out/customer-01.sql", "customer-01", "--yes")
	command(t, "", "sqlite3", filepath.Join(dir, "fleet/0003.db"), "CREATE TABLE late (id INTEGER PRIMARY KEY)")
	want(t, 3, dir, "task", "nightly", "-q")
	if _, err := os.Stat(filepath.Join(dir, "out/customer-01.sql")); err == nil {
		t.Error("a script for what is in line stays as if it were of today")
	}
	if r := want(t, 0, dir, "task", "nightly@1..2"); !strings.Contains(r.out, "customer-01  differs, now equal") || !strings.Contains(r.out, "+ new   table:late target-only") || !strings.Contains(r.out, "2 other targets are as before") {
		t.Errorf("what changed:\n%s", r.out)
	}
	again := want(t, 0, dir, "task", "nightly@1")
	_, shown, _ := strings.Cut(again.out, "\n\n")
	_, said, _ := strings.Cut(r.out, "\n\n")
	if said, _, _ = strings.Cut(said, "nightly run"); shown != said {
		t.Errorf("shown again otherwise than it was:\n%s\n%s", shown, said)
	}
	// When it fails.
	for _, c := range []struct {
		args string
		exit int
	}{
		{"--fail-on never", 0}, {"--fail-on losses", 3}, {"--fail-on differences", 3}, {"--fail-on new --keep-baseline", 0}, {"--fail-on new", 0},
		{"--fail-on losses --may-lose * --except table:hot_fix,table:late,column:berth.remark", 0}, {"--verify", 1}, {"--verify --except table:hot_fix,table:late,column:berth.remark", 0}, {"--fail-on sometimes", 2}, {"--swap", 2},
	} {
		if strings.HasPrefix(c.args, "--fail-on new --keep") { // without one that is wrong by itself
			if r := run(t, dir, "task", "nightly", "--fail-on", "new"); r.code != 2 || !strings.Contains(r.errout, "--keep-baseline") {
				t.Errorf("without a baseline: %d %s", r.code, r.errout)
			}
		}
		if r := run(t, dir, append([]string{"task", "nightly"}, strings.Fields(c.args)...)...); r.code != c.exit {
			t.Errorf("%s: exit %d, want %d\n%s%s", c.args, r.code, c.exit, r.out, r.errout)
		}
	}
	command(t, "", "sqlite3", filepath.Join(dir, "fleet/0000.db"), "DROP VIEW v_dues_by_vessel")
	if r := run(t, dir, "task", "nightly", "--fail-on", "new", "--format", "json"); r.code != 1 || output(t, r).TaskRun.New == nil || *output(t, r).TaskRun.New != 1 {
		t.Errorf("something new: %d %s", r.code, r.errout)
	}
	if r := want(t, 0, dir, "task", "nightly", "--runs"); strings.Count(r.out, "  Mon ")+len(regexp.MustCompile(`(?m)^[=~!] +\d+  `).FindAllString(r.out, -1)) != 3 {
		t.Errorf("three are kept:\n%s", r.out)
	}
	// A task that applies.
	want(t, 0, dir, "task", "apply")
	for i := range 4 {
		if r := run(t, dir, "compare", "dev", fmt.Sprintf("customer-%02d", i), "--except", "table:hot_fix"); r.code != 0 {
			t.Errorf("customer %d after it:\n%s", i, r.out)
		}
	}
	if n := command(t, "", "sqlite3", filepath.Join(dir, "fleet/0002.db"), "SELECT note FROM hot_fix"); strings.TrimSpace(n) != "kept by hand" {
		t.Errorf("what was to be left: %s", n)
	}
	if r := want(t, 0, dir, "history", "customer-03"); !strings.Contains(r.out, "   1  ") {
		t.Errorf("no history:\n%s", r.out)
	}
	for _, c := range []struct{ args, says string }{{"task nightli", "meant nightly?"}, {"task nightly@99", "has no run 99"}, {"task nightly@x", "is no run"}, {"task nightly -o x", "-o is for --write"}, {"task results nowhere", "no such file"}, {"task results out", "holds no result"}, {"task nightly --every 0s", "longer than nothing"}, {"task nightly --try-messages", "has no messages"}, {"task apply --write cron", "give the task a schedule"}, {"task apply --write svn", "no files are known"}} {
		if r := run(t, dir, strings.Fields(c.args)...); r.code != 2 || r.out != "" || !strings.Contains(r.errout, c.says) {
			t.Errorf("%s: %d %s", c.args, r.code, r.errout)
		}
	}
}

// TestTaskRunsApart: of two runs of a task at once the second is told, shares run
// beside each other and are put together, and a run that died is seen.
func TestTaskRunsApart(t *testing.T) {
	t.Parallel()
	dir := office(t, 9, "  slow:\n    source: dev\n    targets: [customer-*]\n    messages: [{when: [done], command: [sh, -c, 'touch heard.$DAPPER_MIRROR_RUN; while [ ! -e go ]; do sleep 0.02; done']}]\n")
	begin := func(args ...string) (*exec.Cmd, *bytes.Buffer) {
		cmd := exec.Command(program, append([]string{"task", "slow", "-q"}, args...)...)
		var out bytes.Buffer
		cmd.Dir, cmd.Env, cmd.Stdout, cmd.Stderr = dir, []string{"HOME=" + t.TempDir(), "PATH=" + os.Getenv("PATH")}, &out, &out
		cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		return cmd, &out
	}
	there := func(name string) func() bool {
		return func() bool { _, err := os.Stat(filepath.Join(dir, name)); return err == nil }
	}
	one, _ := begin()
	until(t, "it is at work", there("heard.1"))
	if r := run(t, dir, "task", "slow"); r.code != 3 || !strings.Contains(r.errout, "run 1 of slow, which") || !strings.Contains(r.errout, "is at work") {
		t.Errorf("a second one: %d %s", r.code, r.errout)
	}
	if r := run(t, dir, "task", "slow", "--runs"); !strings.Contains(r.out, "running") {
		t.Errorf("the list meanwhile:\n%s", r.out)
	}
	_ = syscall.Kill(-one.Process.Pid, syscall.SIGKILL)
	_ = one.Wait()
	if r := run(t, dir, "task", "slow", "--runs"); !strings.Contains(r.out, "died") {
		t.Errorf("the list afterwards:\n%s", r.out)
	}
	var shares []*exec.Cmd
	for i := 1; i <= 3; i++ {
		c, out := begin("--share", fmt.Sprintf("%d/3", i))
		shares = append(shares, c)
		until(t, "a share is at work", there(fmt.Sprintf("heard.%d", i+1)))
		if !strings.Contains(out.String(), "died before its end") && i == 1 {
			t.Errorf("nothing is said of the one that died: %s", out)
		}
	}
	write(t, dir, "go", "")
	for _, c := range shares {
		if err := c.Wait(); c.ProcessState.ExitCode() != 1 {
			t.Errorf("a share: %v", err)
		}
	}
	if r := run(t, dir, "task", "results", ".dapper-mirror/tasks/slow"); r.code != 2 || !strings.Contains(r.errout, "never came to its end") {
		t.Errorf("with the one that died: %d %s", r.code, r.errout)
	}
	if err := os.RemoveAll(filepath.Join(dir, ".dapper-mirror/tasks/slow/000001")); err != nil {
		t.Fatal(err)
	}
	if r := run(t, dir, "task", "results", ".dapper-mirror/tasks/slow"); r.code != 1 || !strings.Contains(r.out, "9 targets: ") || !strings.Contains(r.out, "3 parts") {
		t.Errorf("all parts: %d\n%s%s", r.code, r.out, r.errout)
	}
	if err := os.RemoveAll(filepath.Join(dir, ".dapper-mirror/tasks/slow/000003")); err != nil {
		t.Fatal(err)
	}
	if r := run(t, dir, "task", "results", ".dapper-mirror/tasks/slow"); r.code != 2 || !strings.Contains(r.errout+r.out, "share 2/3") {
		t.Errorf("one is missing: %d\n%s%s", r.code, r.out, r.errout)
	}
}

// TestTaskEvery: looking again and again, it runs only when a place has changed: a
// database, a history, a revision of a repository.
func TestTaskEvery(t *testing.T) {
	t.Parallel()
	dir := office(t, 2, "  watch:\n    source: git:HEAD:db\n    targets: [customer-00, 'customer-01@latest']\n    dialect: sqlite\n")
	want(t, 0, dir, "capture", "dev", "--as", "folder", "-o", "db")
	want(t, 0, dir, "capture", "customer-01", "--to-history")
	git := func(args ...string) {
		command(t, "", "git", append([]string{"-C", dir, "-c", "user.name=Maren", "-c", "user.email=maren@quillhaven.example"}, args...)...)
	}
	git("init", "-q")
	git("add", "db")
	git("commit", "-q", "-m", "the harbour")
	cmd := exec.Command(program, "task", "watch", "--every", "100ms", "-v")
	log, err := os.Create(filepath.Join(dir, "log"))
	if err != nil {
		t.Fatal(err)
	}
	defer log.Close()
	cmd.Dir, cmd.Env, cmd.Stdout, cmd.Stderr = dir, []string{"HOME=" + t.TempDir(), "PATH=" + os.Getenv("PATH")}, log, log
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	said := func(s string, n int) func() bool {
		return func() bool { return strings.Count(read(t, log.Name()), s) >= n }
	}
	quiet := func(n int) {
		seen := strings.Count(read(t, log.Name()), "nothing has changed")
		until(t, "it looked thrice and saw nothing", said("nothing has changed", seen+3))
		if runs := strings.Count(read(t, log.Name()), "watch run "); runs != n {
			t.Fatalf("%d runs, want %d:\n%s", runs, n, read(t, log.Name()))
		}
	}
	until(t, "it ran once", said("watch run 1:", 1))
	quiet(1)
	command(t, "", "sqlite3", filepath.Join(dir, "fleet/0000.db"), "INSERT INTO agent (id, name) VALUES (77, 'Brine & Sons')")
	quiet(1) // rows are no structure
	command(t, "", "sqlite3", filepath.Join(dir, "fleet/0000.db"), "CREATE INDEX ix_more ON agent (name)")
	until(t, "a database changed", said("changed: customer-00", 1))
	quiet(2)
	command(t, "", "sqlite3", filepath.Join(dir, "fleet/0001.db"), "DROP VIEW v_dues_by_vessel")
	want(t, 0, dir, "capture", "customer-01", "--to-history")
	until(t, "a history grew", said("changed: customer-01@latest", 1))
	quiet(3)
	write(t, filepath.Join(dir, "db"), "more.sql", "CREATE TABLE more (id INTEGER PRIMARY KEY);\n")
	git("add", "db")
	git("commit", "-q", "-m", "more")
	until(t, "a revision came", said("changed: git:HEAD:db", 1))
	quiet(4)
	_ = cmd.Process.Signal(os.Interrupt)
	_ = cmd.Wait()
	if cmd.ProcessState.ExitCode() != 130 || !strings.Contains(read(t, log.Name()), "more") {
		t.Errorf("exit %d\n%s", cmd.ProcessState.ExitCode(), read(t, log.Name()))
	}
}

// TestTaskMessages: who is to hear of a run hears of it, over TLS and signed, without
// secrets; what cannot be sent is said, kept and sent with the next run, and changes
// nothing of the result.
func TestTaskMessages(t *testing.T) {
	t.Parallel()
	certs := t.TempDir()
	cert, ca := certificate(t, certs, "ca.pem")
	_, stranger := certificate(t, certs, "stranger.pem")
	begun := (&post{cert: &cert, password: "tiderace"}).start(t)
	whole := (&post{cert: &cert, tls: true}).start(t)
	bare := (&post{password: "tiderace"}).start(t)
	hook := (&web{status: 204}).start(t, &cert)
	elsewhere := (&web{status: 204}).start(t, nil)
	away := (&web{status: 307, to: elsewhere.at}).start(t, nil)
	silent, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer silent.Close()
	mail := func(server, more string) string {
		return "mail: {to: [office@quillhaven.example, \"Maren <maren@quillhaven.example>\"], from: mirror@quillhaven.example, server: \"" + server + "\"" + more + "}"
	}
	auth := ", user: mirror, password: {env: MAIL_PASSWORD}"
	dir := office(t, 3, `  told:
    source: dev
    targets: [customer-*, gone.db]
    messages:
      - `+mail("smtp://"+begun.at, auth+", ca: "+ca+", attach: true")+`
      - `+mail("smtps://"+whole.at, ", ca: "+ca)+`
      - webhook: {url: "`+hook.at+`/in?key=kelp", secret: {env: HOOK_SECRET}, ca: `+ca+`}
      - when: [done]
        command: [sh, -c, 'cat > heard.json; env > heard.env']
      - when: different
        command: [touch, never]
  wrong:
    source: dev
    target: customer-01
    messages:
      - `+mail("smtp://"+bare.at, auth+", ca: "+ca)+`
      - `+mail("smtp://"+begun.at, auth+", ca: "+stranger)+`
      - `+mail("smtp://"+silent.Addr().String(), "")+`
      - webhook: {url: "`+away.at+`", secret: {env: HOOK_SECRET}}
      - webhook: {url: {env: HOOK_URL}, ca: `+ca+`}
      - command: [sh, -c, 'exit 7']
`)
	env := []string{"MAIL_PASSWORD=tiderace", "HOOK_SECRET=limpet", "HOOK_URL=" + hook.at + "/kelp"}
	r := runWith(t, dir, "", env, "task", "told")
	if r.code != 2 || strings.Count(r.errout, "message sent") != 4 {
		t.Fatalf("exit %d\n%s", r.code, r.errout)
	}
	all := strings.Join(append(begun.got(), whole.got()...), "\n") + read(t, filepath.Join(dir, "heard.json"))
	for _, c := range hook.got() {
		all += string(c.body)
	}
	for _, m := range regexp.MustCompile(`(?m)^(?:[A-Za-z0-9+/]{60,}=*\r?\n?)+[A-Za-z0-9+/]*={0,2}`).FindAllString(all, -1) {
		if data, err := base64.StdEncoding.DecodeString(strings.NewReplacer("\r", "", "\n", "").Replace(m)); err == nil {
			all += string(data)
		}
	}
	if len(begun.got()) != 1 || len(whole.got()) != 1 || len(hook.got()) != 1 || !strings.Contains(all, "told-1.html") || !strings.Contains(all, `"format":"dapper-mirror message"`) || !strings.Contains(all, "<article class=\"object") || !strings.Contains(all, "customer-01") || !strings.Contains(all, "Subject: told failed") {
		t.Fatalf("what came:\n%s", all)
	}
	for _, secret := range []string{"tiderace", "limpet", "kelp", "no such file", "it does not exist"} {
		if strings.Contains(all, secret) {
			t.Errorf("a message holds %q:\n%s", secret, all)
		}
	}
	for _, s := range []string{"tiderace", "limpet", "kelp"} {
		for name, text := range files(t, filepath.Join(dir, ".dapper-mirror")) {
			if strings.Contains(text+r.out+r.errout, s) {
				t.Errorf("%s, or what was said, holds %q", name, s)
			}
		}
	}
	call := hook.got()[0]
	sum := hmac.New(sha256.New, []byte("limpet"))
	fmt.Fprintf(sum, "%s.%s", call.header.Get("Dapper-Mirror-Moment"), call.body)
	if call.header.Get("Dapper-Mirror-Signature") != "sha256="+hex.EncodeToString(sum.Sum(nil)) {
		t.Errorf("the signature: %v", call.header)
	}
	if _, err := os.Stat(filepath.Join(dir, "never")); err == nil || !strings.Contains(read(t, filepath.Join(dir, "heard.env")), "DAPPER_MIRROR_RESULT=failed") {
		t.Errorf("who is to hear of what: %v", err)
	}
	// What cannot be sent.
	start := time.Now()
	r = runWith(t, dir, "", env, "task", "wrong")
	if r.code != 1 || strings.Count(r.errout, "message not sent, and tried again") != 5 || !strings.Contains(r.errout, "message sent: webhook") || time.Since(start) > 50*time.Second {
		t.Errorf("exit %d after %s\n%s", r.code, time.Since(start), r.errout)
	}
	for _, p := range []*post{bare, begun} {
		p.mu.Lock()
		if said := strings.Join(p.said, ""); p == bare && strings.Contains(said, "AUTH") || strings.Contains(said, "tiderace") {
			t.Errorf("a password over a line that is not closed: %s", said)
		}
		p.mu.Unlock()
	}
	if n := len(elsewhere.got()); n != 0 || strings.Contains(r.errout, "kelp") {
		t.Errorf("%d calls where nobody sent any; %s", n, r.errout)
	}
	if o := output(t, runWith(t, dir, "", env, "task", "wrong@1", "--format", "json")); len(o.TaskRun.Messages) != 6 || o.TaskRun.Exit != 1 {
		t.Errorf("what is kept of it: %+v", o.TaskRun)
	}
	// The next run sends what waited, under the same name.
	hook.answer(500)
	write(t, dir, "dapper-mirror.yaml", strings.ReplaceAll(read(t, filepath.Join(dir, "dapper-mirror.yaml")), "smtp://"+silent.Addr().String(), "smtp://localhost:1"))
	if r = runWith(t, dir, "", env, "task", "told", "-q"); r.code != 2 || !strings.Contains(r.errout, "it answered 500") {
		t.Errorf("%d %s", r.code, r.errout)
	}
	hook.answer(200)
	if r = runWith(t, dir, "", env, "task", "told"); r.code != 2 || strings.Contains(r.errout, "not sent") {
		t.Errorf("%d %s", r.code, r.errout)
	}
	calls := hook.got()
	last := calls[len(calls)-3:]
	if id := func(i int) string { return last[i].header.Get("Dapper-Mirror-Id") }; id(0) != id(1) || id(1) == id(2) || string(last[0].body) != string(last[1].body) {
		t.Errorf("sent again: %s, %s, %s", id(0), id(1), id(2))
	}
	if r = runWith(t, dir, "", env, "task", "told", "--try-messages"); r.code != 0 || strings.Count(r.out, "sent  ") != 5 {
		t.Errorf("tried: %d\n%s%s", r.code, r.out, r.errout)
	}
	if r = runWith(t, dir, "", nil, "task", "told", "--try-messages"); r.code != 2 || !strings.Contains(r.errout, "MAIL_PASSWORD, which is not set") {
		t.Errorf("tried without a password: %d %s", r.code, r.errout)
	}
}

// TestSaveTask: what was typed, saved, does the same; the rest of the file stays.
func TestSaveTask(t *testing.T) {
	t.Parallel()
	for name, text := range map[string]string{"none": "", "tasks": "# ours\nplaces:\n  dev: dev.db # right\ntasks:\n  old: {source: dev, target: live.db}\n", "no tasks": "places: {dev: dev.db}\n", "dos": "places:\r\n  dev: dev.db\r\n"} {
		dir := harbour(t)
		if text != "" {
			write(t, dir, "dapper-mirror.yaml", text)
		}
		if err := os.MkdirAll(filepath.Join(dir, "below"), 0o755); err != nil {
			t.Fatal(err)
		}
		typed := run(t, filepath.Join(dir, "below"), "script", "../dev.db", "../live.db", "-o", "up.sql", "--may-lose", "column:berth.pilotage", "--tolerate", "comments", "--leave", "view:*", "--save-task", "it's: new", "-q")
		if typed.code != 2 || !strings.Contains(typed.errout, "cannot name a task") {
			t.Fatalf("%s: %d %s", name, typed.code, typed.errout)
		}
		typed = want(t, 0, filepath.Join(dir, "below"), "script", "../dev.db", "../live.db", "-o", "up.sql", "--may-lose", "column:berth.pilotage", "--tolerate", "comments", "--leave", "view:*", "--save-task", "it's new", "-q")
		file := filepath.Join(dir, "dapper-mirror.yaml")
		sub := "below/"
		if text == "" {
			file, sub = filepath.Join(dir, "below", "dapper-mirror.yaml"), ""
		}
		now := read(t, file)
		for _, l := range strings.Split(strings.TrimSpace(text), "\n") {
			if !strings.Contains(now, l) {
				t.Errorf("%s: the line %q is gone:\n%s", name, l, now)
			}
		}
		written := read(t, filepath.Join(dir, "below", "up.sql"))
		if r := run(t, filepath.Dir(file), "task", "it's new"); r.code != 1 {
			t.Errorf("%s: %d\n%s%s%s", name, r.code, now, r.out, r.errout)
		}
		body := func(s string) string {
			_, s, _ = strings.Cut(s, "-- on error")
			s, _, _ = strings.Cut(s, "-- @dapper-mirror")
			return s
		}
		if again := read(t, filepath.Join(filepath.Dir(file), sub+"up.sql")); body(again) != body(written) {
			t.Errorf("%s: the task writes otherwise:\n%s\n%s", name, again, written)
		}
		if r := run(t, filepath.Dir(file), "compare", filepath.Join(dir, "dev.db"), filepath.Join(dir, "live.db"), "--save-task", "it's new"); r.code != 2 || !strings.Contains(r.errout, "already") {
			t.Errorf("%s: over one that is there: %d %s", name, r.code, r.errout)
		}
	}
	dir := harbour(t)
	write(t, dir, "dapper-mirror.yaml", "{places: {dev: dev.db}, tasks: {}}\n")
	if r := run(t, dir, "compare", "dev", "live.db", "--save-task", "x"); r.code != 2 || !strings.Contains(r.errout, "add it by hand") || read(t, filepath.Join(dir, "dapper-mirror.yaml")) != "{places: {dev: dev.db}, tasks: {}}\n" {
		t.Errorf("a file of another form: %d %s", r.code, r.errout)
	}
}
