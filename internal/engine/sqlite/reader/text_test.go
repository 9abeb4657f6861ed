package reader

import (
	"strings"
	"testing"

	"dappermirror/internal/core/judge"
	"dappermirror/internal/engine"
)

// A dump with many rows streams by: what is held does not grow with it.
func TestDumpStreams(t *testing.T) {
	head := "PRAGMA foreign_keys=OFF;\nBEGIN TRANSACTION;\nCREATE TABLE a (id INTEGER PRIMARY KEY, b TEXT);\n"
	row := "INSERT INTO a VALUES(1,'" + strings.Repeat("it''s; ", 2000) + "');\n"
	tail := "CREATE INDEX i ON a (b);\nCOMMIT;\n"
	read := func(text string) string {
		c, err := ReadText(t.Context(), []engine.TextFile{{Name: "x.sql", Reader: strings.NewReader(text)}})
		if err != nil {
			t.Fatal(err)
		}
		return judge.Whole(c)
	}
	if read(head+strings.Repeat(row, 500)+tail) != read(head+tail) {
		t.Error("7 MB of rows are part of the structure")
	}
}
