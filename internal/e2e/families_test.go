package e2e

import (
	"fmt"
	"math/rand"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// family makes up a partitioned table: ranges that may leave gaps, some of them
// partitioned themselves, with or without a partition for the rest, an index, a
// check, and a trigger that lets nobody change a row.
func family(r *rand.Rand) string {
	var b strings.Builder
	fmt.Fprintf(&b, "CREATE TABLE call (id %s NOT NULL, k int, note text DEFAULT 'd', PRIMARY KEY (id)) PARTITION BY RANGE (id);\n", []string{"int", "int", "bigint"}[r.Intn(3)])
	cuts := []int{0, 100}
	for range r.Intn(5) {
		if c := 5 + 5*r.Intn(18); !slices.Contains(cuts, c) {
			cuts = append(cuts, c)
		}
	}
	slices.Sort(cuts)
	gap := r.Intn(3 * len(cuts))
	for i := range cuts[1:] {
		lo, hi := cuts[i], cuts[i+1]
		if i == gap && len(cuts) > 2 {
			continue
		}
		name := fmt.Sprintf("from_%d", lo)
		if r.Intn(3) == 0 {
			name = fmt.Sprintf("up_to_%d", hi)
		}
		fmt.Fprintf(&b, "CREATE TABLE %s PARTITION OF call FOR VALUES FROM (%d) TO (%d)", name, lo, hi)
		if r.Intn(4) == 0 {
			fmt.Fprintf(&b, " PARTITION BY RANGE (id);\nCREATE TABLE %[1]s_a PARTITION OF %[1]s FOR VALUES FROM (%[2]d) TO (%[3]d);\nCREATE TABLE %[1]s_b PARTITION OF %[1]s FOR VALUES FROM (%[3]d) TO (%[4]d)", name, lo, (lo+hi)/2, hi)
		}
		b.WriteString(";\n")
	}
	for _, s := range []string{"CREATE TABLE the_rest PARTITION OF call DEFAULT;\n", "CREATE INDEX by_k ON call (k);\n", "ALTER TABLE call ADD CONSTRAINT given CHECK (id >= 0);\n",
		"CREATE FUNCTION seen() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RAISE EXCEPTION ''seen''; END'; CREATE TRIGGER seen BEFORE UPDATE OR DELETE ON call FOR EACH ROW EXECUTE FUNCTION seen();\n"} {
		if r.Intn(2) == 0 {
			b.WriteString(s)
		}
	}
	return b.String()
}

// TestRandomFamilies leads from one partitioning to another over rows: what is
// not permitted to go stays, and with permission every row that the new
// partitions take is there.
func TestRandomFamilies(t *testing.T) {
	t.Parallel()
	p := pgPlaces{postgres(t)}
	for n := range *randomRuns / 3 {
		seed := int64(*randomSeed) + int64(n)
		r := rand.New(rand.NewSource(seed))
		now, was := family(r), family(r)
		var rows strings.Builder
		for range 12 {
			fmt.Fprintf(&rows, "DO $$ BEGIN INSERT INTO call (id, k) VALUES (%d, %d) ON CONFLICT DO NOTHING; EXCEPTION WHEN check_violation THEN NULL; END $$;\n", r.Intn(100), r.Intn(7))
		}
		source, target := p.make(t, now), p.make(t, was+rows.String())
		dir := t.TempDir()
		file := filepath.Join(dir, "up.sql")
		ids := strings.Fields(p.ask(t, target, "SELECT id FROM call"))
		args := []string{"script", source, target, "-o", file}
		if n%2 == 1 {
			args = append(args, "--may-lose", "*")
		}
		res := run(t, dir, args...)
		if res.code != 0 && res.code != 3 {
			t.Errorf("seed %d: %s\n%s\n%s", seed, res.errout, now, was)
			continue
		}
		if out, err := p.client(target, file); err != nil {
			t.Errorf("seed %d: the script fails: %s\n%s\n%s", seed, out, now, was)
			continue
		}
		want, least := len(ids), len(ids)
		if res.code == 0 {
			if again := run(t, dir, "compare", source, target); again.code != 0 {
				t.Errorf("seed %d: afterwards: %s", seed, again.out)
			}
			want = 0
			for _, id := range ids {
				if _, err := p.try(source, "INSERT INTO call (id) VALUES ("+id+")"); err == nil {
					want++
				}
			}
			// What goes by permission does not fall to a partition for the rest
			// that stays.
			_, _ = fmt.Sscan(p.ask(t, source, "SELECT count(*) FROM call WHERE tableoid::regclass::text <> 'the_rest'"), &least)
		}
		got := -1
		_, _ = fmt.Sscan(p.ask(t, target, "SELECT count(*) FROM call"), &got)
		if permitted := n%2 == 1; !(permitted && res.code == 3) && (got > want || got < want && !(permitted && got >= least)) {
			t.Errorf("seed %d: %d rows of %d are there, %d have a place\n%s\n%s", seed, got, len(ids), want, now, was)
		}
	}
}

// try runs a statement that may fail.
func (p pgPlaces) try(place, sql string) (string, error) {
	return tryCommand(sql, filepath.Join(p.s.clients, "psql"), "-X", "-q", "-At", "-v", "ON_ERROR_STOP=1", "-h", p.s.dir, "-U", "postgres", "-d", p.name(place), "-f", "-")
}
