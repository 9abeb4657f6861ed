package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappermirror/internal/cli/help"
	"dappermirror/internal/core/words"
)

// helpCommand is `help [COMMAND|TOPIC]`.
func (a *app) helpCommand() *cobra.Command {
	return &cobra.Command{
		Use:     "help [COMMAND|TOPIC]",
		Short:   "Tell about a command or a topic",
		Example: "  dapper-mirror help script\n  dapper-mirror help patterns",
		Args:    cobra.MaximumNArgs(2),
		ValidArgsFunction: func(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
			return commandNames(cmd.Root()), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			root := cmd.Root()
			if len(args) == 0 {
				help.Write(&a.out, root)
				return nil
			}
			if len(args) == 2 { // a command of a command
				if c, _, err := root.Find(args); err == nil && c.Name() == args[1] {
					help.Write(&a.out, c)
					return nil
				}
				return trouble("usage", "%s has no command %q", args[0], args[1])
			}
			// A word that is both is a topic first: its command tells of itself with
			// --help.
			for _, topic := range []bool{true, false} {
				for _, c := range root.Commands() {
					if c.Name() == args[0] && c.IsAdditionalHelpTopicCommand() == topic {
						help.Write(&a.out, c)
						return nil
					}
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
