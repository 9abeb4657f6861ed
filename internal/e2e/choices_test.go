package e2e

import (
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// TestRandomChoices: of random choices about the differences of random pairs,
// written into a file and read back, exactly what was left remains on both sides,
// once both scripts ran; what needs something that was left is refused, and taken
// along where that is asked for.
func TestRandomChoices(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel()
			runs := *randomRuns
			if e.name != "sqlite" {
				runs /= 4
			}
			p := e.with(t)
			refused := 0
			for i := range runs {
				seed := *randomSeed + uint64(i) + 500
				t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) {
					refused += randomChoices(t, e.engine, p, seed)
				})
			}
			t.Logf("%d of %d were refused at first, because they needed more", refused, runs)
		})
	}
}

// entry is one difference of a file of choices.
type entry struct{ what, choice string }

func entries(text string) (out []entry) {
	for _, l := range strings.Split(text, "\n") {
		if what, ok := strings.CutPrefix(l, "  - what: "); ok {
			out = append(out, entry{what: what})
		}
		if choice, ok := strings.CutPrefix(l, "    choice: "); ok {
			out[len(out)-1].choice = choice
		}
	}
	return out
}

func randomChoices(t *testing.T, engine string, p places, seed uint64) (refused int) {
	r := rand.New(rand.NewPCG(seed, 23))
	old := newSpec(r)
	young := old.mutate(r)
	plain, dir := pen{engine: engine}, t.TempDir()
	source, target := p.make(t, plain.sql(young)), p.make(t, plain.sql(old))
	// A column that comes to the target and one that goes to the source stand in
	// no order that both sides could have.
	order := []string{"--tolerate", "column-order"}
	compare := append([]string{"compare", source, target}, order...)
	if run(t, dir, append(compare, "--choices-out", "c.yaml")...).code == 0 {
		return 0
	}
	text := read(t, filepath.Join(dir, "c.yaml"))
	var lines []string
	for _, l := range strings.Split(text, "\n") {
		if _, ok := strings.CutPrefix(l, "    choice: "); ok {
			l = "    choice: " + []string{"to-target", "to-target", "leave", "to-source"}[r.IntN(4)]
		}
		lines = append(lines, l)
	}
	write(t, dir, "c.yaml", strings.Join(lines, "\n"))
	var left []string
	for _, e := range entries(strings.Join(lines, "\n")) {
		if e.choice == "leave" {
			left = append(left, e.what)
		}
	}
	args := []string{"script", source, target, "--choices", "c.yaml", "-o", "up.sql", "--script-for-source", "src.sql", "--may-lose", "*", "--force"}
	args = append(args, order...)
	res := run(t, dir, args...)
	if res.code == 3 && strings.Contains(res.errout, "--add-needed") {
		refused = 1
		if res = run(t, dir, append(args, "--add-needed")...); res.code == 3 && strings.Contains(res.errout, "--add-needed") {
			return refused // what it needs is not to be had at all
		}
	}
	if res.code != 0 {
		t.Fatalf("exit %d\n%s\n%s", res.code, res.errout, strings.Join(lines, "\n"))
	}
	for _, x := range [][2]string{{target, "up.sql"}, {source, "src.sql"}} {
		if out, err := p.client(x[0], filepath.Join(dir, x[1])); err != nil {
			t.Fatalf("%s\n%s\n%s", out, strings.Join(lines, "\n"), read(t, filepath.Join(dir, x[1])))
		}
	}
	run(t, dir, append(compare, "--choices-out", "after.yaml")...)
	var remain []string
	for _, e := range entries(read(t, filepath.Join(dir, "after.yaml"))) {
		remain = append(remain, e.what)
	}
	for _, w := range remain {
		if !slices.Contains(left, w) {
			t.Errorf("%s still differs, and was not left", w)
		}
	}
	for _, w := range left {
		if refused == 0 && !slices.Contains(remain, w) {
			t.Errorf("%s was left, and does not differ any more", w)
		}
	}
	if t.Failed() {
		t.Logf("%s\n%s\n%s", strings.Join(lines, "\n"), read(t, filepath.Join(dir, "up.sql")), read(t, filepath.Join(dir, "src.sql")))
	}
	return refused
}

// TestNeeds: what a chosen thing cannot do without, and what it would break, is
// listed and refused, and taken along where that is asked for.
func TestNeeds(t *testing.T) {
	t.Parallel()
	for _, e := range engines {
		t.Run(e.name, func(t *testing.T) {
			t.Parallel()
			p, dir := e.with(t), t.TempDir()
			common := "CREATE TABLE berth (id int PRIMARY KEY, depth int%s); CREATE VIEW ids AS SELECT id AS n FROM berth; "
			target := p.make(t, fmt.Sprintf(common, ", beam int")+"CREATE VIEW beams AS SELECT beam AS b FROM berth;")
			source := p.make(t, fmt.Sprintf(common, ", lamp int")+"CREATE TABLE crane (id int PRIMARY KEY, berth_id int); CREATE VIEW cranes AS SELECT c.id AS n, b.lamp AS l FROM crane c, berth b; CREATE VIEW more AS SELECT n FROM cranes;")
			for _, c := range []struct{ choice, refused, along string }{
				{"column:*.beam", "cannot go  column:", "view:*beams, since it stands on column:*beam"},
				{"view:*more", "cannot come  view:", "view:*cranes, since view:*more needs it"},
				{"view:*cranes", "cannot come  view:", "table:*crane, since view:*cranes needs it"},
			} {
				args := []string{"script", source, target, "--to-target", c.choice, "--may-lose", "*"}
				r := want(t, 3, dir, args...)
				if !strings.Contains(r.errout, c.refused) || !strings.Contains(r.errout, "--add-needed") || r.out != "" {
					t.Errorf("%s: it says\n%s", c.choice, r.errout)
				}
				r = want(t, 0, dir, append(args, "--add-needed", "-o", "up.sql", "--force")...)
				if !matches(r.errout, "taken along  "+c.along) {
					t.Errorf("%s: it says\n%s", c.choice, r.errout)
				}
				place := p.make(t, fmt.Sprintf(common, ", beam int")+"CREATE VIEW beams AS SELECT beam AS b FROM berth;")
				if out, err := p.client(place, filepath.Join(dir, "up.sql")); err != nil {
					t.Errorf("%s: %s", c.choice, out)
				}
			}
			// What was left is listed, and nothing else makes compare answer 1.
			all := []string{source, target, "--leave", "*"}
			if j := answers(t, 0, dir, all[0], all[1], all[2:]...); len(j.Differences) < 4 || j.Differences[0].Choice != "leave" {
				t.Errorf("left: %+v", j.Differences)
			}
			answers(t, 1, dir, source, target, "--leave", "view:*", "--leave-target-only")
			if out := want(t, 0, dir, "sync", source, target, "--leave", "*", "--yes").out; !strings.Contains(out, "by choice") {
				t.Errorf("sync says\n%s", out)
			}
			if a, b := answers(t, 1, dir, source, target, "--swap"), answers(t, 1, dir, target, source); len(a.Differences) != len(b.Differences) || a.Counts != b.Counts {
				t.Errorf("swapped: %+v, %+v", a.Counts, b.Counts)
			}
			was := p.dump(t, target)
			want(t, 0, dir, "capture", target, "-o", "same.json")
			out := want(t, 0, dir, "script", "same.json", target, "--remake", "view:*ids", "-o", "again.sql", "--force").errout
			if !strings.Contains(out, "2 steps to run") {
				t.Errorf("remaking: %s", out)
			}
			if out, err := p.client(target, filepath.Join(dir, "again.sql")); err != nil || firstDifference(was, p.dump(t, target)) != "" {
				t.Errorf("made anew it is another: %s", out)
			}
		})
	}
}

// matches tells whether a text has a line like a pattern with stars.
func matches(text, pattern string) bool {
	for _, l := range strings.Split(text, "\n") {
		at, ok := 0, true
		for _, piece := range strings.Split(pattern, "*") {
			i := strings.Index(l[at:], piece)
			ok = ok && i >= 0
			at += max(i, 0) + len(piece)
			if !ok || at > len(l) {
				ok = false
				break
			}
		}
		if ok {
			return true
		}
	}
	return false
}
