package e2e

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"dappermirror/internal/report"
)

// lockRanks are PostgreSQL's lock modes, as pg_locks and as a script calls
// them, the weakest first.
var lockRanks = []string{"", "RowExclusiveLock ROW EXCLUSIVE", "ShareUpdateExclusiveLock SHARE UPDATE EXCLUSIVE", "ShareLock SHARE", "ShareRowExclusiveLock SHARE ROW EXCLUSIVE",
	"ExclusiveLock EXCLUSIVE", "AccessExclusiveLock ACCESS EXCLUSIVE"}

func lockRank(word string, held bool) int {
	return max(0, slices.IndexFunc(lockRanks, func(r string) bool {
		engine, ours, _ := strings.Cut(r, " ")
		return held && engine == word || !held && ours == word
	}))
}

// TestStatedLocks holds the locks that steps are said to take against those
// that the server says they hold.
func TestStatedLocks(t *testing.T) {
	t.Parallel()
	p := pgPlaces{postgres(t)}
	dir := t.TempDir()
	for _, c := range readPairs(t, "testdata/postgres/harbour.sql") {
		source, target := p.make(t, c.common+c.source), p.make(t, c.common+c.target+c.rows)
		r := run(t, dir, "script", source, target, "--format", "json", "--may-lose", "*", "--row-checks", "off", "--include", "owners,grants")
		var answer struct{ Script *report.JSONScript }
		if err := json.Unmarshal([]byte(r.out), &answer); err != nil || answer.Script == nil {
			continue // the pair is about something else
		}
		doc := answer.Script
		var sql strings.Builder
		sql.WriteString("SELECT pg_catalog.set_config('search_path', '', false); SET check_function_bodies = off;\n")
		for _, s := range doc.Steps {
			fmt.Fprintf(&sql, `SELECT 'step', %d;
SELECT 'is', coalesce(i.indrelid, c.oid), c.oid, replace(n.nspname || '.' || tc.relname, chr(10), ' '),
 (SELECT string_agg(inhparent::regclass::text, ' ') FROM pg_catalog.pg_inherits WHERE inhrelid = tc.oid) FROM pg_catalog.pg_class c LEFT JOIN pg_catalog.pg_index i ON i.indexrelid = c.oid
 JOIN pg_catalog.pg_class tc ON tc.oid = coalesce(i.indrelid, c.oid) JOIN pg_catalog.pg_namespace n ON n.oid = tc.relnamespace WHERE tc.oid >= 16384 AND tc.relkind IN ('r', 'p', 'm', 'v', 'f') AND n.nspname !~ '^pg_';
BEGIN;
%s
SELECT 'lock', relation, mode FROM pg_catalog.pg_locks WHERE pid = pg_backend_pid() AND locktype = 'relation' AND granted AND relation >= 16384;
COMMIT;
`, s.Number, strings.Join(s.SQL, "\n"))
		}
		if strings.Contains(sql.String(), "ON COMMIT DROP") {
			continue
		}
		held := map[int]map[string]int{}
		names, there := map[string]string{}, map[string]bool{} // by object identifier
		parents := map[string]string{}
		step := 0
		for _, line := range strings.Split(p.s.psql(t, p.name(target), sql.String()), "\n") {
			switch f := strings.Split(line, "|"); f[0] {
			case "step":
				_, _ = fmt.Sscan(f[1], &step)
				held[step] = map[string]int{}
			case "is":
				if step == 1 { // what the script makes itself nobody waits for
					there[f[1]] = true
				}
				if there[f[1]] {
					names[f[2]], parents[f[3]] = f[3], f[4]
				}
			case "lock":
				if n := names[f[1]]; n != "" {
					held[step][n] = max(held[step][n], lockRank(f[2], true))
				}
			}
		}
		for _, s := range doc.Steps {
			stated := map[string]int{}
			for _, l := range s.Locks {
				stated[strings.ReplaceAll(l.On.Schema+"."+l.On.Name, "\n", " ")] = lockRank(l.Mode, false)
			}
			children := map[string]int{} // by what their parent's lock is, as it is taken on them too
			for _, l := range s.Locks {
				if l.Children > 0 {
					children[l.On.Schema+"."+l.On.Name] = lockRank(l.Mode, false)
				}
			}
			for n, is := range held[s.Number] {
				if up := children[parents[n]]; up > 0 && stated[n] == 0 {
					stated[n] = up
				}
				if is > 0 && stated[n] != is {
					t.Errorf("%s, step %d (%s): it is said to take %q on %s, and holds %q\n%s", c.name, s.Number, s.Title, lockRanks[stated[n]], n, lockRanks[is], strings.Join(s.SQL, "\n"))
				}
			}
			for n, says := range stated {
				if held[s.Number][n] == 0 {
					t.Errorf("%s, step %d (%s): it is said to take %q on %s, and holds nothing\n%s", c.name, s.Number, s.Title, lockRanks[says], n, strings.Join(s.SQL, "\n"))
				}
			}
		}
	}
}
