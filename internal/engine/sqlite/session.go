package sqlite

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/files"
)

// Claim implements engine.Claimer: a lock on a file of the temporary folder
// that stands for the database's, whatever way leads there. The lock goes with
// the process.
func (d *database) Claim(context.Context) error {
	st, err := os.Stat(d.path)
	if err != nil {
		return err
	}
	name := filepath.Join(os.TempDir(), claimName(st))
	f, err := os.OpenFile(name, os.O_CREATE|os.O_RDWR|noFollow, 0o666)
	if os.IsPermission(err) { // another account's
		f, err = os.OpenFile(name, os.O_RDONLY|noFollow, 0)
	}
	if err != nil {
		return fmt.Errorf("claiming it for this run: %w", err)
	}
	if !tryLock(f) {
		f.Close()
		return engine.ErrClaimed
	}
	d.claimed = f
	return nil
}

// unclaim gives the claim back, its file with it.
func (d *database) unclaim() {
	if d.claimed != nil {
		os.Remove(d.claimed.Name())
		d.claimed.Close()
		d.claimed = nil
	}
}

// LockLimit implements engine.Limiter.
func (d *database) LockLimit(t time.Duration) string {
	return fmt.Sprintf("PRAGMA busy_timeout = %d", max(t.Milliseconds(), 1))
}

// StepLimit implements engine.Limiter: SQLite has none, the run itself stops.
func (d *database) StepLimit(time.Duration) string { return "" }

// Describe implements engine.Describer.
func (d *database) Describe(ctx context.Context) (engine.About, error) {
	about := engine.About{Account: "whoever runs this program", TLS: "a file of this machine"}
	st, err := os.Stat(d.path)
	if err != nil {
		return about, err
	}
	about.Server = "SQLite, " + words.Size(st.Size())
	if writable(d.path, false) != nil {
		about.Account += ", who may not write to it"
	}
	return about, nil
}

// Lacking implements engine.Inspector: SQLite writes its journal beside the
// file.
func (d *database) Lacking(context.Context, []engine.Work, string) ([]string, error) {
	dir := filepath.Dir(d.path)
	f, err := files.Create(filepath.Join(dir, "dapper-mirror"), 0o600)
	if err != nil {
		return []string{"to write into the folder " + sqltext.CommentSafe(dir) + ", where SQLite keeps its journal"}, nil
	}
	f.Discard()
	return nil, nil
}
