package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/demo"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
	"dappermirror/internal/script"
)

func (a *app) demoCommand() *cobra.Command {
	var server string
	var create, onlyData bool
	cmd := &cobra.Command{
		Use:   "demo [FOLDER]",
		Short: "Walk through the harbour example, start to end",
		Long: `Writes the harbour example (two databases of the made-up port of Quillhaven, one
ahead of the other) into a new folder, and walks through a whole day with it. Every
command is shown as you would type it, with what it really answers.

With --server the example is built on a PostgreSQL, MariaDB or SQL Server server, in two
new databases, quillhaven_dev and quillhaven_live, which stay there; --create says
that this is wanted.`,
		Example: "  dapper-mirror demo\n  dapper-mirror demo --only-data\n  dapper-mirror demo /tmp/quillhaven\n  dapper-mirror demo --server postgres://postgres@localhost/postgres --create",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			folder := "quillhaven"
			if len(args) == 1 {
				folder = args[0]
			}
			if a.format == "json" {
				return trouble("usage", "the demo is for reading; it has no JSON form")
			}
			if server != "" && !create {
				return refusal("create", "--server makes two new databases; say --create if that is wanted")
			}
			if err := os.Mkdir(folder, 0o755); err != nil {
				if errors.Is(err, os.ErrExist) {
					return trouble("exists", "%s is there already; name another folder: dapper-mirror demo FOLDER", folder)
				}
				return trouble("write", "%w", err)
			}
			d := &demoWalk{app: a}
			err := d.build(cmd.Context(), folder, server)
			if err != nil {
				return err
			}
			if onlyData {
				if server == "" {
					d.source, d.target = filepath.Join(folder, d.source), filepath.Join(folder, d.target)
				}
				fmt.Fprintf(&a.out, "The two databases are %s and %s. To begin with:\n\n  dapper-mirror compare %s %s\n", report.Safe(d.source), report.Safe(d.target), script.Word(d.source), script.Word(d.target))
				return nil
			}
			if err := os.Chdir(folder); err != nil {
				return trouble("write", "%w", err)
			}
			return d.walk(folder)
		},
	}
	cmd.Flags().StringVar(&server, "server", "", "build the example on this server")
	cmd.Flags().BoolVar(&create, "create", false, "the two databases may be created")
	cmd.Flags().BoolVar(&onlyData, "only-data", false, "make the two databases and leave them as they are, to play with")
	return cmd
}

type demoWalk struct {
	app            *app
	source, target string
	onServer       bool
	names          demo.Words
}

// build makes the two databases, in a folder or on a server.
func (d *demoWalk) build(ctx context.Context, folder, server string) (err error) {
	if server == "" {
		d.source, d.target, d.names, err = demo.InFolder(ctx, folder)
	} else {
		var p *place.Place
		if p, err = d.app.work.Place(server, false); err != nil {
			return err
		}
		if _, file := p.Engine.(engine.Embedded); p.Engine == nil || file {
			return trouble("usage", "--server takes a server's URL; without it the demo makes files")
		}
		d.onServer = true
		if d.source, d.target, d.names, err = demo.OnServer(ctx, p); err == nil {
			d.source, d.target, err = demo.Hidden(folder, d.source, d.target)
		}
	}
	if err != nil {
		return trouble("demo", "%w", err)
	}
	return nil
}

// narrate writes a remark between the commands.
func (d *demoWalk) narrate(text string) {
	st := d.app.style()
	fmt.Fprintf(&d.app.out, "\n%s\n", st.Strong("# "+text))
}

// run shows a command as it would be typed, runs it, and shows what it says.
func (d *demoWalk) run(want int, args ...string) error {
	var typed []string
	for _, s := range args {
		typed = append(typed, script.Word(s))
	}
	out := &d.app.out
	fmt.Fprintf(out, "\n$ dapper-mirror %s\n", strings.Join(typed, " "))
	if d.app.style().Color {
		args = append([]string{"--color", "always"}, args...)
	}
	code := Main(append([]string{"--no-pager", "--no-input"}, args...), strings.NewReader(""), out, out)
	fmt.Fprintf(out, "(exit code %d)\n", code)
	if code != want {
		return trouble("demo", "this command should have ended with exit code %d, not %d: dapper-mirror %s", want, code, strings.Join(typed, " "))
	}
	return nil
}

func (d *demoWalk) walk(folder string) error {
	s, t, n := d.source, d.target, d.names
	judged := []string{"--rename", n.RenameFlag, "--leave", n.Hotfix}
	allow := []string{"--may-lose", n.Pilotage + "," + n.PilotName, "--fill", n.FillFamily}
	var scratch []string
	if d.onServer { // beside the two databases that were made
		scratch = []string{"--scratch", t}
	}
	with := func(args ...[]string) []string {
		var out []string
		for _, a := range args {
			out = append(out, a...)
		}
		return out
	}
	type step struct {
		say  string
		want int
		args []string
	}
	steps := []step{
		{"The developers' database is ahead of the live one. What differs?", exitDifferent, []string{"compare", s, t}},
		{"One table closely. Column pilotage would go, with the values in it.", exitDifferent, []string{"compare", s, t, "--detail", "--only", n.Close}},
		{"A column only has another name now, and the live hot fix (an index) is to stay. The script:\n# what would destroy values is held back (exit code 3).", exitSafety, with([]string{"script", s, t, "-o", "careful.sql"}, judged)},
		{"The losses were talked over and are allowed, by name.", exitOK, with([]string{"script", s, t, "-o", "up.sql", "--backout", "down.sql"}, judged, allow)},
		{"Somebody else is to approve it. What is it, and does the target still fit?", exitOK, []string{"check", "up.sql", t}},
		{"Does it work? On a scratch copy of the target's structure, with some of its rows.", exitOK, with([]string{"rehearse", "up.sql", t, "--copy-rows", "200"}, scratch)},
		{"Run it. The structure and the rows that go are saved first.", exitOK, []string{"apply", "up.sql", t, "--yes"}},
		{"And compare again.", exitOK, []string{"compare", s, t, "--leave", n.Hotfix}},
		{"Those who never see it get pages, with a diagram.", exitOK, []string{"document", t, "-o", "pages", "--title", "Quillhaven"}},
	}
	if scratch == nil { // texts of a server want a server to be read
		steps = append(steps, step{"The repository keeps the structure in files, a file an object.", exitOK, []string{"capture", s, "--as", "folder", "-o", "db"}},
			step{"Files are a place like any other: does the live database say what they say?", exitOK, []string{"compare", "db", t, "--leave", n.Hotfix}})
	}
	for _, st := range steps {
		d.narrate(st.say)
		if err := d.run(st.want, st.args...); err != nil {
			if e := d.app.flush(); e != nil {
				return e
			}
			return err
		}
	}
	d.narrate("That was the day. The databases and scripts are in " + folder + ".")
	return nil
}
