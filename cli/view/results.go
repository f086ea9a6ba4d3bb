package view

import (
	"glassjar/core/interpreter"
	"glassjar/core/operation"
)

// What commands print with --json where the core has no value of that shape.
type (
	// ErrorResult is an error.
	ErrorResult struct {
		Error Message `json:"error"`
	}
	// CreatedResult is an empty jar that was made.
	CreatedResult struct {
		Jar            string                  `json:"jar"`
		Python         string                  `json:"python"`
		Implementation string                  `json:"implementation"`
		Base           string                  `json:"base"`
		Why            string                  `json:"why"`
		PassedOver     []interpreter.Rejection `json:"passed_over"`
		// Project is the folder of the project that it is for, Above that this is not
		// the current one.
		Project string `json:"project"`
		Above   bool   `json:"above"`
	}
	// FormResult is the contents in another form.
	FormResult struct {
		Form string `json:"form"`
		Text string `json:"text"`
	}
	// IndexesResult are the indexes that are set up.
	IndexesResult struct {
		Indexes []operation.IndexInfo `json:"indexes"`
	}
	// LeaveResult is the jar that is active, and that which the shell was opened in.
	LeaveResult struct {
		Active  string `json:"active"`
		Entered string `json:"entered"`
	}
	// ShellResult is a text for a shell's start file.
	ShellResult struct {
		Shell string `json:"shell"`
		Text  string `json:"text"`
	}
	// ServeResult is where an index is served.
	ServeResult struct {
		Address string `json:"address"`
	}
	// DemoResult is what the demonstration did.
	DemoResult struct {
		Steps []DemoStep `json:"steps"`
		// Folder is where, Kept whether it is still there.
		Folder string `json:"folder"`
		Kept   bool   `json:"folder_kept"`
	}
	// DemoStep is one command of it.
	DemoStep struct {
		Command string `json:"command"`
		Output  string `json:"output"`
		Exit    int    `json:"exit"`
	}
	// VersionResult is the program's version.
	VersionResult struct {
		Version string `json:"version"`
		Go      string `json:"go"`
		OS      string `json:"os"`
		Arch    string `json:"arch"`
	}
)

// Result is what a command prints with --json.
type Result struct {
	Commands []string
	Values   []any
}

// Results are those of all commands, in the order of the help.
var Results = []Result{
	{[]string{"create"}, []any{CreatedResult{}, operation.Outcome{}}},
	{[]string{"install", "uninstall", "upgrade", "recreate", "clone", "rewind"}, []any{operation.Outcome{}}},
	{[]string{"discard"}, []any{operation.Discarded{}}},
	{[]string{"shelf"}, []any{operation.Shelf{}}},
	{[]string{"trust"}, []any{operation.Trusted{}}},
	{[]string{"shelf rename"}, []any{operation.Renamed{}}},
	{[]string{"outdated"}, []any{operation.Outdated{}}},
	{[]string{"history"}, []any{operation.History{}}},
	{[]string{"here"}, []any{operation.Here{}}},
	{[]string{"contents"}, []any{operation.Contents{}}},
	{[]string{"about"}, []any{operation.About{}}},
	{[]string{"why"}, []any{operation.Why{}}},
	{[]string{"search"}, []any{operation.Found{}}},
	{[]string{"diagnose"}, []any{DiagnosisResult{}}},
	{[]string{"diff"}, []any{operation.Difference{}}},
	{[]string{"check"}, []any{operation.Checked{}}},
	{[]string{"label"}, []any{operation.Labelled{}}},
	{[]string{"report"}, []any{operation.Report{}}},
	{[]string{"record"}, []any{operation.Recorded{}, FormResult{}}},
	{[]string{"seal"}, []any{operation.Sealed{}}},
	{[]string{"enter"}, []any{operation.Entered{}}},
	{[]string{"leave"}, []any{LeaveResult{}}},
	{[]string{"shell-setup"}, []any{ShellResult{}}},
	{[]string{"connect editor", "connect container"}, []any{operation.Connection{}}},
	{[]string{"pythons"}, []any{operation.Pythons{}}},
	{[]string{"index list", "index add", "index drop", "index order"}, []any{IndexesResult{}}},
	{[]string{"store usage"}, []any{operation.StoreUsage{}}},
	{[]string{"store tidy"}, []any{operation.Tidied{}}},
	{[]string{"store verify"}, []any{operation.Verified{}}},
	{[]string{"store compile"}, []any{operation.Compiled{}}},
	{[]string{"settings"}, []any{operation.EffectiveSettings{}}},
	{[]string{"strays", "strays put-away", "strays bring-back"}, []any{operation.Strays{}}},
	{[]string{"serve"}, []any{ServeResult{}}},
	{[]string{"demo"}, []any{DemoResult{}}},
	{[]string{"version"}, []any{VersionResult{}}},
}
