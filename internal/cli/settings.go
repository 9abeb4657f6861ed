package cli

import (
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappermirror/internal/settings"
)

// apply sets the flags of a command that the user did not give.
func apply(s *settings.Settings, cmd *cobra.Command) error {
	var err error
	cmd.Flags().VisitAll(func(f *pflag.Flag) {
		v, ok := s.Found[f.Name]
		if !ok || f.Changed || err != nil {
			return
		}
		if e := f.Value.Set(v[0]); e != nil {
			err = trouble("settings", "%s: %q is no value for %s", v[1], v[0], f.Name)
		}
	})
	return err
}
