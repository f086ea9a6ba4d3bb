package cli

import (
	"errors"

	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/cli/wire"
	"glassjar/core/operation"
)

func (a *app) recordCommand() *cobra.Command {
	var opt operation.RecordOptions
	var form, to string
	cmd := &cobra.Command{
		Use: "record", GroupID: "record", Short: "write or refresh the record from the spec",
		Long: `Finds versions for what the spec asks for, and writes them with the hashes of
their files into pylock.toml. Versions that the record has stay where they fit.
With --as the contents are printed in another form: a plain list, a spec for a
jar that was filled by hand, or a CycloneDX bill of materials. With --of the
record of a script is written beside it, and run follows it.`,
		Example: "  glassjar record\n  glassjar record --of tally.py\n  glassjar record --check\n  glassjar record --as sbom --to bom.json",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			opt.Jar = a.jar
			if err := errors.Join(with(cmd, "to", "as"), oneOf(cmd, "check", "to"), oneOf(cmd, "check", "sign")); err != nil {
				return err
			}
			if form == operation.AsLock && to == "" {
				if err := a.ofScript(cmd, "of", &opt.Of); err != nil {
					return err
				}
			} else {
				if err := errors.Join(oneOf(cmd, "as", "check"), oneOf(cmd, "as", "pre-releases"), oneOf(cmd, "as", "sign"), oneOf(cmd, "as", "of")); err != nil {
					return err
				}
				return a.export(cmd, form, to)
			}
			r, err := a.machine.Record(cmd.Context(), opt)
			if err != nil {
				return err
			}
			if opt.Check && r.Changed {
				a.exit = view.ExitNo
			}
			if a.json {
				a.screen.Data(r)
				return nil
			}
			a.screen.Recorded(r, opt.Check)
			return nil
		},
	}
	a.buildFlag(cmd)
	cmd.Flags().StringVar(&form, "as", operation.AsLock, "lock, spec, list or sbom")
	cmd.Flags().StringVar(&to, "to", "", "with --as, write into this file")
	a.asOfFlag(cmd)
	cmd.Flags().BoolVar(&opt.Pre, "pre-releases", false, "take pre-releases as well")
	cmd.Flags().StringArrayVar(&opt.ReadAll, "every-wheel", nil, "read what every wheel of this distribution needs, where its index does not say")
	cmd.Flags().StringVar(&opt.Sign, "sign", "", "sign it with the SSH `KEY` in this file, beside it")
	cmd.Flags().StringVar(&opt.Of, "of", "", "write that of this `SCRIPT`, beside it")
	cmd.Flags().BoolVar(&opt.Check, "check", false, "change nothing; exit with 1 if the record is not in step")
	return cmd
}

// export prints the contents in another form, or writes them into a file.
func (a *app) export(cmd *cobra.Command, form, to string) error {
	data, err := a.machine.Export(cmd.Context(), a.jar, form, to)
	if err != nil {
		return err
	}
	switch {
	case to != "":
		if err := a.machine.WriteForm(to, form, data); err != nil {
			return err
		}
		a.screen.Wrote(to)
	case a.json && form != operation.AsSBOM:
		a.screen.Data(wire.FormResult{Form: form, Text: string(data)})
	default:
		_, err = a.out.Write(data)
	}
	return err
}

func (a *app) recreateCommand() *cobra.Command {
	var opt operation.RecreateOptions
	var planOnly bool
	cmd := &cobra.Command{
		Use: "recreate", GroupID: "record", Short: "make the jar be exactly what its record says",
		Long: `Makes a missing jar, and brings an existing one, whatever was done to it, to
exactly what the record says. If it already is so, nothing is done.`,
		Example: "  glassjar recreate\n  glassjar recreate --plan",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			opt.Jar = a.jar
			for _, err := range []error{with(cmd, "lenient", "from"), oneOf(cmd, "as-recorded", "from"), oneOf(cmd, "as-recorded", "target"), oneOf(cmd, "lenient", "target")} {
				if err != nil {
					return err
				}
			}
			planOnly = planOnly || opt.Target != ""
			o, err := a.machine.Recreate(cmd.Context(), opt, a.decide(planOnly))
			if err != nil {
				return err
			}
			a.show(o, planOnly)
			return nil
		},
	}
	a.buildFlag(cmd)
	cmd.Flags().BoolVar(&planOnly, "plan", false, "show what would be done, and stop")
	cmd.Flags().BoolVar(&opt.AsRecorded, "as-recorded", false, "follow the record though the spec has changed since")
	cmd.Flags().StringVar(&opt.Python, "python", "", "the Python to use, for a jar that has to be made")
	cmd.Flags().StringArrayVar(&opt.Groups, "group", nil, "install this dependency group too; may be repeated")
	cmd.Flags().StringArrayVar(&opt.Extras, "extra", nil, "install this extra of the project too; may be repeated")
	cmd.Flags().StringVar(&opt.SignedBy, "signed-by", "", "somebody in this `FILE` of signers must have signed the record")
	cmd.Flags().StringVar(&opt.From, "from", "", "follow this record, spec or plain list instead")
	cmd.Flags().BoolVar(&opt.Lenient, "lenient", false, "with a plain list, take what is a requirement and tell what is left out")
	cmd.Flags().StringVar(&opt.Target, "target", "", "show what another machine would get, such as windows-x86_64")
	cmd.Flags().BoolVar(&opt.Only, "only", false, "of the spec, install only the groups and extras that are named")
	return cmd
}
