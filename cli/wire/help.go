package wire

// HelpResult is what there is to say of a command.
type HelpResult struct {
	// Command is its whole name, such as "glassjar store tidy".
	Command  string   `json:"command"`
	Text     string   `json:"text"`
	Usage    string   `json:"usage"`
	Examples []string `json:"examples"`
	// Subcommands are those below it, by group.
	Subcommands []HelpCommand `json:"subcommands"`
	// Options are its own, Always those that every command takes.
	Options []HelpOption `json:"options"`
	Always  []HelpOption `json:"options_of_all"`
}

// HelpCommand is a command below another; its group is that under which the help has it.
type HelpCommand struct {
	Name    string `json:"name"`
	Group   string `json:"group,omitempty"`
	Summary string `json:"summary"`
}

// HelpOption is an option; the value is a word for what it takes, and is left out where it takes
// nothing, as the letter is where it has none.
type HelpOption struct {
	Name    string `json:"name"`
	Letter  string `json:"letter,omitempty"`
	Value   string `json:"value,omitempty"`
	Summary string `json:"summary"`
}
