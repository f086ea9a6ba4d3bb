package cli

import (
	"strings"

	"github.com/spf13/cobra"
)

// plainly says what commands do whose names are no verbs, for the first line of an error; %s stands
// for their arguments.
var plainly = []struct{ name, words string }{
	{"about", "tell about %s"}, {"advisories", "look for known faults"}, {"contents", "list what is in the jar"}, {"here", "tell what is in effect here"},
	{"history", "list the states of the jar"}, {"label", "tell the label"}, {"licences", "tell the licences"}, {"outdated", "tell what is outdated"},
	{"report", "make the report"}, {"why", "tell what brought in %s"}, {"shelf", "list the jars"}, {"shelf rename", "rename %s"},
	{"shell-setup", "make the text for %s"}, {"lend", "lend %s"}, {"connect editor", "connect an editor"}, {"connect container", "connect a container"},
	{"connect notebook", "connect notebooks"}, {"connect git", "connect git"}, {"index", "list the indexes"}, {"index list", "list the indexes"},
	{"index add", "add the index %s"}, {"index drop", "drop the index %s"}, {"index order", "order the indexes"}, {"pythons", "list the Pythons"},
	{"pythons list", "list the Pythons"}, {"pythons fetch", "fetch Python %s"}, {"pythons pack", "pack Python %s"}, {"pythons drop", "drop Python %s"},
	{"pythons verify", "verify the Pythons"}, {"settings", "show or change settings"}, {"store usage", "tell what the store holds"}, {"store tidy", "tidy the store"},
	{"store verify", "verify the store"}, {"store compile", "compile modules"}, {"strays", "list the strays"}, {"strays put-away", "put the strays away"},
	{"strays bring-back", "bring the strays back"}, {"version", "tell the version"}, {"demo", "show the demonstration"},
}

// doing is what a command was to do.
func doing(cmd *cobra.Command, args []string) string {
	name, rest := called(cmd), strings.Join(args, " ")
	for _, p := range plainly {
		if p.name == name {
			return strings.TrimSpace(strings.Replace(p.words, "%s", rest, 1))
		}
	}
	return strings.TrimSpace(name + " " + rest)
}
