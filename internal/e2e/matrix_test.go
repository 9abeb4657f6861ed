package e2e

import (
	"flag"
	"path/filepath"
	"strings"
	"testing"
)

var matrix = flag.String("matrix", "", "the folder with the server programs of other majors (scripts/get-postgres-majors)")

// TestMatrix runs the pairs on servers of every major that was fetched, and
// compares one structure on each with Debian's server.
func TestMatrix(t *testing.T) {
	if *matrix == "" {
		t.Skip("run by make test-matrix, which fetches servers of other majors")
	}
	found, err := filepath.Glob(filepath.Join(*matrix, "*", "package", "native", "bin"))
	if err != nil || len(found) == 0 {
		t.Fatalf("no servers under %s: %v", *matrix, err)
	}
	dir := t.TempDir()
	structure := read(t, "testdata/postgres/majors.sql")
	here := pgPlaces{postgres(t)}.make(t, structure)
	for _, bin := range found {
		major, _, _ := strings.Cut(strings.TrimPrefix(bin, *matrix+"/"), "/")
		t.Run(major, func(t *testing.T) {
			s := &server{bin: bin}
			if err := s.start(); err != nil {
				t.Fatal(err)
			}
			p := pgPlaces{s}
			there := p.make(t, structure)
			want(t, 0, dir, "compare", here, there)
			want(t, 0, dir, "compare", there, here)
			want(t, 0, dir, "capture", there, "-o", major+".json")
			want(t, 0, dir, "compare", major+".json", here)
			// Everything into an empty database, and nothing over everything.
			empty := p.make(t, "")
			want(t, 0, dir, "sync", there, empty, "--yes")
			want(t, 0, dir, "compare", there, empty)
			want(t, 0, dir, "sync", p.make(t, ""), empty, "--may-lose", "*", "--yes")
			want(t, 0, dir, "compare", p.make(t, ""), empty)
			var q places = p
			if major > "15" {
				q = undumped{p} // Debian's pg_dump is too old for it
			}
			for _, c := range readPairs(t, "testdata/postgres/harbour*.sql") {
				if c.since > major {
					continue
				}
				t.Run(c.name, func(t *testing.T) { pair(t, c, q) })
			}
		})
	}
}

// undumped are places that no dump program here can read.
type undumped struct{ pgPlaces }

func (undumped) dump(testing.TB, string) []string { return nil }
