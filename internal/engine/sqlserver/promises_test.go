package sqlserver

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"dappermirror/internal/core/capture"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/choose"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/engine/sqlserver/vocab"
	"dappermirror/internal/standin/tsql"
)

// sample is one of the changes that the tests of the built program carry out.
type sample struct {
	name, was, now string
	held           bool // the rows do not let it run
}

var heads = regexp.MustCompile(`(?m)^(===|---) ?(.*)\n`)

func pairsOf(t testing.TB) []sample {
	t.Helper()
	text, err := os.ReadFile(filepath.Join("..", "..", "e2e", "testdata", "sqlserver", "pairs.sql"))
	if err != nil {
		t.Fatal(err)
	}
	var out []sample
	marks := heads.FindAllSubmatchIndex(text, -1)
	for i, m := range marks {
		end := len(text)
		if i+1 < len(marks) {
			end = marks[i+1][0]
		}
		body, head := string(text[m[1]:end]), string(text[m[4]:m[5]])
		switch {
		case string(text[m[2]:m[3]]) == "===":
			name, how, _ := strings.Cut(head, " | ")
			out = append(out, sample{name: name, was: body, held: how == "held"})
		case head == "to":
			out[len(out)-1].now = body
		}
	}
	if len(out) < 60 {
		t.Fatalf("only %d samples", len(out))
	}
	return out
}

// differences are what a comparison finds, in words.
func differences(a, b *catalog.Catalog) []string {
	var out []string
	for _, it := range compare.Compare(a, b, compare.Options{}).Items {
		if it.Status == compare.Same {
			continue
		}
		line := fmt.Sprint(it.Object().Ref(), " ", it.Status)
		for _, d := range it.Properties {
			line += " " + d.Name
		}
		for _, p := range it.Changed() {
			line += fmt.Sprint(" ", p.Kind(), " ", p.Status)
		}
		out = append(out, line)
	}
	return out
}

// TestSamplesInEveryForm: a structure says the same of itself, as a capture, as what is
// laid out for people, and read once more.
func TestSamplesInEveryForm(t *testing.T) {
	for _, s := range pairsOf(t) {
		inEveryForm(t, s.name, s.was)
		inEveryForm(t, s.name, s.now)
	}
}

// TestIdioms: what people write is read, however little of it is worked out here.
func TestIdioms(t *testing.T) {
	for _, text := range idioms(t) {
		inEveryForm(t, text[strings.LastIndexByte(text[:len(text)-1], '\n')+1:], text)
	}
}

// idioms are the batches of the file, each behind its tables.
func idioms(t testing.TB) []string {
	t.Helper()
	data, err := os.ReadFile("testdata/idioms.sql")
	if err != nil {
		t.Fatal(err)
	}
	tables, list, _ := strings.Cut(string(data), "\n\n")
	var out []string
	for line := range strings.Lines(list) {
		out = append(out, tables+"\nGO\n"+line)
	}
	return out
}

func inEveryForm(t *testing.T, name, text string) {
	t.Helper()
	c, err := textOf(t, text)
	if err != nil {
		t.Errorf("%s: %v", name, err)
		return
	}
	again, err := textOf(t, text)
	if err != nil {
		t.Fatal(err)
	}
	if d := differences(c, again); len(d) > 0 {
		t.Errorf("%s: read twice it differs: %s", name, d)
	}
	var kept bytes.Buffer
	if err := capture.Encode(&kept, c); err != nil {
		t.Fatal(err)
	}
	back, err := capture.Decode(bytes.NewReader(kept.Bytes()))
	if err != nil {
		t.Fatalf("%s: the capture cannot be read: %v", name, err)
	}
	if d := differences(c, back); len(d) > 0 {
		t.Errorf("%s: its capture differs: %s", name, d)
	}
	var all []string
	for _, o := range c.Objects {
		all = append(all, Engine{}.Definition(o))
	}
	laid, err := textOf(t, strings.Join(all, "\nGO\n"))
	if err != nil {
		t.Errorf("%s: what is laid out cannot be read: %v\n%s", name, err, strings.Join(all, "\nGO\n"))
		return
	}
	if d := differences(c, laid); len(d) > 0 {
		t.Errorf("%s: what is laid out says something else: %s\n%s", name, d, strings.Join(all, "\nGO\n"))
	}
}

// build is the plan from one structure to another, everything allowed.
func build(t *testing.T, from, to *catalog.Catalog, opt engine.WriteOptions) *order.Plan {
	t.Helper()
	p, err := order.Build(choose.All(compare.Compare(to, from, compare.Options{})), Engine{}.Writer(opt), func(order.Risk) bool { return true })
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// TestSamplesInSteps: every statement is one closed batch that the language has, locks
// what it says, and twice the same; both ways, and gently.
func TestSamplesInSteps(t *testing.T) {
	steps, guards := 0, 0
	for _, s := range pairsOf(t) {
		was, err := textOf(t, s.was)
		if err != nil {
			t.Fatal(err)
		}
		now, err := textOf(t, s.now)
		if err != nil {
			t.Fatal(err)
		}
		for _, way := range []struct {
			name     string
			from, to *catalog.Catalog
			opt      engine.WriteOptions
		}{{"there", was, now, engine.WriteOptions{}}, {"back", now, was, engine.WriteOptions{}}, {"gently", was, now, engine.WriteOptions{AvoidBlocking: true}}} {
			p := build(t, way.from, way.to, way.opt)
			var once []string
			for _, step := range p.Steps {
				steps++
				if strings.TrimSpace(step.Title) == "" {
					t.Errorf("%s, %s: a title is %q", s.name, way.name, step.Title)
				}
				for _, l := range step.Locks {
					if l.Mode != "Sch-M" && l.Mode != "S" && l.Mode != "Sch-S" && l.Mode != "X" {
						t.Errorf("%s, %s: %s locks %s in mode %q", s.name, way.name, step.Title, l.On, l.Mode)
					}
					if way.from.Find(l.On) == nil {
						t.Errorf("%s, %s: %s locks %s, which is not there", s.name, way.name, step.Title, l.On)
					}
				}
				list := step.Statements()
				for _, r := range step.Risks {
					if r.Text == "" {
						t.Errorf("%s, %s: a risk of %s says nothing", s.name, way.name, step.Title)
					}
					if r.Ask == nil {
						continue
					}
					list = append(append(list, r.Ask.Locks...), r.Ask.Guard...)
					guards += len(r.Ask.Guard)
					for _, q := range []string{r.Ask.Count, r.Ask.List, r.Ask.Total, r.Ask.Probe} {
						if q == "" {
							continue
						}
						if _, err := tsql.Batch(q); err != nil {
							t.Errorf("%s, %s: a question of %s: %v\n%s", s.name, way.name, step.Title, err, q)
						}
					}
				}
				for _, sql := range list {
					if err := sqltext.Closed(vocab.Dialect, sql); err != nil {
						t.Errorf("%s, %s: %v\n%s", s.name, way.name, err, sql)
					}
					if _, err := tsql.Batch(strings.TrimSuffix(sql, "\nGO")); err != nil {
						t.Errorf("%s, %s: %v\n%s", s.name, way.name, err, sql)
					}
				}
				once = append(once, list...)
			}
			var twice []string
			for _, step := range build(t, way.from, way.to, way.opt).Steps {
				twice = append(twice, step.Statements()...)
				for _, r := range step.Risks {
					if r.Ask != nil {
						twice = append(append(twice, r.Ask.Locks...), r.Ask.Guard...)
					}
				}
			}
			if !slices.Equal(once, twice) {
				t.Errorf("%s, %s: two plans differ:\n%s\n\n%s", s.name, way.name, strings.Join(once, "\n"), strings.Join(twice, "\n"))
			}
		}
	}
	if steps < 300 || guards < 20 {
		t.Errorf("%d steps and %d guards were looked at", steps, guards)
	}
}

// TestSamplesOneByOne: whatever of a change is left out, what is done runs, and exactly
// what was left out remains.
func TestSamplesOneByOne(t *testing.T) {
	for _, s := range pairsOf(t) {
		was, err := textOf(t, s.was)
		if err != nil {
			t.Fatal(err)
		}
		now, err := textOf(t, s.now)
		if err != nil {
			t.Fatal(err)
		}
		p := build(t, was, now, engine.WriteOptions{})
		if s.held {
			continue
		}
		d, _ := empty(t)
		if err := loaded(t, d, false, []engine.TextFile{{Name: "was.sql", Reader: strings.NewReader(s.was)}}); err != nil {
			t.Fatalf("%s: %v", s.name, err)
		}
		failed := false
		for _, step := range p.Steps {
			for _, sql := range step.Statements() {
				if err := d.Exec(t.Context(), strings.TrimSuffix(sql, "\nGO")); err != nil {
					t.Errorf("%s: %s: %v\n%s", s.name, step.Title, err, sql)
					failed = true
				}
			}
		}
		if failed {
			continue
		}
		c, err := d.Read(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		held := map[catalog.Ref]bool{}
		for _, h := range p.Held {
			held[h.About.Object()] = true
		}
		for _, line := range differences(now, c) {
			if !slices.ContainsFunc(slices.Collect(keys(held)), func(r catalog.Ref) bool { return strings.HasPrefix(line, r.String()) }) {
				t.Errorf("%s: left is %s", s.name, line)
			}
		}
	}
}

func keys(m map[catalog.Ref]bool) func(func(catalog.Ref) bool) {
	return func(yield func(catalog.Ref) bool) {
		for r := range m {
			if !yield(r) {
				return
			}
		}
	}
}

// TestBentIdioms: batches of which a token went, came twice or came from another one end in
// a structure or in an error that says where; nothing of the program's own gives way.
func TestBentIdioms(t *testing.T) {
	list := idioms(t)
	random := rand.New(rand.NewPCG(5, 11))
	tables := list[0][:strings.Index(list[0], "\nGO\n")+4]
	tokens := make([][]sqltext.Token, len(list))
	for i, text := range list {
		tokens[i] = sqltext.Lex(vocab.Dialect, text[len(tables):])
	}
	for range bends {
		from, other := tokens[random.IntN(len(list))], tokens[random.IntN(len(list))]
		at, there := random.IntN(len(from)), random.IntN(len(other))
		var bent []sqltext.Token
		switch random.IntN(4) {
		case 0:
			bent = slices.Concat(from[:at], from[at+1:])
		case 1:
			bent = slices.Concat(from[:at], from[at:at+1], from[at:])
		case 2:
			bent = slices.Concat(from[:at], other[there:there+1], from[at+1:])
		default:
			bent = slices.Concat(from[:at], other[there:])
		}
		text := tables
		for _, tok := range bent {
			text += tok.Text
		}
		if _, err := textOf(t, text); err != nil && !strings.Contains(err.Error(), ".sql:") {
			t.Errorf("%s: it is not said where: %v", text[len(tables):], err)
		}
	}
}

// bends is how many batches are bent.
const bends = 2000

// FuzzText: whatever a text says, reading it ends, with a structure whose definitions
// make it again, or with an error that says where.
func FuzzText(f *testing.F) {
	for _, s := range pairsOf(f) {
		f.Add(s.was)
		f.Add(s.now)
	}
	for _, s := range idioms(f) {
		f.Add(s)
	}
	for _, odd := range []string{"", "GO", "GO 5\n", "\x00", "CREATE", "CREATE TABLE", "CREATE TABLE a", "CREATE TABLE a (", "/* ", "'", "[", "SELECT 1\nGO\nGO\n", "IF", "BEGIN", "CREATE VIEW v AS", "EXEC sp_rename", "WHILE 1 = 1 SELECT 1", "USE x", "CREATE PROCEDURE p AS\nGO", ";;;;", ":r file.sql", "$(x)",
		"CREATE TABLE a (a AS a)", "CREATE TABLE a (a int CHECK (dbo.f(a) > 0))", "DECLARE @a int WHILE @a < 3 SET @a = @a", "CREATE TYPE t FROM t", "CREATE SYNONYM s FOR s", "CREATE VIEW v AS SELECT * FROM v"} {
		f.Add(odd)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 4000 {
			return
		}
		begun := time.Now()
		c, err := textOf(t, text)
		if took := time.Since(begun); took > 20*time.Second {
			t.Fatalf("it took %s", took)
		}
		if err != nil {
			if !strings.Contains(err.Error(), ".sql:") && !strings.HasPrefix(err.Error(), "several databases") {
				t.Fatalf("it is not said where: %v", err)
			}
			return
		}
		var all []string
		for _, o := range c.Objects {
			all = append(all, Engine{}.Definition(o))
		}
		again, err := textOf(t, strings.Join(all, "\nGO\n"))
		if err != nil {
			t.Fatalf("what is laid out cannot be read: %v\n%s", err, strings.Join(all, "\nGO\n"))
		}
		if d := differences(c, again); len(d) > 0 {
			t.Fatalf("what is laid out says something else: %s\n%s", d, strings.Join(all, "\nGO\n"))
		}
	})
}
