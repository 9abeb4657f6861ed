package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"dappermirror/internal/report"
)

// drifts are changes by hand, each of which leaves a target unlike the rest.
func drifts(t testing.TB, engine string) []string {
	t.Helper()
	list := strings.Split(read(t, filepath.Join("testdata", "drift", engine+".sql")), "-- drift: ")[1:]
	for i, l := range list {
		_, list[i], _ = strings.Cut(l, "\n")
	}
	return list
}

// output is the JSON of a run.
func output(t testing.TB, r result) report.Output {
	t.Helper()
	var o report.Output
	if err := json.Unmarshal([]byte(r.out), &o); err != nil {
		t.Fatalf("%v\n%s%s", err, r.out, r.errout)
	}
	return o
}

// result of a target by its name.
func named(o report.Output, name string) report.JSONTarget {
	i := slices.IndexFunc(o.Targets, func(j report.JSONTarget) bool { return j.Target == name })
	if i < 0 {
		return report.JSONTarget{Result: "none of this name"}
	}
	return o.Targets[i]
}

// fleet is a folder with dev.db and n databases fleet/NNNN.db, which have drifted in
// ten ways.
func fleet(t testing.TB, n int) string {
	t.Helper()
	dir := t.TempDir()
	dev, _ := harbours(t, "sqlite")
	lite(t, dir, "dev.db", dev)
	if err := os.Mkdir(filepath.Join(dir, "fleet"), 0o755); err != nil {
		t.Fatal(err)
	}
	var models [][]byte
	for i, d := range drifts(t, "sqlite") {
		lite(t, dir, fmt.Sprintf("model%d.db", i), dev+d)
		models = append(models, []byte(read(t, filepath.Join(dir, fmt.Sprintf("model%d.db", i)))))
	}
	for i := range n {
		if err := os.WriteFile(filepath.Join(dir, "fleet", fmt.Sprintf("%04d.db", i)), models[i%len(models)], 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return dir
}

// TestFleet: a thousand databases in one run. Targets that differ in the same way are
// found to, share one script, and are alike after it; the source is read once, and
// memory does not grow with their number.
func TestFleet(t *testing.T) {
	t.Parallel()
	const n = 1000
	dir := fleet(t, n)
	kinds := len(drifts(t, "sqlite"))
	list, _ := filepath.Glob(filepath.Join(dir, "fleet", "*.db"))
	write(t, dir, "all.txt", "# the fleet\n\n"+strings.Join(list, "\n")+"\n")
	write(t, dir, "some.txt", strings.Join(list[:100], "\n"))
	peak := func(file string) int64 {
		cmd := exec.Command(program, "compare", "dev.db", "--targets", file, "-q")
		// What is no longer wanted is collected at once, so that it does not count.
		cmd.Dir, cmd.Env = dir, []string{"HOME=" + t.TempDir(), "GOMEMLIMIT=24MiB"}
		if err := cmd.Run(); cmd.ProcessState.ExitCode() != 1 {
			t.Fatal(err)
		}
		return cmd.ProcessState.SysUsage().(*syscall.Rusage).Maxrss
	}
	if few, many := peak("some.txt"), peak("all.txt"); many > few*3/2 {
		t.Errorf("%d kB for %d targets, %d kB for 100", many, n, few)
	}
	o := output(t, want(t, 1, dir, "compare", "dev.db", "--targets", "all.txt", "--format", "json", "-q"))
	if len(o.Targets) != n || len(o.Ways) != kinds-1 || len(o.Comparisons) != n {
		t.Fatalf("%d targets, %d ways, %d comparisons", len(o.Targets), len(o.Ways), len(o.Comparisons))
	}
	for i, j := range o.Targets {
		way := 0
		for _, w := range o.Ways {
			if w.Number == j.Way {
				way = w.Targets
			}
		}
		if equal := i%kinds == 0; equal != (j.Result == report.Equal) || !equal && (way < n/kinds || j.Way != o.Targets[i%kinds].Way) || len(o.Comparisons[i].Differences) != o.Targets[i].Counts.Differs+o.Targets[i].Counts.SourceOnly+o.Targets[i].Counts.TargetOnly {
			t.Fatalf("target %d: %+v, %d in its way", i, j, way)
		}
	}
	// Scripts: one for each way, under the name of the first that needs it.
	r := run(t, dir, "script", "dev.db", "--targets", "all.txt", "-o", "out/{target}.sql", "--may-lose", "*", "-q", "--parallel", "3")
	if made := files(t, filepath.Join(dir, "out")); r.code != 0 || len(made) != kinds-1 || !strings.Contains(strings.ReplaceAll(made["0001.sql"], "\n--             ", " "), "the same steps are for") {
		t.Fatalf("exit %d, %d scripts %s", r.code, len(made), r.errout)
	}
	if r := run(t, dir, "script", "dev.db", "--targets", "all.txt", "-o", "out/{target}.sql", "-q"); r.code != 2 || r.out != "" || !strings.Contains(r.errout, "--force") {
		t.Errorf("over what is there: %d %s", r.code, r.errout)
	}
	alone := run(t, dir, "script", "dev.db", "fleet/0012.db", "--may-lose", "*", "-q")
	body := func(s string) string {
		_, s, _ = strings.Cut(s, "-- on error")
		s, _, _ = strings.Cut(s, "-- @dapper-mirror")
		return s
	}
	if body(alone.out) != body(read(t, filepath.Join(dir, "out", "0001.sql"))) {
		t.Errorf("one script for many says otherwise than one for itself:\n%s", alone.out)
	}
	of := map[int][]string{}
	for i := range n {
		if k := i % kinds; k > 0 && len(of[k]) < 12 {
			of[k] = append(of[k], fmt.Sprintf("fleet/%04d.db", i))
		}
	}
	for k, targets := range of {
		sql := fmt.Sprintf("out/%04d.sql", k)
		if r := run(t, dir, append([]string{"check", sql}, targets...)...); r.code != 0 || strings.Count(r.out, "fits") != len(targets)+1 {
			t.Errorf("%s fits not all: %d\n%s%s", sql, r.code, r.out, r.errout)
		}
		if r := run(t, dir, append([]string{"apply", sql, "--yes", "-q"}, targets...)...); r.code != 0 {
			t.Errorf("%s: %d\n%s%s", sql, r.code, r.out, r.errout)
		}
		for _, target := range targets {
			if d := firstDifference(witness(t, filepath.Join(dir, "dev.db")), witness(t, filepath.Join(dir, target))); d != "" {
				t.Errorf("%s after %s: %s", target, sql, d)
			}
		}
	}
	// A script is for whom it fits: the others are refused, and stay.
	if r := run(t, dir, "apply", "out/0010.sql", "fleet/0400.db", "fleet/0010.db", "--yes"); r.code != 3 || !strings.Contains(r.out, "1 refused") {
		t.Errorf("another's script: %d\n%s%s", r.code, r.out, r.errout)
	}
	if r := run(t, dir, "sync", "dev.db", "--targets", "all.txt", "--yes", "--may-lose", "*", "-q", "--parallel", "8", "-o", "done/{target}.sql"); r.code != 0 || strings.Contains(r.out, "failed") {
		t.Errorf("the rest: %d\n%s%s", r.code, r.out[max(0, len(r.out)-800):], r.errout)
	}
	if r := run(t, dir, "compare", "dev.db", "--targets", "all.txt", "-q"); r.code != 0 || !strings.Contains(r.out, "1000 targets: 1000 equal") && !strings.Contains(r.out, "1,000 targets: 1000 equal") {
		t.Errorf("at last: %d\n%s", r.code, r.out[max(0, len(r.out)-800):])
	}
}

// TestTwentyServers: twenty PostgreSQL databases in ten states, and between them one
// that is not there, one that never answers and one that refuses. Nobody waits for
// another, and after sync the server's own dump agrees for all that could be reached.
func TestTwentyServers(t *testing.T) {
	t.Parallel()
	s := postgres(t)
	dev, _ := harbours(t, "postgres")
	kinds := drifts(t, "postgres")
	dir := t.TempDir()
	source := s.database(t, dev)
	silent, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer silent.Close()
	refusing := s.database(t, "")
	s.psql(t, refusing, "ALTER DATABASE "+refusing+" CONNECTION LIMIT 0; CREATE ROLE shut_out LOGIN; REVOKE CONNECT ON DATABASE "+refusing+" FROM PUBLIC;")
	t.Cleanup(func() { s.psql(t, "postgres", "DROP ROLE IF EXISTS shut_out") })
	var list strings.Builder
	fmt.Fprintf(&list, "targets:\n")
	var names []string
	for i := range 20 {
		names = append(names, s.database(t, dev+"\n"+kinds[i%len(kinds)]))
		fmt.Fprintf(&list, "  - {name: customer-%02d, at: \"%s\"}\n", i, s.url(names[i]))
		switch i {
		case 5:
			fmt.Fprintf(&list, "  - {name: gone, at: \"postgres://postgres@/nowhere?host=%s\"}\n", s.dir)
		case 6:
			fmt.Fprintf(&list, "  - {name: silent, at: \"postgres://postgres@%s/x?connect_timeout=2\"}\n", silent.Addr())
		case 7:
			fmt.Fprintf(&list, "  - {name: refusing, at: \"postgres://shut_out@/%s?host=%s\"}\n", refusing, s.dir)
		}
	}
	write(t, dir, "customers.yaml", list.String())
	r := want(t, 2, dir, "compare", s.url(source), "--targets", "customers.yaml", "--format", "json")
	o := output(t, r)
	for i := range 20 {
		if j, twin := named(o, fmt.Sprintf("customer-%02d", i)), named(o, fmt.Sprintf("customer-%02d", (i+len(kinds))%20)); j.Error != nil || (j.Result == report.Equal) != (i%len(kinds) == 0) || i+len(kinds) < 20 && j.Way != twin.Way {
			t.Errorf("customer-%02d: %+v", i, j)
		}
	}
	for name, says := range map[string]string{"gone": "nowhere", "silent": "did not answer", "refusing": "permission denied"} {
		if j := named(o, name); j.Result != report.Failed || j.Error == nil || !strings.Contains(j.Error.Message, says) {
			t.Errorf("%s: %+v", name, j)
		}
	}
	if strings.Count(r.errout, "/23  ") != 23 {
		t.Errorf("not a line for each:\n%s", r.errout)
	}
	r = want(t, 2, dir, "sync", s.url(source), "--targets", "customers.yaml", "--yes", "--may-lose", "*", "--fill", "harbour.pilot.family_name='unknown'", "--format", "json")
	for _, j := range output(t, r).Targets {
		if j.Error == nil && (j.Result != report.Equal && j.Result != report.Done) {
			t.Errorf("%+v", j)
		}
	}
	wanted := s.dump(t, source)
	for i, name := range names {
		if d := firstDifference(wanted, s.dump(t, name)); d != "" {
			t.Errorf("customer-%02d: %s", i, d)
		}
	}
	if n := strings.TrimSpace(s.psql(t, names[8], "SELECT count(*) FROM harbour.pilot WHERE given_name = 'Maren' AND family_name = 'unknown'")); n != "1" {
		t.Errorf("the row of the eighth: %s", n)
	}
	// With --stop-on-failure nothing is begun behind the first that fails.
	r = want(t, 2, dir, "compare", s.url(source), "--targets", "customers.yaml", "--stop-on-failure", "--parallel", "1", "--format", "json")
	if o := output(t, r); named(o, "customer-05").Result != report.Equal || named(o, "gone").Result != report.Failed || named(o, "customer-06").Result != report.NotBegun || named(o, "customer-19").Result != report.NotBegun {
		t.Errorf("%s%s", r.out, r.errout)
	}
}

// TestManyInterrupted: Ctrl-C among many targets. What was done is done and said,
// nothing is half done, and the rest is said not to have begun.
func TestManyInterrupted(t *testing.T) {
	t.Parallel()
	dir := fleet(t, 400)
	before := files(t, filepath.Join(dir, "fleet"))
	list, _ := filepath.Glob(filepath.Join(dir, "fleet", "*.db"))
	cmd := exec.Command(program, append([]string{"sync", "dev.db", "--yes", "--may-lose", "*", "--format", "json", "--parallel", "2", "-o", "up/{target}.sql"}, list...)...)
	cmd.Dir, cmd.Env = dir, []string{"HOME=" + t.TempDir()}
	var out bytes.Buffer
	cmd.Stdout = &out
	errs, err := cmd.StderrPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	told, seen := "", make([]byte, 4096)
	for {
		n, err := errs.Read(seen)
		told += string(seen[:n])
		if strings.Count(told, "/400  ") == 20 || err != nil {
			break
		}
		if strings.Count(told, "/400  ") > 20 {
			break
		}
	}
	if err := cmd.Process.Signal(os.Interrupt); err != nil {
		t.Fatal(err)
	}
	rest := new(bytes.Buffer)
	_, _ = rest.ReadFrom(errs)
	told += rest.String()
	_ = cmd.Wait()
	o := output(t, result{out: out.String(), errout: told})
	n := map[report.Result]int{}
	source := witness(t, filepath.Join(dir, "dev.db"))
	for i, j := range o.Targets {
		n[j.Result]++
		now := read(t, list[i])
		switch j.Result {
		case report.Done:
			if d := firstDifference(source, witness(t, list[i])); d != "" {
				t.Errorf("%s is said to be done: %s", j.Target, d)
			}
		case report.NotBegun, report.Interrupted:
			if now != before[filepath.Base(list[i])] {
				t.Errorf("%s is said not to be touched, and was", j.Target)
			}
		}
	}
	if cmd.ProcessState.ExitCode() != 130 || n[report.NotBegun] == 0 || n[report.Done] == 0 || n[report.Failed] > 0 || !strings.Contains(told, "did not begin") {
		t.Errorf("exit %d, %v\n%s", cmd.ProcessState.ExitCode(), n, told[max(0, len(told)-600):])
	}
}

// TestTargetLists: lists in every form, patterns, shares, and what is wrong with them.
func TestTargetLists(t *testing.T) {
	t.Parallel()
	dir := fleet(t, 12)
	if err := os.MkdirAll(filepath.Join(dir, "lists"), 0o755); err != nil {
		t.Fatal(err)
	}
	var places strings.Builder
	for i := range 12 {
		fmt.Fprintf(&places, "  customer-%d: fleet/%04d.db\n", i, i)
	}
	write(t, dir, "dapper-mirror.yaml", "places:\n  dev: dev.db\n  strict:\n    at: fleet/0002.db\n    except: [table:hot_fix]\n"+places.String())
	write(t, dir, "lists/beside.txt", "../fleet/0001.db\r\n# no target\r\n\r\n  ../fleet/0002.db  \r\n")
	write(t, dir, "lists/typed.yaml", "targets:\n  - customer-1\n  - at: ../fleet/0003.db\n    name: third\n    may-lose: [column:berth.remark]\n  - at: ../fleet/0002.db\n    name: second\n    leave: table:hot_fix\n")
	write(t, dir, "lists/odd.txt", "customer-1\ncustomer-1\n'; rm -rf x'.db\n$(touch owned)\n-q\n../../../../etc/passwd\n")
	for _, c := range []struct {
		exit  int
		args  []string
		names string // of the targets, with their results
		says  string
	}{
		{1, []string{"compare", "dev", "customer-*", "--share", "1/4"}, "customer-0 equal, customer-4 differs, customer-8 differs", ""},
		{1, []string{"compare", "dev", "customer-1?", "customer-2", "customer-10"}, "customer-10 differs, customer-11 equal, customer-2 differs", ""},
		{1, []string{"compare", "dev", "--targets", "lists/beside.txt"}, "0001 differs, 0002 differs", ""},
		{1, []string{"compare", "dev", "strict", "customer-2"}, "strict equal, customer-2 failed", "same place as"},
		{1, []string{"compare", "dev", "strict", "customer-3"}, "strict equal, customer-3 differs", ""},
		{1, []string{"compare", "dev", "strict", "customer-3", "--only", "table:hot_fix", "--only", "column:berth.remark"}, "strict equal, customer-3 differs", ""},
		{2, []string{"compare", "dev", "customer-1", "customer-3", "--only", "table:nowhere"}, "", "--only table:nowhere matches nothing"},
		{0, []string{"script", "dev", "--targets", "lists/typed.yaml", "-o", "o/{target}.sql"}, "customer-1 differs, third differs, second done", ""},
		{2, []string{"compare", "dev", "--targets", "lists/odd.txt"}, "customer-1 differs, '; rm -rf x' failed, $(touch owned) failed, -q failed, passwd failed", ""},
		{2, []string{"compare", "dev", "nobody-*"}, "", "matches the name of no place"},
		{2, []string{"compare", "dev", "customer-*", "--share", "4/3"}, "", "write it as 3/10"},
		{2, []string{"compare", "dev", "customer-*", "--parallel", "0"}, "", "1 at least"},
		{2, []string{"compare", "dev", "customer-*", "--choices-out", "c.yaml"}, "", "one source and one target"},
		{2, []string{"compare", "dev", "customer-*", "--swap"}, "", "--swap exchanges"},
		{2, []string{"script", "dev", "customer-*"}, "", "{target}"},
		{2, []string{"script", "dev", "customer-*", "-o", "up.sql"}, "", "{target}"},
		{2, []string{"script", "dev", "fleet/0001.db", "fleet/0002.db", "-o", "fleet/{target}.db", "--force"}, "", "is the place"},
		{2, []string{"compare", "dev", "fleet/0001.db", "berth"}, "", "--only berth"},
		{2, []string{"apply", "o/second.sql"}, "", "a script and a target"},
		{2, []string{"compare", "dev", "dev", "customer-0"}, "dev failed, customer-0 equal", "same place"},
		{3, []string{"sync", "dev", "customer-1", "customer-2"}, "customer-1 refused, customer-2 held-back", "--yes"},
	} {
		if c.args[len(c.args)-1] == "customer-2" && c.args[2] == "strict" {
			c.exit = 2
		}
		r := run(t, dir, append(c.args, "--format", "json")...)
		if r.code != c.exit || !strings.Contains(r.out+r.errout, c.says) || c.names == "" && r.out != "" {
			t.Errorf("%v: exit %d, want %d and %q\n%s%s", c.args, r.code, c.exit, c.says, r.out, r.errout)
			continue
		}
		var got []string
		if c.names != "" {
			for _, j := range output(t, r).Targets {
				got = append(got, j.Target+" "+string(j.Result))
			}
		}
		if strings.Join(got, ", ") != c.names && !strings.Contains(c.names, "strict equal, customer-2") {
			t.Errorf("%v: %s, want %s", c.args, strings.Join(got, ", "), c.names)
		}
	}
	if held := read(t, filepath.Join(dir, "o", "customer-1.sql")) + read(t, filepath.Join(dir, "o", "third.sql")); strings.Contains(held, "held back 1") || !strings.Contains(held, "DROP COLUMN") || !strings.Contains(held, "apply o/third.sql fleet/0003.db") {
		t.Errorf("what a list permits its target, in a script that can be pasted from:\n%s", held)
	}
	if _, err := os.Stat(filepath.Join(dir, "owned")); err == nil {
		t.Error("a name was run")
	}
	// Shares divide a list: each target is in one of them.
	all := map[string]int{}
	for i := 1; i <= 5; i++ {
		r := run(t, dir, "compare", "dev", "customer-*", "--share", fmt.Sprintf("%d/5", i), "--format", "json")
		write(t, dir, fmt.Sprintf("part%d.json", i), r.out)
		for _, j := range output(t, r).Targets {
			all[j.Target]++
		}
	}
	if len(all) != 12 || slices.ContainsFunc(slices.Collect(func(yield func(int) bool) {
		for _, n := range all {
			if !yield(n) {
				return
			}
		}
	}), func(n int) bool { return n != 1 }) {
		t.Errorf("shares: %v", all)
	}
	if r := run(t, dir, "task", "results", "part1.json", "part2.json", "part3.json", "part4.json", "part5.json"); r.code != 1 || !strings.Contains(r.out, "12 targets: ") || strings.Count(r.out, "way ") < 10 {
		t.Errorf("put together: %d\n%s%s", r.code, r.out, r.errout)
	}
	if r := run(t, dir, "task", "results", "part1.json", "part1.json"); r.code != 2 || !strings.Contains(r.errout, "in two parts") {
		t.Errorf("one part twice: %d %s", r.code, r.errout)
	}
	start := time.Now()
	if r := runWith(t, dir, strings.Repeat("\x00\n", 1000), nil, "compare", "dev", "--targets", "-"); r.code != 2 || time.Since(start) > 20*time.Second || !strings.Contains(r.errout, "is no place") {
		t.Errorf("a list of nothing: %d %s", r.code, r.errout)
	}
}
