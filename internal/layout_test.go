// Package internal holds no code, only what is true of all of it.
package internal

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"dappermirror/internal/engine"
	_ "dappermirror/internal/engine/all"
)

// source hands on every Go file that is no test, by its folder.
func source(t *testing.T, see func(folder, path string, set *token.FileSet, f *ast.File)) {
	set := token.NewFileSet()
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		f, err := parser.ParseFile(set, path, nil, parser.SkipObjectResolution)
		if err == nil {
			see(filepath.ToSlash(filepath.Dir(path)), path, set, f)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

// layers are the folders from the inside out: each may import those before it,
// and what stands beside it in its own line.
var layers = [][]string{
	{"core", "files", "fuzzing"},
	{"standin"},
	{"engine"},
	{"rowcheck", "history"},
	{"script", "choices"},
	{"rehearse", "place", "demo", "message", "schedule"},
	{"settings", "report", "process"},
	{"work", "review"},
	{"task"},
	{"cli"},
}

func layer(folder string) int {
	top, _, _ := strings.Cut(folder, "/")
	return slices.IndexFunc(layers, func(l []string) bool { return slices.Contains(l, top) })
}

// TestArrowsPointInward: what a package imports of ours is further in, and an
// engine is imported by nobody but its own folder and the list of all.
func TestArrowsPointInward(t *testing.T) {
	names := map[string]bool{}
	for _, e := range engine.All() {
		names[e.Name()] = true
	}
	source(t, func(folder, path string, _ *token.FileSet, f *ast.File) {
		if layer(folder) < 0 {
			t.Errorf("%s: the folder is not in the layout", path)
		}
		for _, imp := range f.Imports {
			name, _ := strconv.Unquote(imp.Path.Value)
			to, ours := strings.CutPrefix(name, "dappermirror/internal/")
			if !ours {
				continue
			}
			if layer(to) > layer(folder) || strings.HasPrefix(folder, "core/") && !strings.HasPrefix(to, "core/") {
				t.Errorf("%s imports %s, which is further out", path, to)
			}
			if own := strings.SplitN(to, "/", 3); own[0] == "engine" && len(own) > 1 && names[own[1]] && folder != "engine/all" && !strings.HasPrefix(folder, "engine/"+own[1]) {
				t.Errorf("%s names an engine: %s", path, to)
			}
		}
	})
}

// TestNobodyNamesAnEngine: outside its folder an engine has no name in the
// code; help and examples may tell people of it.
func TestNobodyNamesAnEngine(t *testing.T) {
	names := map[string]bool{}
	for _, e := range engine.All() {
		for _, n := range append([]string{e.Name(), e.Title()}, e.Schemes()...) {
			names[strings.ToLower(n)] = true
		}
	}
	source(t, func(folder, path string, set *token.FileSet, f *ast.File) {
		if strings.HasPrefix(folder, "engine/") {
			return
		}
		ast.Inspect(f, func(n ast.Node) bool {
			switch x := n.(type) {
			case *ast.BasicLit:
				if s, err := strconv.Unquote(x.Value); err == nil && names[strings.ToLower(s)] {
					t.Errorf("%s: %s names an engine", set.Position(x.Pos()), x.Value)
				}
			case *ast.Ident:
				if names[strings.ToLower(x.Name)] {
					t.Errorf("%s: %s names an engine", set.Position(x.Pos()), x.Name)
				}
			}
			return true
		})
	})
}

// TestRoomsStaySmall: no package of an engine has more than 3,500 lines, no
// function more than 80.
func TestRoomsStaySmall(t *testing.T) {
	lines := map[string]int{}
	source(t, func(folder, path string, set *token.FileSet, f *ast.File) {
		lines[folder] += set.Position(f.End()).Line
		for _, d := range f.Decls {
			if fn, ok := d.(*ast.FuncDecl); ok {
				if n := set.Position(fn.End()).Line - set.Position(fn.Pos()).Line + 1; n > 80 {
					t.Errorf("%s: %s has %d lines", path, fn.Name.Name, n)
				}
			}
		}
	})
	for folder, n := range lines {
		if strings.HasPrefix(folder, "engine/") && n > 3500 || folder == "cli" && n > 2400 {
			t.Errorf("%s has %d lines", folder, n)
		}
	}
}
