// Package help lays out what the program says of itself: the help of commands
// and topics, and their manual pages.
package help

import (
	"cmp"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
	"github.com/spf13/pflag"

	"dappermirror/internal/core/judge"
	"dappermirror/internal/engine"
	"dappermirror/internal/files"
	"dappermirror/internal/place"
	"dappermirror/internal/report"
)

// optionGroup is a heading under which help lists options.
type optionGroup string

// The groups, in the order in which help has them.
const (
	optCounts  optionGroup = "What counts"
	optWrites  optionGroup = "What is written"
	optRisks   optionGroup = "Risks and rows"
	optTakes   optionGroup = "What is taken"
	optRuns    optionGroup = "How it runs"
	optMany    optionGroup = "Several targets"
	optShows   optionGroup = "What is shown"
	optGeneral optionGroup = "Everywhere"
)

var optionGroups = []optionGroup{optCounts, optTakes, optWrites, optRisks, optRuns, optMany, optShows, optGeneral}

// option is what help knows of an option.
type option struct {
	group  optionGroup
	value  string // "" for a switch
	values []string
}

// Values are what an option of a name takes: how its value is called, and which
// values there are, where these are few.
func Values(cmd *cobra.Command, name string) (called string, values []string) {
	o := optionOf(cmd, name)
	return o.value, o.values
}

// optionOf is what is known of an option of a command.
func optionOf(cmd *cobra.Command, name string) option {
	if o, own := options[cmd.Name()+" "+name]; own {
		return o
	}
	return options[name]
}

// Unknown lists the options of all commands that help has no heading for: it would
// not show them.
func Unknown(root *cobra.Command) []string {
	var out []string
	for _, cmd := range append(root.Commands(), root) {
		cmd.LocalFlags().VisitAll(func(f *pflag.Flag) {
			if !f.Hidden && optionOf(cmd, f.Name).group == "" {
				out = append(out, cmd.Name()+" --"+f.Name)
			}
		})
	}
	return out
}

// options says of each option under which heading it stands, how its value is
// called, and which values there are.
var options = map[string]option{
	"only": {optCounts, "PATTERN", nil}, "except": {optCounts, "PATTERN", nil}, "include": {optCounts, "WHAT", Groups()}, "empty-source": {optCounts, "", nil}, "tolerate": {optCounts, "NAME[@PATTERN]", Tolerances()}, "pair": {optCounts, "SOURCE=TARGET", nil}, "rename": {optCounts, "OLD=NEW", nil}, "swap": {optCounts, "", nil},
	"to-target": {optTakes, "PATTERN", nil}, "leave": {optTakes, "PATTERN", nil}, "to-source": {optTakes, "PATTERN", nil}, "leave-target-only": {optTakes, "", nil}, "choices": {optTakes, "FILE", nil}, "choices-out": {optTakes, "FILE", nil}, "add-needed": {optTakes, "", nil}, "remake": {optTakes, "PATTERN", nil}, "script-for-source": {optWrites, "FILE", nil},
	"output": {optWrites, "FILE", nil}, "report": {optWrites, "FILE", nil}, "report-only": {optWrites, "FILE", nil}, "force": {optWrites, "", nil}, "backout": {optWrites, "FILE", nil}, "avoid-blocking": {optWrites, "", nil}, "as": {optWrites, "ROLE", nil}, "create": {optWrites, "", nil}, "server": {optWrites, "URL", nil}, "only-data": {optWrites, "", nil},
	"may-lose": {optRisks, "PATTERN", nil}, "fill": {optRisks, "COLUMN=EXPR", nil}, "row-checks": {optRisks, "on|off", []string{"on", "off"}}, "row-check-time": {optRisks, "TIME", nil},
	// One name is two options: whom a script acts for, and what a capture is.
	"capture as": {optWrites, "file|folder", []string{"file", "folder"}}, "to-history": {optWrites, "", nil}, "note": {optWrites, "TEXT", nil}, "history-keep": {optWrites, "RULE", nil}, "prune": {optWrites, "", nil},
	"try": {optRuns, "", nil}, "recent": {optShows, "", nil}, "scratch-keep": {optRuns, "TIME", nil}, "remember-places": {optGeneral, "on|off", []string{"on", "off"}},
	"rehearse": {optRuns, "", nil}, "scratch": {optRuns, "PLACE", []string{"local", "model"}}, "copy-rows": {optRuns, "N", nil}, "yes": {optRuns, "", nil}, "edited": {optRuns, "", nil}, "resume": {optRuns, "", nil},
	"lock-timeout": {optRuns, "TIME", nil}, "lock-tries": {optRuns, "N", nil}, "step-timeout": {optRuns, "TIME", nil}, "save-rows": {optRuns, "FOLDER", nil}, "backup-command": {optRuns, "COMMAND", nil},
	"listen": {optRuns, "ADDRESS", nil}, "keys": {optWrites, "FOLDER", nil},
	"targets": {optMany, "FILE", nil}, "parallel": {optMany, "N", nil}, "share": {optMany, "N/M", nil}, "stop-on-failure": {optMany, "", nil},
	"plan": {optShows, "", nil}, "runs": {optShows, "", nil}, "write": {optWrites, "SYSTEM", nil}, "every": {optRuns, "TIME", nil}, "try-messages": {optRuns, "", nil}, "verify": {optRuns, "", nil}, "keep-baseline": {optWrites, "", nil}, "save-task": {optWrites, "NAME", nil},
	"fail-on": {optCounts, "WHAT", []string{"differences", "losses", "new", "never"}}, "annotate": {optShows, "SYSTEM", []string{"off", "auto", "github", "azure"}}, "summary": {optWrites, "FILE", nil},
	"since": {optCounts, "PLACE", nil}, "title": {optWrites, "TEXT", nil}, "one-file": {optWrites, "", nil},
	"columns": {optShows, "COLUMNS", nil}, "where": {optShows, "CONDITION", nil}, "key": {optShows, "VALUE", nil}, "limit": {optShows, "N", nil}, "sample": {optShows, "", nil},
	"change": {optShows, "drop|type|rename", []string{"drop", "type", "rename"}}, "detail": {optShows, "", nil}, "compare-rows": {optShows, "", nil}, "all": {optShows, "", nil}, "group": {optShows, "kind|status", []string{"kind", "status"}},
	"format": {optGeneral, "text|json", []string{"text", "json"}}, "color": {optGeneral, "WHEN", []string{"auto", "always", "never"}}, "progress": {optGeneral, "WHEN", []string{"auto", "always", "never"}},
	"quiet": {optGeneral, "", nil}, "verbose": {optGeneral, "", nil}, "no-input": {optGeneral, "", nil}, "no-pager": {optGeneral, "", nil}, "lock-wait": {optGeneral, "TIME", nil}, "dialect": {optGeneral, "ENGINE", place.Dialects()}, "help": {optGeneral, "", nil}, "version": {optGeneral, "", nil},
}

// helpWidth is how wide help is at most: it is read on any terminal.
const helpWidth = 80

// Write writes the help of a command or topic.
func Write(w io.Writer, cmd *cobra.Command) {
	text := cmd.Long
	if text == "" {
		text = cmd.Short + "."
	}
	writeText(w, text)
	if !cmd.Runnable() && !cmd.HasSubCommands() {
		return // a topic
	}
	Usage(w, cmd)
}

// writeText folds the paragraphs of a text, and leaves lines that are indented
// as they are.
func writeText(w io.Writer, text string) {
	var paragraph []string
	flush := func() {
		if len(paragraph) > 0 {
			report.Hang(w, "", strings.Join(paragraph, " "), helpWidth, nil)
		}
		paragraph = nil
	}
	for _, l := range strings.Split(strings.TrimSpace(text), "\n") {
		switch {
		case strings.TrimSpace(l) == "", l[0] == ' ':
			flush()
			fmt.Fprintln(w, l)
		default:
			paragraph = append(paragraph, l)
		}
	}
	flush()
}

// Usage writes how a command is called, and its options.
func Usage(w io.Writer, cmd *cobra.Command) {
	use := cmd.UseLine()
	if cmd.HasParent() {
		use = strings.TrimSuffix(use, " [flags]") + " [OPTION...]"
	} else {
		use = "dapper-mirror COMMAND [ARGUMENT...] [OPTION...]"
	}
	fmt.Fprintf(w, "\nUsage:\n")
	report.Hang(w, "  ", use, helpWidth, nil)
	if cmd.Example != "" {
		fmt.Fprintf(w, "\nExamples:\n%s\n", cmd.Example)
	}
	if cmd.HasAvailableSubCommands() {
		writeCommands(w, cmd)
	}
	writeOptions(w, cmd)
	if !cmd.HasParent() {
		fmt.Fprintf(w, "\n\"dapper-mirror help COMMAND\" tells more of a command, \"dapper-mirror help TOPIC\"\nof a topic.\n")
	}
}

func writeCommands(w io.Writer, cmd *cobra.Command) {
	for _, group := range []struct {
		title string
		in    func(*cobra.Command) bool
	}{{"Commands, in the order of the day:", func(c *cobra.Command) bool { return c.IsAvailableCommand() && !c.Parent().HasParent() }}, {"With it:", func(c *cobra.Command) bool { return c.IsAvailableCommand() && c.Parent().HasParent() }}, {"Topics:", func(c *cobra.Command) bool { return c.IsAdditionalHelpTopicCommand() && c.Name() != "help" }}} {
		title := "\n" + group.title + "\n"
		for _, c := range cmd.Commands() {
			if group.in(c) {
				fmt.Fprint(w, title)
				title = ""
				report.Hang(w, fmt.Sprintf("  %-12s ", c.Name()), c.Short, helpWidth, nil)
			}
		}
	}
}

// grouped are the options of a command by their headings, in order.
func grouped(cmd *cobra.Command, each func(optionGroup, []*pflag.Flag)) {
	by := map[optionGroup][]*pflag.Flag{}
	cmd.InitDefaultHelpFlag()
	seen := map[string]bool{}
	for _, set := range []*pflag.FlagSet{cmd.LocalFlags(), cmd.InheritedFlags()} {
		set.VisitAll(func(f *pflag.Flag) {
			if !f.Hidden && !seen[f.Name] {
				seen[f.Name] = true
				g := optionOf(cmd, f.Name).group
				by[g] = append(by[g], f)
			}
		})
	}
	for _, g := range optionGroups {
		if len(by[g]) > 0 {
			slices.SortFunc(by[g], func(a, b *pflag.Flag) int { return strings.Compare(a.Name, b.Name) })
			each(g, by[g])
		}
	}
}

// usageOf is what help says of an option, with its default where that is not
// plain nothing.
func usageOf(f *pflag.Flag) string {
	if f.Name == "help" {
		return "tell about the command"
	}
	if d := strings.Trim(f.DefValue, "[]"); d != "" && d != "false" && d != "0" && d != "0s" {
		return f.Usage + " (" + d + ")"
	}
	return f.Usage
}

func writeOptions(w io.Writer, cmd *cobra.Command) {
	grouped(cmd, func(g optionGroup, flags []*pflag.Flag) {
		fmt.Fprintf(w, "\n%s:\n", g)
		for _, f := range flags {
			head := "      --" + f.Name
			if f.Shorthand != "" {
				head = "  -" + f.Shorthand + ", --" + f.Name
			}
			if v := optionOf(cmd, f.Name).value; v != "" {
				head += " " + v
			}
			const column = 27
			if len(head) > column {
				fmt.Fprintln(w, head)
				head = ""
			}
			report.Hang(w, fmt.Sprintf("%-*s  ", column, head), usageOf(f), helpWidth, nil)
		}
	})
}

// Manuals writes a page for each command, with the exit codes, and for each
// topic.
func Manuals(root *cobra.Command, header *doc.GenManHeader, dir string) error {
	for _, c := range append([]*cobra.Command{root}, root.Commands()...) {
		if c.Hidden {
			continue
		}
		name := "dapper-mirror"
		if c != root {
			name += "-" + c.Name()
		}
		f, err := files.Create(filepath.Join(dir, name+".1"), 0o666)
		if err != nil {
			return err
		}
		h := *header
		h.Title = strings.ToUpper(name)
		if err = doc.GenMan(manual(c), &h, f); err == nil {
			err = f.Keep(filepath.Join(dir, name+".1"))
		}
		f.Discard()
		if err != nil {
			return err
		}
	}
	return nil
}

// manual is a command or topic as the source of its manual page.
func manual(c *cobra.Command) *cobra.Command {
	var b strings.Builder
	if !c.Runnable() {
		fmt.Fprintf(&b, "```\n%s\n```\n", strings.TrimSpace(c.Long))
	} else {
		writeText(&b, cmp.Or(c.Long, c.Short+"."))
		fmt.Fprintf(&b, "\n# OPTIONS\n")
		grouped(c, func(g optionGroup, flags []*pflag.Flag) {
			fmt.Fprintf(&b, "\n## %s\n", g)
			for _, f := range flags {
				short := ""
				if f.Shorthand != "" {
					short = "**-" + f.Shorthand + "**, "
				}
				fmt.Fprintf(&b, "\n%s**--%s** %s\n:   %s\n", short, f.Name, optionOf(c, f.Name).value, strings.ReplaceAll(usageOf(f), "*", `\*`))
			}
		})
		fmt.Fprintf(&b, "\n# EXIT STATUS\n\n```\n%s\n```\n", exitTopic)
	}
	page := &cobra.Command{Use: c.Use + " [OPTION...]", Short: c.Short, Long: b.String(), Example: c.Example, DisableFlagsInUseLine: true, Run: func(*cobra.Command, []string) {}}
	if !c.Runnable() {
		page.Use = c.Use
	}
	page.SetHelpCommand(&cobra.Command{Hidden: true})
	page.Flags().BoolP("help", "h", false, "")
	_ = page.Flags().MarkHidden("help")
	if c.HasParent() {
		(&cobra.Command{Use: "dapper-mirror"}).AddCommand(page)
	}
	return page
}

// Tolerances are what --tolerate can name.
func Tolerances() []string {
	var out []string
	for _, t := range judge.Tolerances {
		out = append(out, t.Name)
	}
	return out
}

// Groups are what --include can name.
func Groups() []string {
	var out []string
	for _, e := range engine.All() {
		out = append(out, e.Groups()...)
	}
	slices.Sort(out)
	return slices.Compact(out)
}
