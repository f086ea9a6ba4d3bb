package operation

import (
	"slices"
	"strings"
)

// Case is one way in which what was asked for cannot be meant. What is said of it, and
// of each thing that it is about, are words of the interface; here stands what the
// case's Of has, in its order.
type Case string

const (
	NoSuchTargets         Case = "no such targets"            // those asked for, those that the record serves
	NoNotebook            Case = "no notebook"                // the jar
	NoHolding             Case = "no holding"                 // the text
	NoJarToLend           Case = "no jar to lend of"          // the name
	BadPythonRange        Case = "bad range of Pythons"       // the text
	NoBlock               Case = "no block of metadata"       // the script
	JarOfScript           Case = "jar of a script"            // the jar, and a script that it is of or nothing
	UnreadScript          Case = "unread script"              // the file
	MergeMarks            Case = "marks of a merge"           // the spec
	MergedTwice           Case = "twice by a merge"           // the spec
	NoRepository          Case = "no repository"              // the project
	ReviewOfJar           Case = "review of a jar"            // nothing
	NoKey                 Case = "no key"                     // the file
	NoSigners             Case = "no signers"                 // the file
	NoSealedJar           Case = "no sealed jar"              // the file
	SealedLacks           Case = "the sealed jar lacks"       // the package file
	NoWord                Case = "no word"                    // what was to be looked for
	BadLimit              Case = "bad limit"                  // the number
	NoMaturity            Case = "no maturity"                // the word, those there are
	BadPythonVersion      Case = "bad version of Python"      // the text
	SecretInAddress       Case = "secret in an address"       // nothing: it is not shown
	NoPackageFile         Case = "no package file"            // the text
	NoRepositoryAddress   Case = "no repository address"      // the text, what is meant
	NoRequirement         Case = "no requirement"             // the text
	NoFolder              Case = "no folder of source"        // the text
	OtherDisk             Case = "folder on another disk"     // the folder
	NameNotStated         Case = "name not stated"            // the text
	OtherDistribution     Case = "another distribution"       // the text, its name, the file's, the address
	NoFile                Case = "no file"                    // its path
	BadDistribution       Case = "bad distribution name"      // the name
	BadModule             Case = "bad module name"            // the name
	NothingToCompare      Case = "nothing to compare"         // the word
	NoShell               Case = "no shell"                   // the program
	NoSetting             Case = "no setting"                 // the word
	NothingDiscarded      Case = "nothing discarded"          // nothing
	NotDiscarded          Case = "not discarded"              // the place or name
	NoProjectForImage     Case = "no project for an image"    // the jar
	NoLinuxProgram        Case = "no program for Linux"       // the file
	ProgramNeedsLibraries Case = "program needs libraries"    // the file
	OtherThanPinned       Case = "another Python than pinned" // the jar's, the jar
	OtherPython           Case = "another Python"             // the jar's, the jar
	NoPartOfRecord        Case = "no part of the record"      // group or extra, the name, those there are
	NoPartOfJar           Case = "no part of the jar"         // the name
	Unreadable            Case = "unreadable"                 // the file
	NoEarlierState        Case = "no earlier state"           // nothing
	NoState               Case = "no state"                   // the number
	NotOnShelf            Case = "not on the shelf"           // the name
	NoProjectToConnect    Case = "no project to connect"      // the jar
	NothingConnected      Case = "nothing connected"          // nothing
	HereAndElsewhere      Case = "here and elsewhere"         // nothing
	BadWish               Case = "bad wish for a Python"      // nothing
	BadIndexName          Case = "bad index name"             // the name
	AddressNotText        Case = "address is no text"         // nothing
	NoFetchedPython       Case = "no fetched Python"          // the name
	SeveralPythons        Case = "several fetched Pythons"    // the name, one of them
	NoSum                 Case = "no hash"                    // the text
	HoldsWhat             Case = "holds what"                 // what
	BadIndexAddress       Case = "bad address of an index"    // the address
	AddressElsewhere      Case = "address of another machine" // the address
	NoIndex               Case = "no index"                   // the name
	NoForm                Case = "no form of a record"        // the word
)

// UsageError says that a command was asked for something that cannot be meant.
type UsageError struct {
	Case Case
	Of   []string
	// Near is the nearest there is to what was asked for; empty if nothing is near.
	Near string
	// Err is what else says why, or nil.
	Err error
}

func (e *UsageError) Error() string {
	text := string(e.Case)
	if len(e.Of) > 0 {
		text += ": " + strings.Join(e.Of, "; ")
	}
	if e.Err != nil {
		text += ": " + e.Err.Error()
	}
	return text
}

func (e *UsageError) Unwrap() error { return e.Err }

func usage(c Case, of ...string) error { return &UsageError{Case: c, Of: of} }

// Remark is something that a user should know beside a result.
type Remark string

const (
	SealNeedsPackages  Remark = "sealing needs package files" // nothing
	NoRecordOfSealed   Remark = "no record of the sealed"     // nothing
	NoRecordOfPaths    Remark = "no record of paths"          // the file
	FilesStay          Remark = "spec and record stay"        // the jar
	LineLeftOut        Remark = "line left out"               // why
	NotTrusted         Remark = "not trusted"                 // the jar
	NotTrustedAlone    Remark = "not trusted, no record"      // the jar
	MakesWay           Remark = "makes way"                   // nothing
	NoFolderNow        Remark = "no folder now"               // where it would be
	NoFilesNow         Remark = "no package files now"        // the folder
	PagesInFolder      Remark = "pages of an index"           // the folder
	SpoiledMakesWay    Remark = "spoiled, makes way"          // what is wrong with it
	DiscardedStays     Remark = "a discarded jar stays"       // where it is, why
	PythonUpgraded     Remark = "Python upgraded"             // its version now, and when the jar was made
	HandChanges        Remark = "changed by hand"             // the states before and that are it
	MadeForScript      Remark = "made for a script"           // the script, the Python
	Undone             Remark = "undone"                      // nothing
	Completed          Remark = "completed"                   // nothing
	ChangedSince       Remark = "changed since"               // the file
	OutsideOfImage     Remark = "outside of the image"        // the file
	OldPrompt          Remark = "old name in the prompt"      // why
	PythonsNotSeen     Remark = "Pythons not seen"            // why
	PythonNotPinned    Remark = "Python not pinned"           // the Python
	RecordAnew         Remark = "record made anew"            // what is wrong with the old one
	LibrariesElsewhere Remark = "libraries elsewhere"         // the name, the folders
	NewerSource        Remark = "newer source"                // the name, the version here, the newer one
	SpecMerged         Remark = "spec merged"                 // its file
	UnknownKey         Remark = "unknown key"                 // the spec, the line, the key
	UnknownKeyNear     Remark = "unknown key, near one"       // the spec, the line, the key, what may be meant
	SpecJoined         Remark = "spec joined"                 // its file
	RecordMerged       Remark = "record merged"               // what both sides moved, or nothing
	SignatureGone      Remark = "signature gone"              // its file
	MachineSettings    Remark = "settings of the machine"     // what is wrong with them
)

// Note is a remark with what it is about, in the order that is told beside it.
type Note struct {
	Remark Remark
	Of     []string
}

func (n Note) same(other Note) bool { return n.Remark == other.Remark && slices.Equal(n.Of, other.Of) }
