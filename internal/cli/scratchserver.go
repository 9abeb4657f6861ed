package cli

import (
	"context"

	"github.com/spf13/cobra"

	"dappermirror/internal/engine"
	"dappermirror/internal/engine/local"
)

const scratchServer = "scratch-server"

// scratchServerCommand is what a call starts that reads a text of a server: it
// keeps a throw-away server for the next one. Nobody types it.
func (a *app) scratchServerCommand() *cobra.Command {
	return &cobra.Command{
		Use:    scratchServer + " ENGINE",
		Short:  "Keep a throw-away server for the calls of the next minute",
		Hidden: true,
		Args:   cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			name, variant := local.Named(args[0])
			e, err := engine.Named(name)
			if err != nil {
				return trouble("engine", "%w", err)
			}
			s, ok := e.(engine.Starter)
			if !ok {
				return trouble("engine", "%s needs no server", e.Title())
			}
			if err := local.Keep(cmd.Context(), args[0], a.scratchKeep, func(ctx context.Context) (string, func() error, error) { return s.StartLocal(ctx, variant) }); err != nil {
				return trouble("scratch", "%w", err)
			}
			return nil
		},
	}
}
