package cli

import (
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"glassjar/cli/view"
	"glassjar/core/operation"
	"glassjar/core/settings"
)

func (a *app) settingsCommand() *cobra.Command {
	var clear bool
	cmd := &cobra.Command{
		Use: "settings [KEY [VALUE...]]", GroupID: "keep", Short: "every setting in effect and where it came from; change one",
		Long: `Shows every setting in effect, its value, and the file or variable that it came
from. With a key and a value it changes your own settings; comments in the file
stay.`,
		Example:   "  glassjar settings\n  glassjar settings store /data/glassjar-store\n  glassjar settings --clear store",
		ValidArgs: settings.Keys(),
		RunE: func(cmd *cobra.Command, args []string) error {
			if clear && len(args) != 1 {
				return &view.UsageError{Why: "--clear takes the name of one setting", Try: "glassjar settings --clear store"}
			}
			if len(args) > 1 || clear {
				file, err := a.machine.SetSetting(cmd.Context(), args[0], args[1:])
				if err != nil {
					return err
				}
				if !a.json {
					a.screen.Wrote(file)
				}
			}
			if len(args) == 1 && !clear {
				if _, ok := settings.Known(args[0]); !ok {
					_, err := a.machine.SetSetting(cmd.Context(), args[0], nil)
					return err
				}
			}
			e, err := a.machine.EffectiveSettings()
			if err == nil && len(args) > 0 {
				e.Only(args[0])
			} else if err == nil {
				cmd.Flags().Visit(func(f *pflag.Flag) {
					if cmd.Root().PersistentFlags().Lookup(f.Name) == nil {
						return // it is this command's own
					}
					e.Settings = append(e.Settings, operation.Effective{Key: "--" + f.Name, Value: f.Value.String(), From: operation.FromOption, Words: f.Usage})
				})
			}
			return a.present(e, err, func() { a.screen.Settings(e) })
		},
	}
	cmd.Flags().BoolVar(&clear, "clear", false, "take a setting out, so that what is built in holds")
	return cmd
}
