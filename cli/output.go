package cli

import (
	"errors"
	"io"
	"strings"
	"syscall"

	"glassjar/cli/view"

	"github.com/spf13/cobra"
)

// oneOf refuses options of which each would make another without effect.
func oneOf(cmd *cobra.Command, names ...string) error {
	var given []string
	for _, n := range names {
		if cmd.Flags().Changed(n) {
			given = append(given, "--"+n)
		}
	}
	if len(given) < 2 {
		return nil
	}
	return &view.UsageError{Why: strings.Join(given, " and ") + " do not go together", Try: "glassjar help " + strings.TrimPrefix(cmd.CommandPath(), "glassjar ")}
}

// with refuses an option that has an effect only with another.
func with(cmd *cobra.Command, name, other string) error {
	if !cmd.Flags().Changed(name) || cmd.Flags().Changed(other) {
		return nil
	}
	return &view.UsageError{Why: "--" + name + " has an effect only with --" + other, Try: "glassjar help " + strings.TrimPrefix(cmd.CommandPath(), "glassjar ")}
}

// output is where results go. It remembers the first failure, so that no command seems
// to be done whose result was lost.
type output struct {
	to   io.Writer
	lost error
	// listens tells that what is written is remembered in said, up to mostSaid bytes and one write.
	listens bool
	said    []byte
}

// mostSaid is more than a short answer has, in bytes.
const mostSaid = 16 << 10

func (o *output) Write(p []byte) (int, error) {
	if o.listens && len(o.said) <= mostSaid {
		o.said = append(o.said, p...)
	}
	n, err := o.to.Write(p)
	if err != nil && o.lost == nil && !errors.Is(err, syscall.EPIPE) { // else whoever read it has enough
		o.lost = err
	}
	return n, err
}

// Under is what is written to.
func (o *output) Under() io.Writer { return o.to }
