package work

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"dappermirror/internal/core/capture"
	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/order"
	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
	"dappermirror/internal/files"
	"dappermirror/internal/place"
	"dappermirror/internal/script"
)

// backup saves the target's structure before it is changed, and runs the
// user's own backup.
func (s *Session) backup(ctx context.Context, target *catalog.Catalog, base, command string, sc *script.Script) error {
	var b bytes.Buffer
	if err := capture.Encode(&b, target); err != nil {
		return Troubled("backup", "saving the target's structure: %w", err)
	}
	name := base + ".before.json"
	if old, err := os.ReadFile(name); err != nil || !bytes.Equal(old, b.Bytes()) {
		if name, err = files.Unused(base+".before", ".json"); err != nil {
			return Troubled("backup", "saving the target's structure: %w", err)
		}
		if err := WriteFile(name, b.Bytes(), false); err != nil {
			return err
		}
	}
	s.Tell(BackedUp{name})
	if command == "" {
		return nil
	}
	s.Tell(BackupCommand{})
	cmd := exec.CommandContext(ctx, "sh", "-c", command)
	cmd.Env = append(os.Environ(), "DAPPER_MIRROR_TARGET="+sc.Meta.Target)
	cmd.Stdout, cmd.Stderr = s.Output, s.Output
	if err := cmd.Run(); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return Refused("backup-failed", "the backup command failed (%v); nothing was run", err)
	}
	return nil
}

// saver writes rows that would be lost into a folder, a file for each thing.
type saver struct {
	session *Session
	dir     string
	named   bool            // by the user
	written map[string]bool // files of this run
}

func (s *saver) save(ctx context.Context, db engine.Database, r order.Risk) (err error) {
	rows, ok := db.(engine.RowReader)
	if !ok {
		return nil
	}
	if st, err := os.Lstat(s.dir); err == nil && st.Mode()&os.ModeSymlink != 0 && !s.named {
		return fmt.Errorf("%s is a link to somewhere else; take it away, or say where rows go with --save-rows", s.dir)
	}
	if err := os.MkdirAll(s.dir, 0o700); err != nil {
		return err
	}
	base := filepath.Join(s.dir, nameOf(r.On))
	tmp, err := files.Create(base, 0o600)
	if err != nil {
		return err
	}
	defer tmp.Discard()
	w := bufio.NewWriter(tmp)
	n := 0
	if err := rows.Lines(ctx, r.Save.Query, func(line string) error {
		if n == 0 {
			fmt.Fprintf(w, "-- %s\n", sqltext.CommentSafe(r.Text))
			if r.Save.First != "" {
				fmt.Fprintln(w, r.Save.First)
			}
		}
		n++
		_, err := fmt.Fprintln(w, line)
		return err
	}); err != nil {
		return err
	}
	if n == 0 {
		return nil
	}
	if err := w.Flush(); err != nil {
		return err
	}
	name := base + ".sql"
	again := s.written[name] // tried again, it is written again
	if !again {
		if name, err = files.Unused(base, ".sql"); err != nil {
			return err
		}
	}
	if err := tmp.Keep(name); err != nil || again {
		return err
	}
	s.written[name] = true
	s.session.Tell(RowsSaved{n, name})
	return nil
}

// nameOf is a name for a file about a thing, whatever that is called.
func nameOf(r catalog.Ref) string {
	parts := []string{string(r.Kind)}
	for _, p := range []string{r.Schema, r.Name, string(r.PartKind), r.Part} {
		if p != "" {
			parts = append(parts, p)
		}
	}
	return files.Safe(strings.Join(parts, "."))
}

// outcome asks the target's server, for as long as it takes to come back, what
// became of a transaction.
func (s *Session) outcome(target *place.Place) func(context.Context, string) engine.Outcome {
	return func(ctx context.Context, id string) engine.Outcome {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), s.Patience)
		defer cancel()
		s.Tell(LostAtCommit{})
		for {
			if o := askOutcome(ctx, target, id); o != "" {
				return o
			}
			if !wait(ctx, 300*time.Millisecond) {
				return engine.NotKnown
			}
		}
	}
}

// askOutcome asks once; "" where there is no answer yet.
func askOutcome(ctx context.Context, target *place.Place, id string) engine.Outcome {
	db, err := target.Open(ctx, engine.OpenOptions{})
	if err != nil {
		return ""
	}
	defer db.Close()
	t, ok := db.(engine.Transactor)
	if !ok {
		return engine.NotKnown
	}
	o, err := t.Outcome(ctx, id)
	if err != nil || o == engine.InProgress {
		return ""
	}
	return o
}
