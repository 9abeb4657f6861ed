// Package documents has the command that makes pages of a whole database.
package documents

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime/debug"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/files"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/report/document"
	"dappermirror/internal/work"
)

// App is the command line that the command is part of.
type App interface {
	Work() *work.Session
	Out() *bytes.Buffer
	JSON() bool
	WriteJSON(fill func(*report.Output)) error
	Note(format string, args ...any)
	Warn(format string, args ...any)
}

// options are what can be said.
type options struct {
	out, since, title string
	one, force        bool
}

// Command is the command document.
func Command(a App) *cobra.Command {
	var o options
	cmd := &cobra.Command{
		Use:   "document PLACE -o FOLDER",
		Short: "Make linked web pages of a whole database, with diagrams",
		Long: `Makes web pages of a place for people who never see it: an index, a page for each
table, view and routine with what it uses and what uses it, and diagrams of the tables
and their keys. The pages need no server and no network; index.html is where to begin.
Rows are not read; of a database the sizes of its tables are asked for.

With --since an earlier structure (a capture, a version of the history, a git
revision) is compared with, and what is new, changed or gone is marked.`,
		Example: "  dapper-mirror document live.db -o live-pages\n  dapper-mirror document dev.db --since live.json -o pages --title 'Quillhaven, what changes'\n  dapper-mirror document live.db --one-file -o live.html",
		Args:    cobra.MaximumNArgs(2),
		RunE:    func(cmd *cobra.Command, args []string) error { return run(cmd, a, o, args) },
	}
	f := cmd.Flags()
	f.StringVarP(&o.out, "output", "o", "", "the folder to make; with --one-file the file")
	f.StringVar(&o.since, "since", "", "an earlier structure, since which changes are marked")
	f.StringVar(&o.title, "title", "", "what stands at the head of each page; the place where it is not given")
	f.BoolVar(&o.one, "one-file", false, "put all into one page, which is good for a small database")
	f.BoolVar(&o.force, "force", false, "write anew what an earlier call has made there")
	return cmd
}

func run(cmd *cobra.Command, a App, o options, args []string) error {
	switch {
	case len(args) == 0:
		return work.Troubled("usage", "say which place: dapper-mirror document PLACE -o FOLDER")
	case len(args) == 2:
		return work.Troubled("usage", "one place is documented; to mark what changed since another: --since %s", args[1])
	case o.out == "" || o.out == "-" && !o.one:
		return work.Troubled("usage", "say where the pages go: -o FOLDER")
	}
	p, err := a.Work().Place(args[0], false)
	if err != nil {
		return err
	}
	read := []*place.Place{p}
	var since *place.Place
	if o.since != "" {
		if since, err = a.Work().Place(o.since, false); err != nil {
			return err
		}
		read = append(read, since)
	}
	if err := work.Apart([]work.Output{{Option: "-o", Path: o.out}}, read...); err != nil {
		return err
	}
	if err := vacant(o); err != nil {
		return err
	}
	// Pages are made and forgotten by the thousand: collecting them seldom, as the program
	// does else, would keep them all.
	defer debug.SetGCPercent(debug.SetGCPercent(50))
	src, note, err := a.Work().Documented(cmd.Context(), p, since)
	if err != nil {
		return err
	}
	if note != "" {
		a.Warn("%s", note)
	}
	src.Title, src.OneFile = cmp.Or(o.title, src.Title), o.one
	src.At = [][2]string{{"read from", p.Label}, {"engine", p.Engine.Title() + " " + src.Catalog.Version}}
	if since != nil {
		src.At = append(src.At, [2]string{"since", since.Label})
	}
	made := &report.JSONDocument{Place: p.Label, Counts: src.Catalog.Count()}
	put := func(f func(name string, data []byte) error) error {
		return document.Write(cmd.Context(), src, func(name string, data []byte) error {
			if strings.HasSuffix(name, ".html") {
				made.Pages++
			}
			return f(name, data)
		})
	}
	if o.one {
		made.File = o.out
		err = one(a, o, put)
	} else {
		made.Folder = o.out
		err = folder(o, put)
	}
	if err != nil {
		return err
	}
	if a.JSON() {
		return a.WriteJSON(func(out *report.Output) { out.Document = made })
	}
	if !o.one {
		fmt.Fprintf(a.Out(), "Made %d pages of %s; begin with %s.\n", made.Pages, report.Safe(p.Label), report.Safe(filepath.Join(o.out, first)))
	} else if o.out != "-" {
		fmt.Fprintf(a.Out(), "Made %s of %s.\n", report.Safe(o.out), report.Safe(p.Label))
	}
	return nil
}

// first is the page to begin with.
const first = "index.html"

// one writes the one page.
func one(a App, o options, put func(func(string, []byte) error) error) error {
	return put(func(_ string, data []byte) error {
		if o.out == "-" {
			if a.JSON() {
				return work.Troubled("usage", "-o -: the page and the JSON would be mixed; give a file")
			}
			a.Out().Write(data)
			return nil
		}
		return work.WriteInto(o.out, data, o.force)
	})
}

// folder writes the pages into a folder.
func folder(o options, put func(func(string, []byte) error) error) error {
	f, err := files.NewFolder(o.out)
	if err != nil {
		return work.Troubled("write", "%s cannot be written: %w", o.out, err)
	}
	defer f.Discard()
	err = put(func(name string, data []byte) error {
		if err := f.Put(name, data); err != nil {
			return work.Troubled("write", "%s cannot be written: %w", filepath.Join(o.out, name), err)
		}
		return nil
	})
	if err != nil {
		return err
	}
	if err := f.Keep(o.out, ours, first); err != nil {
		return work.Troubled("write", "%s cannot be written: %w", o.out, err)
	}
	return nil
}

// ours tells what a document has in its folder.
func ours(name string) bool {
	switch name {
	case first, "document.css", "document.js", "find.js", "things":
		return true
	}
	ext := filepath.Ext(name)
	return strings.HasPrefix(name, "diagram") && (ext == ".html" || ext == ".svg")
}

// vacant refuses to write over what is there: a folder may be empty, or with --force one
// that a document was made in before.
func vacant(o options) error {
	if o.one {
		return work.Unwritten(o.out, o.force)
	}
	list, err := os.ReadDir(o.out)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil
	case err != nil:
		return work.Troubled("exists", "%s is no folder that can be written to: %w", o.out, err)
	case len(list) == 0:
		return nil
	case !o.force:
		return work.Troubled("exists", "%s is there already and is not empty; give --force to make the pages anew", o.out)
	}
	data, err := os.ReadFile(filepath.Join(o.out, first))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return work.Troubled("exists", "%s cannot be read: %w", filepath.Join(o.out, first), err)
	}
	for _, e := range list {
		if ours(e.Name()) && !bytes.Contains(data, []byte(document.Mark)) {
			return work.Troubled("exists", "%s has a file %s that no document was made with; --force would overwrite it: name another folder", o.out, e.Name())
		}
	}
	return nil
}
