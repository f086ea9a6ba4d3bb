package cli

import (
	"io"

	"github.com/spf13/cobra"
)

// Commands is the tree of commands, for pages and scripts that are made of it. None of
// them can be run.
func Commands() *cobra.Command { return newApp(nil, nil, io.Discard, io.Discard).root() }
