package cli

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappermirror/internal/core/catalog"
	"dappermirror/internal/core/words"
	"dappermirror/internal/engine"
	"dappermirror/internal/place"
)

// optionGroup is a heading under which help lists options.
type optionGroup string

// The groups, in the order in which help has them.
const (
	optCounts  optionGroup = "What counts"
	optWrites  optionGroup = "What is written"
	optRisks   optionGroup = "Risks and rows"
	optRuns    optionGroup = "How it runs"
	optShows   optionGroup = "What is shown"
	optGeneral optionGroup = "Everywhere"
)

var optionGroups = []optionGroup{optCounts, optWrites, optRisks, optRuns, optShows, optGeneral}

// options says of each option under which heading it stands, how its value is
// called, and which values there are.
var options = map[string]struct {
	group  optionGroup
	value  string // "" for a switch
	values []string
}{
	"only": {optCounts, "PATTERN", nil}, "except": {optCounts, "PATTERN", nil}, "include": {optCounts, "WHAT", groups()}, "empty-source": {optCounts, "", nil},
	"output": {optWrites, "FILE", nil}, "force": {optWrites, "", nil}, "backout": {optWrites, "FILE", nil}, "avoid-blocking": {optWrites, "", nil}, "as": {optWrites, "ROLE", nil}, "create": {optWrites, "", nil}, "server": {optWrites, "URL", nil}, "only-data": {optWrites, "", nil},
	"may-lose": {optRisks, "PATTERN", nil}, "fill": {optRisks, "COLUMN=EXPR", nil}, "row-checks": {optRisks, "on|off", []string{"on", "off"}}, "row-check-time": {optRisks, "TIME", nil},
	"rehearse": {optRuns, "", nil}, "scratch": {optRuns, "PLACE", []string{"local"}}, "copy-rows": {optRuns, "N", nil}, "yes": {optRuns, "", nil}, "edited": {optRuns, "", nil}, "resume": {optRuns, "", nil},
	"lock-timeout": {optRuns, "TIME", nil}, "lock-tries": {optRuns, "N", nil}, "step-timeout": {optRuns, "TIME", nil}, "save-rows": {optRuns, "FOLDER", nil}, "backup-command": {optRuns, "COMMAND", nil},
	"detail": {optShows, "", nil}, "all": {optShows, "", nil}, "group": {optShows, "kind|status", []string{"kind", "status"}},
	"format": {optGeneral, "text|json", []string{"text", "json"}}, "color": {optGeneral, "WHEN", []string{"auto", "always", "never"}}, "progress": {optGeneral, "WHEN", []string{"auto", "always", "never"}},
	"quiet": {optGeneral, "", nil}, "verbose": {optGeneral, "", nil}, "no-input": {optGeneral, "", nil}, "no-pager": {optGeneral, "", nil}, "lock-wait": {optGeneral, "TIME", nil}, "dialect": {optGeneral, "ENGINE", dialects()}, "help": {optGeneral, "", nil}, "version": {optGeneral, "", nil},
}

// dialects are the engines whose SQL texts can be read.
func dialects() []string {
	var out []string
	for _, e := range engine.All() {
		if _, ok := e.(engine.TextReader); ok {
			out = append(out, e.Name())
		}
	}
	return out
}

// helpWidth is how wide help is at most: it is read on any terminal.
const helpWidth = 80

// writeHelp writes the help of a command or topic.
func writeHelp(w io.Writer, cmd *cobra.Command) {
	text := cmd.Long
	if text == "" {
		text = cmd.Short + "."
	}
	writeText(w, text)
	if !cmd.Runnable() && !cmd.HasSubCommands() {
		return // a topic
	}
	writeUsage(w, cmd)
}

// writeText folds the paragraphs of a text, and leaves lines that are indented
// as they are.
func writeText(w io.Writer, text string) {
	var paragraph []string
	flush := func() {
		if len(paragraph) > 0 {
			hang(w, "", strings.Join(paragraph, " "), helpWidth, nil)
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

func writeUsage(w io.Writer, cmd *cobra.Command) {
	use := cmd.UseLine()
	if cmd.HasParent() {
		use = strings.TrimSuffix(use, " [flags]") + " [OPTION...]"
	} else {
		use = "dapper-mirror COMMAND [ARGUMENT...] [OPTION...]"
	}
	fmt.Fprintf(w, "\nUsage:\n")
	hang(w, "  ", use, helpWidth, nil)
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
	}{{"Commands, in the order of the day:", (*cobra.Command).IsAvailableCommand}, {"Topics:", func(c *cobra.Command) bool { return c.IsAdditionalHelpTopicCommand() && c.Name() != "help" }}} {
		fmt.Fprintf(w, "\n%s\n", group.title)
		for _, c := range cmd.Commands() {
			if group.in(c) {
				hang(w, fmt.Sprintf("  %-12s ", c.Name()), c.Short, helpWidth, nil)
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
				by[options[f.Name].group] = append(by[options[f.Name].group], f)
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
			if v := options[f.Name].value; v != "" {
				head += " " + v
			}
			const column = 27
			if len(head) > column {
				fmt.Fprintln(w, head)
				head = ""
			}
			hang(w, fmt.Sprintf("%-*s  ", column, head), usageOf(f), helpWidth, nil)
		}
	})
}

// helpCommand is `help [COMMAND|TOPIC]`.
func (a *app) helpCommand() *cobra.Command {
	return &cobra.Command{
		Use:     "help [COMMAND|TOPIC]",
		Short:   "Tell about a command or a topic",
		Example: "  dapper-mirror help script\n  dapper-mirror help patterns",
		Args:    cobra.MaximumNArgs(1),
		ValidArgsFunction: func(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
			return commandNames(cmd.Root()), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			root := cmd.Root()
			if len(args) == 0 {
				writeHelp(&a.out, root)
				return nil
			}
			for _, c := range root.Commands() {
				if c.Name() == args[0] {
					writeHelp(&a.out, c)
					return nil
				}
			}
			return trouble("usage", "there is no command or topic %q%s; `dapper-mirror help` lists them", args[0], words.Suggest(args[0], commandNames(root)))
		},
	}
}

func commandNames(root *cobra.Command) []string {
	var out []string
	for _, c := range root.Commands() {
		if !c.Hidden && (c.IsAvailableCommand() || c.IsAdditionalHelpTopicCommand()) {
			out = append(out, c.Name())
		}
	}
	return out
}

// shells are those that completion is made for.
var shells = []string{"bash", "zsh", "fish", "powershell"}

// completionCommand writes the completion of a shell.
func (a *app) completionCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "completion SHELL",
		Short: "Write the completion of commands, options, places and things",
		Long: `Writes what makes a shell complete commands, options and their values, named
places, kinds, and the things in a database that is a file. The shells are bash,
zsh, fish and powershell.

  bash   source <(dapper-mirror completion bash), in ~/.bashrc
  zsh    dapper-mirror completion zsh > "${fpath[1]}/_dapper-mirror"
  fish   dapper-mirror completion fish | source`,
		Example:   "  source <(dapper-mirror completion bash)",
		Args:      cobra.ExactArgs(1),
		ValidArgs: shells,
		RunE: func(cmd *cobra.Command, args []string) error {
			root := cmd.Root()
			switch args[0] {
			case "bash":
				return root.GenBashCompletionV2(&a.out, true)
			case "zsh":
				return root.GenZshCompletion(&a.out)
			case "fish":
				return root.GenFishCompletion(&a.out, true)
			case "powershell":
				return root.GenPowerShellCompletionWithDesc(&a.out)
			}
			return trouble("usage", "there is no completion for %q%s; it is one of %s", args[0], words.Suggest(args[0], slices.Clone(shells)), strings.Join(shells, ", "))
		},
	}
}

// complete gives every command and option its completion.
func (a *app) complete(root *cobra.Command) {
	for _, cmd := range root.Commands() {
		if cmd.ValidArgsFunction == nil && len(cmd.ValidArgs) == 0 && cmd.Runnable() {
			cmd.ValidArgsFunction = a.completePlaces
		}
		cmd.LocalFlags().VisitAll(func(f *pflag.Flag) { a.completeFlag(cmd, f) })
	}
	root.PersistentFlags().VisitAll(func(f *pflag.Flag) { a.completeFlag(root, f) })
}

func (a *app) completeFlag(cmd *cobra.Command, f *pflag.Flag) {
	o := options[f.Name]
	var do cobra.CompletionFunc
	switch {
	case o.value == "PATTERN":
		do = a.completePatterns
	case f.Name == "fill":
		do = func(cmd *cobra.Command, args []string, to string) ([]string, cobra.ShellCompDirective) {
			var out []string
			for _, c := range things(args, func(k catalog.Kind) bool { return k == catalog.Column }) {
				out = append(out, strings.TrimPrefix(c, "column:")+"=")
			}
			return out, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
		}
	case len(o.values) > 0:
		do = cobra.FixedCompletions(o.values, cobra.ShellCompDirectiveNoFileComp)
	default:
		return
	}
	_ = cmd.RegisterFlagCompletionFunc(f.Name, do) // it fails only where it was done before
}

// completePlaces offers the named places, and leaves files to the shell.
func (a *app) completePlaces(_ *cobra.Command, _ []string, to string) ([]string, cobra.ShellCompDirective) {
	s, err := loadSettings()
	if err != nil {
		return nil, cobra.ShellCompDirectiveDefault
	}
	var out []string
	for name := range s.places() {
		if strings.HasPrefix(name, to) {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out, cobra.ShellCompDirectiveDefault
}

// completePatterns offers kinds, then the things of a kind in the places that
// were typed already, where these are files.
func (a *app) completePatterns(_ *cobra.Command, args []string, to string) ([]string, cobra.ShellCompDirective) {
	kind, _, named := strings.Cut(to, ":")
	if !named {
		var out []string
		for _, e := range engine.All() {
			for _, k := range e.Kinds().List {
				out = append(out, string(k.Kind)+":")
			}
		}
		slices.Sort(out)
		return slices.Compact(out), cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
	}
	return things(args, func(k catalog.Kind) bool { return string(k) == kind }), cobra.ShellCompDirectiveNoFileComp
}

// things lists the objects and parts of some kinds in places that are files.
func things(places []string, want func(catalog.Kind) bool) []string {
	var out []string
	for _, text := range places {
		if strings.Contains(text, "://") {
			continue // completion asks no server
		}
		p, err := place.Resolve(text, place.Options{})
		if err != nil || p.Streamed() {
			continue
		}
		c, err := p.Read(context.Background(), place.Options{})
		if err != nil {
			continue
		}
		for _, o := range c.Objects {
			if want(o.Kind) {
				out = append(out, o.Ref().String())
			}
			for _, part := range o.Parts {
				if want(part.Kind) {
					out = append(out, o.PartRef(part).String())
				}
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// findPager is the pager for long results: what PAGER says, else less.
func findPager() string {
	if p, set := os.LookupEnv("PAGER"); set {
		return p
	}
	for _, dir := range filepath.SplitList(os.Getenv("PATH")) {
		if st, err := os.Stat(filepath.Join(dir, "less")); err == nil && st.Mode()&0o111 != 0 {
			return "less"
		}
	}
	return ""
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
				fmt.Fprintf(&b, "\n%s**--%s** %s\n:   %s\n", short, f.Name, options[f.Name].value, strings.ReplaceAll(usageOf(f), "*", `\*`))
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
