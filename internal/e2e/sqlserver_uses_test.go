package e2e

import (
	"path/filepath"
	"testing"

	"dappermirror/internal/engine"
)

// TestRenamesSQLServer, like those of the other engines: a rename keeps the rows, and
// what refers to the name follows.
func TestRenamesSQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	for _, c := range readPairs(t, filepath.Join("testdata", "renames", "sqlserver.sql")) {
		t.Run(c.name, func(t *testing.T) { renamed(t, c, p) })
	}
}

func TestTolerancesSQLServer(t *testing.T) {
	t.Parallel()
	p, covered := standIn(t), map[string]bool{}
	for _, c := range readPairs(t, filepath.Join("testdata", "tolerances", "sqlserver.sql")) {
		covered[c.name] = true
		t.Run(c.name, func(t *testing.T) { tolerance(t, c, p) })
	}
	eng, err := engine.Named("sqlserver")
	if err != nil {
		t.Fatal(err)
	}
	for _, cover := range eng.Kinds().Tolerable() {
		// letters of names in texts say something only where the database minds them
		if !covered[cover.Tolerance] && cover.Tolerance != "letter-case" {
			t.Errorf("no case tries %s", cover.Tolerance)
		}
	}
}

func TestRowChecksSQLServer(t *testing.T) {
	t.Parallel()
	p := standIn(t)
	for _, c := range readPairs(t, filepath.Join("testdata", "rows", "sqlserver.sql")) {
		t.Run(c.name, func(t *testing.T) { rowCheck(t, c, p) })
	}
}

func TestHostileNamesSQLServer(t *testing.T) {
	t.Parallel()
	hostileNames(t, "sqlserver", standIn(t))
}
