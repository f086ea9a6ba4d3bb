package wire

// ErrorResult is an error.
type ErrorResult struct {
	Error Message `json:"error"`
}

// Message is an error in words: what could not be done, why, what to try.
type Message struct {
	What    string   `json:"message"`
	Reasons []string `json:"reasons"`
	Try     []string `json:"try"`
	Exit    int      `json:"exit"`
	// Kind is the exit code in a word; "unknown" for an error that has no kind.
	Kind string `json:"kind"`
}

// Result is what a command prints with --json.
type Result struct {
	Commands []string
	Values   []any
}

// Results are those of all commands, in the order of the help.
var Results = []Result{
	{[]string{"create"}, []any{CreatedResult{}, Outcome{}}},
	{[]string{"install", "uninstall", "upgrade", "recreate", "clone", "rewind"}, []any{Outcome{}}},
	{[]string{"discard"}, []any{Discarded{}}},
	{[]string{"shelf"}, []any{Shelf{}, Holdings{}}},
	{[]string{"trust"}, []any{Trusted{}}},
	{[]string{"shelf rename"}, []any{Renamed{}}},
	{[]string{"outdated"}, []any{Outdated{}}},
	{[]string{"lend"}, []any{Lent{}}},
	{[]string{"run --under"}, []any{Under{}}},
	{[]string{"history"}, []any{History{}}},
	{[]string{"here"}, []any{Here{}}},
	{[]string{"contents"}, []any{Contents{}}},
	{[]string{"about"}, []any{About{}}},
	{[]string{"why"}, []any{Why{}}},
	{[]string{"search"}, []any{Found{}}},
	{[]string{"diagnose"}, []any{DiagnosisResult{}}},
	{[]string{"diff"}, []any{Difference{}}},
	{[]string{"check"}, []any{Checked{}}},
	{[]string{"label"}, []any{Labelled{}}},
	{[]string{"report"}, []any{Report{}, ShelfReport{}}},
	{[]string{"licences"}, []any{Licences{}}},
	{[]string{"advisories"}, []any{Advisories{}}},
	{[]string{"record"}, []any{Recorded{}, FormResult{}}},
	{[]string{"seal"}, []any{Sealed{}}},
	{[]string{"enter"}, []any{Entered{}}},
	{[]string{"leave"}, []any{LeaveResult{}}},
	{[]string{"shell-setup", "completion"}, []any{ShellResult{}}},
	{[]string{"connect editor", "connect container", "connect notebook", "connect git"}, []any{Connection{}}},
	{[]string{"pythons", "pythons list"}, []any{Pythons{}}},
	{[]string{"pythons fetch"}, []any{PythonFetched{}}},
	{[]string{"pythons pack"}, []any{PythonPacked{}}},
	{[]string{"pythons drop"}, []any{PythonsDropped{}}},
	{[]string{"pythons verify"}, []any{PythonsVerified{}}},
	{[]string{"index list", "index add", "index drop", "index order"}, []any{IndexesResult{}}},
	{[]string{"store usage"}, []any{StoreUsage{}}},
	{[]string{"store tidy"}, []any{Tidied{}}},
	{[]string{"store verify"}, []any{Verified{}}},
	{[]string{"store compile"}, []any{Compiled{}}},
	{[]string{"settings"}, []any{EffectiveSettings{}}},
	{[]string{"strays", "strays put-away", "strays bring-back"}, []any{Strays{}}},
	{[]string{"serve"}, []any{ServeResult{}}},
	{[]string{"demo"}, []any{DemoResult{}}},
	{[]string{"version"}, []any{VersionResult{}}},
	{[]string{"help", "store", "connect"}, []any{HelpResult{}}},
}
