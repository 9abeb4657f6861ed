package e2e

import (
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/compare"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/report"
)

// TestRenames: two structures that differ in nothing but names, which are given,
// compare as renames only and are brought in line by renames only, but for the
// texts that the engine keeps as they were written; rows stay where they are, the
// engine's dumps agree, and the way back leads back.
func TestRenames(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel()
			p := e.with(t)
			for _, c := range readPairs(t, filepath.Join("testdata", "renames", e.name+".sql")) {
				t.Run(c.name, func(t *testing.T) { renamed(t, c, p) })
			}
		})
	}
}

func renamed(t *testing.T, c pairCase, p places) {
	dir := t.TempDir()
	live, dev := p.make(t, c.target), p.make(t, c.source)
	var said []string
	for _, s := range c.says {
		said = append(said, "--rename", s)
	}
	more := c.exit != 0 || c.loss // it differs in more than names
	if j := answers(t, 1, dir, dev, live, said...); !more {
		onlyNames(t, j.Differences)
	}
	for _, s := range c.says { // a scope knows both names
		pattern, now, _ := strings.Cut(s, "=")
		if kind, _, _ := strings.Cut(pattern, ":"); kind == "table" {
			a := comparison(t, dir, append([]string{dev, live, "--only", pattern}, said...)...)
			b := comparison(t, dir, append([]string{dev, live, "--only", kind + ":" + now}, said...)...)
			swap := strings.Contains(strings.Join(c.says, " "), ":"+now+"=") // the other name is another table's
			if !swap && a.Counts.Differs != b.Counts.Differs {
				t.Errorf("%s: in scope by one name %+v, by the other %+v", s, a.Counts, b.Counts)
			}
		}
	}
	was := p.dump(t, live)
	args := append([]string{"script", dev, live, "-o", "up.sql", "--backout", "down.sql", "--may-lose", "*"}, said...)
	want(t, 0, dir, args...)
	text := read(t, filepath.Join(dir, "up.sql"))
	for _, l := range strings.Split(text, "\n") {
		title, ok := strings.CutPrefix(l, "-- step ")
		_, title, _ = strings.Cut(title, "  ")
		kept := strings.Contains(title, "view ") || strings.Contains(title, "routine ") || strings.Contains(title, "function ") || strings.Contains(title, "trigger ")
		if ok && !strings.HasPrefix(title, "rename ") && !strings.HasPrefix(title, "change the name ") && !kept && !more {
			t.Errorf("a step is no rename: %s\n%s", title, text)
		}
	}
	for _, s := range c.says {
		if !strings.Contains(unfolded(text), "renamed --rename "+s) && !strings.Contains(unfolded(text), "--rename "+s) {
			t.Errorf("the header does not say --rename %s", s)
		}
	}
	other := p.make(t, c.target)
	if out, err := p.client(live, filepath.Join(dir, "up.sql")); err != nil {
		t.Fatalf("%s\n%s", out, text)
	}
	want(t, 0, dir, "apply", "up.sql", other, "--yes")
	for _, place := range []string{live, other} {
		answers(t, 0, dir, dev, place)
		if d := firstDifference(p.dump(t, dev), p.dump(t, place)); d != "" {
			t.Errorf("the engine's own view differs: %s\n%s", d, text)
		}
		for _, q := range c.keep {
			if p.ask(t, place, q) == "" {
				t.Errorf("no rows: %s", q)
			}
		}
	}
	want(t, 0, dir, "apply", "down.sql", other, "--yes")
	if d := firstDifference(was, p.dump(t, other)); d != "" {
		t.Errorf("the way back leads elsewhere: %s\n%s", d, read(t, filepath.Join(dir, "down.sql")))
	}
	for _, q := range c.keep {
		if p.ask(t, live, q) == "" {
			t.Errorf("no rows: %s", q)
		}
	}
}

// onlyNames sees that nothing but names differs, those given and those of parts
// that are known by what they say.
func onlyNames(t *testing.T, list []report.JSONItem) {
	t.Helper()
	for _, it := range list {
		if it.Status != compare.Differs {
			t.Errorf("%s %s is %s", it.Kind, it.Name, it.Status)
		}
		for _, d := range it.Properties {
			if d.Name != "name" {
				t.Errorf("%s %s differs in %s", it.Kind, it.Name, d.Name)
			}
		}
		onlyNames(t, it.Parts)
	}
}

// newWords are names that nothing has yet.
var newWords = []string{"quay", "lamp", "mooring", "draught", "beam", "ledger", "tariff_code", "stow", "agent", "fender", "hatch", "keel"}

// TestLikelyRenames: random renames, done by the engine itself, are found from
// the result; carrying out what is found ends equal, with every row. Pairs that
// have nothing to do with each other give few.
func TestLikelyRenames(t *testing.T) {
	t.Parallel()
	p, dir := litePlaces{t.TempDir(), new(int)}, t.TempDir()
	renames, found, unrelated, wrong := 0, 0, 0, 0
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 17))
		s := newSpec(r)
		s.views, s.quoted, s.search = nil, nil, nil
		plain := pen{engine: "sqlite"}
		target, source := p.make(t, plain.sql(s)+plain.rows(s)), p.make(t, plain.sql(s))
		var sql, made []string
		words := pick(r, newWords, 5)
		for i, x := range s.tables {
			table, last := plain.name(x.name), x.name
			if c := x.cols[r.IntN(len(x.cols))]; r.IntN(2) == 0 {
				sql = append(sql, fmt.Sprintf("ALTER TABLE %s RENAME COLUMN %s TO %s;", table, plain.name(c.name), words[i]))
				made = append(made, "--rename "+catalog.Ref{Kind: catalog.Table, Name: last, PartKind: catalog.Column, Part: strings.ToLower(c.name)}.String()+"="+words[i])
			}
			if r.IntN(3) == 0 && i < 2 {
				sql = append(sql, fmt.Sprintf("ALTER TABLE %s RENAME TO %s;", table, "the_"+words[4-i]))
				made = append(made, "--rename "+catalog.Ref{Kind: catalog.Table, Name: last}.String()+"=the_"+words[4-i])
			}
		}
		ask(t, source, strings.Join(sql, "\n"))
		options := []string{}
		for _, l := range comparison(t, dir, source, target).Likely {
			options = append(options, l.Option)
			if !slices.Contains(made, l.Option) {
				t.Errorf("seed %d: %s is no rename (%d %%: %v)", seed, l.Option, l.Weight, l.Reasons)
			}
		}
		renames += len(made)
		for _, m := range made {
			if slices.Contains(options, m) {
				found++
			} else {
				t.Logf("seed %d: not found: %s", seed, m)
			}
		}
		if len(made) == 0 || len(options) != len(made) {
			continue
		}
		rows := func(place string) (n int) {
			for _, name := range strings.Fields(ask(t, place, "SELECT quote(name) FROM sqlite_master WHERE type = 'table'")) {
				var k int
				_, _ = fmt.Sscan(ask(t, place, "SELECT count(*) FROM "+sqltext.Always(strings.ReplaceAll(strings.Trim(name, "'"), "''", "'"))), &k)
				n += k
			}
			return n
		}
		args := []string{"sync", source, target, "--yes"}
		for _, o := range options {
			args = append(args, strings.SplitN(o, " ", 2)...)
		}
		before := rows(target)
		want(t, 0, dir, args...)
		if d := firstDifference(p.dump(t, source), p.dump(t, target)); d != "" || rows(target) != before {
			t.Errorf("seed %d: %v ends elsewhere: %s", seed, options, d)
		}
		// Two that have nothing to do with each other.
		a, b := newSpec(rand.New(rand.NewPCG(seed, 18))), newSpec(rand.New(rand.NewPCG(seed, 19)))
		for _, x := range b.tables {
			for i, c := range x.cols {
				c.name = fmt.Sprintf("%s_%d", newWords[(i+int(seed))%len(newWords)], i)
			}
			x.name = "the " + x.name
			x.checks, x.uniques, x.refs, x.indexes, x.trigger = nil, nil, nil, nil, false
		}
		b.views = nil
		list := comparison(t, dir, p.make(t, plain.sql(a)), p.make(t, plain.sql(b))).Likely
		unrelated++
		wrong += len(list)
	}
	t.Logf("%d of %d renames found; %d suggested in %d unrelated pairs", found, renames, wrong, unrelated)
	if found*100 < renames*97 {
		t.Errorf("%d of %d renames found", found, renames)
	}
}

// TestCompareRows: the same values on both sides make a rename likelier, others
// make it less so.
func TestCompareRows(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			p, dir := e.with(t), t.TempDir()
			rows := func(create, mark string) string {
				sql := create
				for i := range 30 {
					sql += fmt.Sprintf("INSERT INTO t VALUES (%d, 'Q%d', '%s%d', %d);\n", i, i, mark, i, i*2)
				}
				return p.make(t, sql)
			}
			target := rows("CREATE TABLE t (id int PRIMARY KEY, flag varchar(9), other varchar(9), tons int);\n", "x")
			source := rows("CREATE TABLE t (id int PRIMARY KEY, registry varchar(9), unlike varchar(9), weight int);\n", "y")
			weights := func(args ...string) map[string]int {
				out := map[string]int{}
				for _, l := range comparison(t, dir, append([]string{source, target}, args...)...).Likely {
					_, what, _ := strings.Cut(l.Option, "t.")
					out[what] = l.Weight
				}
				return out
			}
			plain, asked := weights(), weights("--compare-rows")
			if len(plain) != 3 || asked["flag=registry"] <= plain["flag=registry"] || asked["tons=weight"] <= plain["tons=weight"] || asked["other=unlike"] >= plain["other=unlike"] {
				t.Errorf("without rows %v, with rows %v", plain, asked)
			}
			want(t, 0, dir, "capture", source, "-o", "c.json")
			if r := want(t, 2, dir, "compare", "c.json", target, "--compare-rows"); !strings.Contains(r.errout, "has no rows") {
				t.Errorf("it says %q", r.errout)
			}
		})
	}
}
