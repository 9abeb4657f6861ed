package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/compare"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
)

// pairCase is one pair of structures from a fixture file: sections begin with
// "--- name", a case with "--- case NAME".
type pairCase struct {
	name, about                  string
	common, source, target, rows string
	keep                         []string // queries whose answer must stay
	loss                         bool     // without permission it is held back
	same                         bool     // the two are the same
	oneway                       bool     // no script leads back
	since                        string   // the first major that has what the case is about
	says                         []string // what the script must say
	exit                         int      // of script
	trips                        string   // a statement after which the script must stop
}

func readPairs(t *testing.T, pattern string) []pairCase {
	t.Helper()
	files, err := filepath.Glob(pattern)
	if err != nil || len(files) == 0 {
		t.Fatalf("no fixtures: %s %v", pattern, err)
	}
	var out []pairCase
	for _, f := range files {
		data, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		var into *string
		for _, line := range strings.SplitAfter(string(data), "\n") {
			rest, ok := strings.CutPrefix(line, "--- ")
			if !ok {
				if into != nil {
					*into += line
				}
				continue
			}
			word, text, _ := strings.Cut(strings.TrimSpace(rest), " ")
			if word == "case" {
				out = append(out, pairCase{name: text})
				into = nil
				continue
			}
			c := &out[len(out)-1]
			into = nil
			switch word {
			case "about":
				c.about = text
			case "common":
				into = &c.common
			case "source":
				into = &c.source
			case "target":
				into = &c.target
			case "rows":
				into = &c.rows
			case "keep":
				c.keep = append(c.keep, text)
			case "loss":
				c.loss = true
			case "says":
				c.says = append(c.says, text)
			case "exit":
				if _, err := fmt.Sscan(text, &c.exit); err != nil {
					t.Fatalf("%s: exit %q", f, text)
				}
			case "trips":
				c.trips = text
			case "since":
				c.since = text
			case "oneway":
				c.oneway = true
			case "same":
				c.same = true
			default:
				t.Fatalf("%s: unknown section %q", f, word)
			}
		}
	}
	return out
}

// places is one engine under test: how databases are made, asked and dumped.
type places interface {
	make(t testing.TB, sql string) string // answers what the program is given
	ask(t testing.TB, place, query string) string
	client(place, file string) (string, error) // runs a script in the engine's own client
	dump(t testing.TB, place string) []string
}

type litePlaces struct {
	dir string
	n   *int
}

func (l litePlaces) make(t testing.TB, sql string) string {
	*l.n++
	return lite(t, l.dir, fmt.Sprintf("d%d.db", *l.n), sql)
}
func (l litePlaces) ask(t testing.TB, place, query string) string { return ask(t, place, query) }
func (l litePlaces) client(place, file string) (string, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return "", err
	}
	out, err := tryCommand(string(text), "sqlite3", "-bail", place)
	if err == nil && strings.Contains(strings.ToLower(out), "error") {
		err = fmt.Errorf("the client printed an error")
	}
	return out, err
}
func (l litePlaces) dump(t testing.TB, place string) []string { return witness(t, place) }

type pgPlaces struct{ s *server }

func (p pgPlaces) make(t testing.TB, sql string) string { return p.s.url(p.s.database(t, sql)) }
func (p pgPlaces) name(place string) string {
	name, _, _ := strings.Cut(strings.TrimPrefix(place, "postgres://postgres@/"), "?")
	return name
}
func (p pgPlaces) ask(t testing.TB, place, query string) string {
	return p.s.psql(t, p.name(place), query)
}
func (p pgPlaces) client(place, file string) (string, error) {
	return tryCommand("", filepath.Join(p.s.clients, "psql"), "-X", "-q", "-v", "ON_ERROR_STOP=1", "-h", p.s.dir, "-U", "postgres", "-d", p.name(place), "-f", file)
}
func (p pgPlaces) dump(t testing.TB, place string) []string { return p.s.dump(t, p.name(place)) }

func TestPairsSQLite(t *testing.T) {
	t.Parallel()
	n := 0
	eachPair(t, "testdata/sqlite/*.sql", litePlaces{t.TempDir(), &n})
}

func TestPairsPostgres(t *testing.T) {
	t.Parallel()
	eachPair(t, "testdata/postgres/harbour*.sql", pgPlaces{postgres(t)})
}

func eachPair(t *testing.T, pattern string, p places) {
	for _, c := range readPairs(t, pattern) {
		if c.since > "15" {
			continue // the matrix has servers for it
		}
		t.Run(c.name, func(t *testing.T) { pair(t, c, p) })
	}
}

// answers compares two places in text, closely, and for programs, and fails
// unless all give one answer: exit code, likeness, and the same things listed.
func answers(t testing.TB, code int, dir, source, target string, flags ...string) report.JSONComparison {
	t.Helper()
	args := append([]string{"compare", source, target}, flags...)
	text, close := want(t, code, dir, args...), want(t, code, dir, append(args, "--detail")...)
	var o report.Output
	if err := json.Unmarshal([]byte(want(t, code, dir, append(args, "--format", "json")...).out), &o); err != nil || len(o.Comparisons) != 1 {
		t.Fatalf("no JSON: %v", err)
	}
	j := o.Comparisons[0]
	alike := fmt.Sprintf("alike    %.1f %%\n", j.Similarity)
	if j.Similarity == 100 {
		alike = "alike    100 %\n"
	}
	var listed, wanted []string
	for _, l := range strings.Split(text.out, "\n") {
		if len(l) > 4 && strings.HasPrefix(l, "  ") && strings.ContainsRune("~+-", rune(l[2])) && l[3] == ' ' {
			listed = append(listed, l[2:3])
		}
	}
	for _, d := range j.Differences {
		wanted = append(wanted, map[compare.Status]string{compare.Differs: "~", compare.SourceOnly: "+", compare.TargetOnly: "-"}[d.Status])
	}
	sections := 0
	for _, l := range strings.Split(close.out, "\n") {
		if len(l) > 2 && strings.ContainsRune("~+-", rune(l[0])) && strings.Contains(l, " ··") {
			sections++
		}
	}
	if !slices.Equal(listed, wanted) || sections != len(wanted) || !strings.Contains(text.out, alike) || !strings.HasPrefix(close.out, text.out) {
		t.Fatalf("text, detail and JSON do not give one answer: %v, %d, %v, %v\n%s\n%s", listed, sections, wanted, j.Similarity, text.out, close.out)
	}
	if code == 1 && len(flags) == 0 {
		unseen(t, dir, source, target)
	}
	return j
}

// unseen: what was left unread because nothing wants it makes no difference to
// a script. With a scope, which here leaves nothing out, all is read.
func unseen(t testing.TB, dir, source, target string) {
	t.Helper()
	var all [2][]string
	var codes [2]int
	for i, more := range [][]string{nil, {"--except", "table:such a table is nowhere"}} {
		r := run(t, dir, append([]string{"script", source, target, "--may-lose", "*", "--row-checks", "off"}, more...)...)
		codes[i] = r.code
		for _, l := range strings.SplitAfter(r.out, "\n") {
			if !strings.HasPrefix(l, "-- scope") && !strings.HasPrefix(l, "-- @") && !strings.HasPrefix(l, "--             table:such a table") {
				all[i] = append(all[i], l)
			}
		}
		if s, err := script.Read(r.out); err == nil {
			for _, f := range s.Fits {
				all[i] = append(all[i], fmt.Sprint(f))
			}
		}
	}
	if d := firstDifference(all[0], all[1]); codes[0] != codes[1] || d != "" {
		t.Fatalf("a script that leaves things unread differs: exit %v: %s", codes, d)
	}
}

// pair checks the promises on one pair: compare sees it, a script without
// permission loses nothing, the script through the engine's own client and
// through apply ends like the source, and comparing again finds nothing.
func pair(t *testing.T, c pairCase, p places) {
	dir := t.TempDir()
	source := p.make(t, c.common+"\n"+c.source)
	targetSQL := c.common + "\n" + c.target + "\n" + c.rows
	target := p.make(t, targetSQL)
	if c.same {
		answers(t, 0, dir, source, target)
		answers(t, 0, dir, target, source)
		return
	}
	answers(t, 1, dir, source, target)
	keep := func(place string) []string {
		var out []string
		for _, q := range c.keep {
			out = append(out, p.ask(t, place, q))
		}
		return out
	}
	before := keep(target)

	// Nothing is lost unless it was allowed.
	code := 0
	if c.loss {
		code = 3
	}
	want(t, code, dir, "script", source, target, "-o", "held.sql", "--row-checks", "off")
	if c.loss {
		other := p.make(t, targetSQL)
		if out, err := p.client(other, filepath.Join(dir, "held.sql")); err != nil {
			t.Fatalf("the held-back script fails: %v\n%s\n%s", err, out, read(t, filepath.Join(dir, "held.sql")))
		}
		if d := firstDifference(before, keep(other)); d != "" {
			t.Fatalf("something was lost without permission:\n%s", d)
		}
	}

	// Through the engine's own client, from a capture on both sides.
	want(t, 0, dir, "capture", source, "-o", "source.json")
	want(t, 0, dir, "capture", target, "-o", "target.json")
	want(t, 0, dir, "script", "source.json", "target.json", "--may-lose", "*", "-o", "captured.sql")
	want(t, 0, dir, "script", source, target, "--may-lose", "*", "-o", "bare.sql", "--row-checks", "off")
	want(t, 0, dir, "script", source, target, "--may-lose", "*", "-o", "up.sql")
	if a, b := body(read(t, filepath.Join(dir, "captured.sql"))), body(read(t, filepath.Join(dir, "bare.sql"))); a != b {
		t.Fatalf("from captures another script is written:\n%s", firstDifference(strings.Split(a, "\n"), strings.Split(b, "\n")))
	}
	byApply := p.make(t, targetSQL)
	script := filepath.Join(dir, "up.sql")
	for _, says := range c.says {
		if !strings.Contains(unfolded(read(t, script)), says) {
			t.Errorf("the script does not say %q:\n%s", says, read(t, script))
		}
	}
	if out, err := p.client(target, script); err != nil {
		t.Fatalf("the script fails in the client: %v\n%s\n%s", err, out, read(t, script))
	}
	want(t, 0, dir, "apply", "up.sql", byApply, "--yes")
	for _, place := range []string{target, byApply} {
		if d := firstDifference(p.dump(t, source), p.dump(t, place)); d != "" {
			t.Fatalf("the engine's own view differs after the script:\n%s\n%s", d, read(t, script))
		}
		answers(t, 0, dir, source, place)
		for i, q := range c.keep {
			if strings.HasPrefix(q, "/* held */") {
				continue
			}
			if after := p.ask(t, place, q); after != before[i] {
				t.Fatalf("%s: was %q, is %q", q, before[i], after)
			}
		}
	}
	// Once more: there is nothing left to do, and apply says so.
	want(t, 0, dir, "apply", "up.sql", byApply, "--yes")
	thereAndBack(t, c, p, dir, source, targetSQL)
}

// thereAndBack goes the way that keeps others working, and the way back.
func thereAndBack(t *testing.T, c pairCase, p places, dir, source, targetSQL string) {
	place := p.make(t, targetSQL)
	was := p.dump(t, place)
	args := []string{"script", source, place, "--may-lose", "*", "-o", "gentle.sql", "--avoid-blocking", "--backout", "down.sql"}
	if _, ok := p.(litePlaces); ok { // the others are rehearsed elsewhere: each starts a server
		args = append(args, "--rehearse")
		if len(c.name)%2 == 0 { // the others on what the script can meet alone
			args = append(args, "--copy-rows", "100")
		}
	}
	want(t, 0, dir, args...)
	want(t, 0, dir, "apply", "gentle.sql", place, "--yes")
	if d := firstDifference(p.dump(t, source), p.dump(t, place)); d != "" {
		t.Fatalf("the gentle way ends elsewhere:\n%s\n%s", d, read(t, filepath.Join(dir, "gentle.sql")))
	}
	if c.oneway {
		return
	}
	want(t, 0, dir, "apply", "down.sql", place, "--yes")
	if d := firstDifference(was, p.dump(t, place)); d != "" {
		t.Fatalf("the way back leads elsewhere:\n%s\n%s", d, read(t, filepath.Join(dir, "down.sql")))
	}
}

// body is a script without its header and footer, which name the places.
func body(s string) string {
	_, s, _ = strings.Cut(s, "\n\n")
	s, _, _ = strings.Cut(s, "\n-- @dapper-mirror ")
	return s
}

// comparison is the JSON answer of compare, whatever its exit code.
func comparison(t testing.TB, dir string, args ...string) report.JSONComparison {
	t.Helper()
	var o report.Output
	out := run(t, dir, append([]string{"compare", "--format", "json"}, args...)...).out
	if err := json.Unmarshal([]byte(out), &o); err != nil || len(o.Comparisons) != 1 {
		t.Fatalf("compare %v: no JSON: %v\n%s", args, err, out)
	}
	return o.Comparisons[0]
}
