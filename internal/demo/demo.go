// Package demo holds the sample world: the harbour office of the made-up port
// of Quillhaven, as its developers have it and as it runs.
package demo

import (
	"context"
	"embed"
	"encoding/json"
	"fmt"

	"dappermirror/internal/core/sqltext"
	"dappermirror/internal/engine"
)

//go:embed */*.sql */words.json
var files embed.FS

// Side is one of the two databases.
type Side string

// The sides.
const (
	Dev  Side = "dev"  // the source, without rows
	Live Side = "live" // the target, with the rows of a year
)

// Words are what is said about the sample in an engine's own names.
type Words struct {
	Close, Hotfix, Pilotage, PilotName string // patterns
	FillFamily                         string // a value of --fill
	RenameFlag                         string // a value of --rename
}

// wordsFor are the words of an engine's sample.
func wordsFor(eng engine.Engine) (w Words, err error) {
	data, err := files.ReadFile(eng.Name() + "/words.json")
	if err != nil {
		return w, fmt.Errorf("there is no sample for %s", eng.Title())
	}
	return w, json.Unmarshal(data, &w)
}

// embedded is the engine whose sample needs no server.
func embedded() engine.Engine {
	for _, e := range engine.All() {
		if _, ok := e.(engine.Embedded); ok {
			return e
		}
	}
	return nil
}

// Text is the SQL that builds one side.
func Text(eng engine.Engine, side Side) (string, error) {
	data, err := files.ReadFile(eng.Name() + "/" + string(side) + ".sql")
	if err != nil {
		return "", fmt.Errorf("there is no sample for %s", eng.Title())
	}
	if side == Dev {
		return string(data), nil
	}
	rows, err := files.ReadFile(eng.Name() + "/rows.sql")
	if err != nil {
		return "", err
	}
	return string(data) + "\n" + string(rows), nil
}

// Build loads one side into an empty database.
func Build(ctx context.Context, eng engine.Engine, db engine.Database, side Side) error {
	text, err := Text(eng, side)
	if err != nil {
		return err
	}
	if err := db.Exec(ctx, "BEGIN"); err != nil {
		return err
	}
	for _, s := range sqltext.Split(eng.Dialect(), text) {
		if s.Client {
			continue
		}
		if err := db.Exec(ctx, s.Text); err != nil {
			line, _ := sqltext.Position(text, s.Pos)
			return fmt.Errorf("loading the sample, line %d: %w", line, err)
		}
	}
	return db.Exec(ctx, "COMMIT")
}
