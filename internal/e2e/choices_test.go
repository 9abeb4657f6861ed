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
					refused += randomChoices(t, map[string]string{"mariadb": "mysql"}[e.name]+strings.TrimPrefix(e.name, "mariadb"), p, seed)
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
