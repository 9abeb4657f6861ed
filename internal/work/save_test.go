package work

import (
	"path/filepath"
	"strings"
	"testing"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/words"
)

func TestBackupFiles(t *testing.T) {
	for want, r := range map[string]catalog.Ref{
		"table.harbour.berth":        {Kind: catalog.Table, Schema: "harbour", Name: "berth"},
		"table.berth.column.no_te-":  {Kind: catalog.Table, Name: "berth", PartKind: catalog.Column, Part: "no te"},
		"table...__.._etc_x_y_.colu": {Kind: catalog.Table, Name: ".._/../etc/x\ny;", PartKind: catalog.Column, Part: "Ω$`'\"\\"},
		"table.long_long_long":       {Kind: catalog.Table, Name: strings.Repeat("long_", 50)},
	} {
		if got := nameOf(r); !strings.HasPrefix(got, want) || strings.ContainsAny(got, "/\\\n ") || len(got) > 120 {
			t.Errorf("%v: %s, want %s", r, got, want)
		}
	}
	home := t.TempDir()
	t.Setenv("XDG_STATE_HOME", home)
	for file, want := range map[string]string{"up.sql": "up", "dir/up": "dir/up", "-": filepath.Join(home, "dapper-mirror", "quill_haven-"), "": filepath.Join(home, "dapper-mirror", "quill_haven-")} {
		if got, err := Beside(file, "postgres://me@db/quill haven?host=/run/x", ""); err != nil || !strings.HasPrefix(got, want) {
			t.Errorf("beside %q: %s, %v", file, got, err)
		}
	}
	if got := words.Join([]string{"a", "b", "c", "d"}, 2); got != "a, b and 2 more" {
		t.Errorf("joined: %s", got)
	}
}
