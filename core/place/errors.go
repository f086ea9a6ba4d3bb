package place

import "fmt"

// DisagreeError says that the active jar is not the project's, so that a
// command that writes cannot know which one is meant.
type DisagreeError struct{ Active, Project string }

func (e *DisagreeError) Error() string {
	return fmt.Sprintf("the active jar is %s, and the project's is %s", e.Active, e.Project)
}

// NoJarError says that there is no jar to act on.
type NoJarError struct {
	// Root is where one was looked for; Named is what --jar gave.
	Root, Named string
	// Script is the script of which it would be; empty for most. File tells that what is named is a
	// file, and no script that says what it needs.
	Script string
	File   bool
	// Unwanted tells that it was to be removed.
	Unwanted bool
	// Record tells that a record is there to recreate it from.
	Record bool
	// Shelf are the names on the shelf, Used the jars that were used last, the
	// latest first.
	Shelf, Used []string
	// Beyond is what lies above and is not used, nil if nothing does.
	Beyond *Beyond
}

func (e *NoJarError) Error() string {
	if e.Named != "" {
		return fmt.Sprintf("there is no jar %q", e.Named)
	}
	return "there is no jar here"
}

// SeveralError says that a name is that of several jars.
type SeveralError struct {
	Name  string
	Roots []string
}

func (e *SeveralError) Error() string { return fmt.Sprintf("several jars are called %q", e.Name) }
