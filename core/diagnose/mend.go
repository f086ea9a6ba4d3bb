package diagnose

// Step is a kind of thing that mends an import.
type Step int

// The steps; what each is of is said beside it.
const (
	Nothing   Step = iota
	Install        // a distribution
	Upgrade        // a distribution
	Recreate       // the jar
	Replace        // a distribution, by a version for this Python
	Search         // a word, in the indexes
	LookAt         // a distribution
	RunIn          // another jar
	Import         // a module, instead
	Rename         // a file of the project
	Older          // a Python before a version
	System         // the system's package that has a library
	OwnFolder      // go to a folder of one's own
)

// Mend is the one step that mends an import, if there is one, and what it is of.
type Mend struct {
	Step Step
	Of   string
}
