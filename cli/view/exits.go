package view

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"reflect"

	"glassjar/core/apply"
	"glassjar/core/atomicfile"
	"glassjar/core/building"
	"glassjar/core/catalog"
	"glassjar/core/fetch"
	"glassjar/core/git"
	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/interpreter/fetched"
	"glassjar/core/interpreter/pack"
	"glassjar/core/interpreter/portable"
	"glassjar/core/jar"
	"glassjar/core/leaks"
	"glassjar/core/lent"
	"glassjar/core/limits"
	"glassjar/core/lock"
	"glassjar/core/metadata"
	"glassjar/core/operation"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/sealed"
	"glassjar/core/settings"
	"glassjar/core/shell"
	"glassjar/core/signature"
	"glassjar/core/source"
	"glassjar/core/store"
	"glassjar/core/target"
	"glassjar/core/version"
	"glassjar/core/wheel"
)

// Exit codes.
const (
	ExitDone      = 0
	ExitNo        = 1
	ExitUsage     = 2
	ExitUnsolved  = 3
	ExitNetwork   = 4
	ExitIntegrity = 5
	ExitPython    = 6
	ExitBuild     = 7
	// ExitMachine is for what the machine denies: a full disk, no permission, an
	// input or output error, no handles or memory left.
	ExitMachine = 8
	// ExitCannotRun is for a command that is there and is not started, ExitNoCommand for one
	// that is not there, and ExitInterrupted for an interrupt, as shells count them.
	ExitCannotRun   = 126
	ExitNoCommand   = 127
	ExitInterrupted = 130
)

// ExitWord is an exit code with its kind, which JSON gives, and what it means.
type ExitWord struct {
	Code        int
	Kind, Words string
}

// ExitWords are all codes, in order.
var ExitWords = []ExitWord{
	{ExitDone, "", "done"},
	{ExitNo, "no", "a question answered with no: `check`, `diff`, `outdated` found something, or you said no. Kind `unknown` for an error of no known kind, `fault` for one of this program itself"},
	{ExitUsage, "usage", "wrong usage, or a file that a person wrote is not as it should be"},
	{ExitUnsolved, "unsolved", "no versions fit together, or no index has a name"},
	{ExitNetwork, "network", "an index or the network failed"},
	{ExitIntegrity, "integrity", "a hash or a file is not what it must be"},
	{ExitPython, "python", "no fitting interpreter, no jar, or one in the middle of a change"},
	{ExitBuild, "build", "a build failed, or had no consent"},
	{ExitMachine, "machine", "the machine denies something: a full disk, no permission, no locks, input or output errors, no handles or memory left"},
	{ExitCannotRun, "cannot run", "`run` found the command, and the system does not start it"},
	{ExitNoCommand, "no command", "`run` found no such command"},
	{ExitInterrupted, "interrupted", "Ctrl-C"},
}

// exit is one line of the table of exit codes: what an error is, and the code.
type exit struct {
	kind  reflect.Type // nil for an error that is a value
	match func(error) (code int, ok bool)
}

// is is a line for a type of errors.
func is[E error](code int) exit { return by(func(E) int { return code }) }

// by is one for a type of which some have another code than others.
func by[E error](code func(E) int) exit {
	return exit{reflect.TypeFor[E](), func(err error) (int, bool) {
		var e E
		if !errors.As(err, &e) {
			return 0, false
		}
		return code(e), true
	}}
}

// value is one for an error that is a value.
func value(target error, code int) exit {
	return exit{nil, func(err error) (int, bool) { return code, errors.Is(err, target) }}
}

// exits is the table, from errors to exit codes. The first line that fits counts:
// what wraps others stands before them, and the system's errors last.
var exits = []exit{
	value(context.Canceled, ExitInterrupted),
	is[*guard.PanicError](ExitNo), is[*operation.SpoiledError](ExitPython),

	// What is built from source, and may not be.
	is[*building.NoConsentError](ExitBuild), is[*building.NoFolderError](ExitUsage), is[*source.BuildError](ExitBuild), is[*sealed.LackingError](ExitMachine), is[*sealed.FromFolderError](ExitUsage), is[*source.ArchiveError](ExitIntegrity),
	by(func(e *source.RepositoryError) int {
		if e.Missing {
			return ExitMachine
		}
		return ExitNetwork
	}),

	// How the command was used, and what stands in files that people write.
	is[*operation.UsageError](ExitUsage), is[*UsageError](ExitUsage), is[*operation.BadNameError](ExitUsage), is[*requirement.ParseError](ExitUsage), is[*target.UnknownError](ExitUsage), is[*place.DisagreeError](ExitUsage), is[*place.SeveralError](ExitUsage),
	is[*jar.ExistsError](ExitUsage), is[*jar.PlaceError](ExitUsage), is[*jar.OwnThingsError](ExitUsage), is[*operation.StillNeededError](ExitUsage), is[*lent.ClashError](ExitUsage), is[*lent.NoCommandError](ExitUsage), is[*lent.NothingError](ExitUsage), is[*operation.NoAdvisoriesError](ExitUsage), is[*operation.NotInstalledError](ExitUsage),
	is[*operation.NotMergedError](ExitNo), is[*operation.RevisionError](ExitUsage), is[*git.Error](ExitMachine),
	is[*operation.OtherFileError](ExitUsage), is[*leaks.AwayTwiceError](ExitUsage), is[*shell.UnknownError](ExitUsage),
	by(func(e *project.FileError) int {
		if e.Damaged {
			return ExitIntegrity
		}
		return ExitUsage
	}),
	is[*registry.RefError](ExitUsage), is[*operation.NoHashError](ExitUsage), is[*operation.PythonInUseError](ExitUsage), is[*pack.Error](ExitUsage),
	is[*operation.NoSpecError](ExitUsage), is[*project.EditError](ExitUsage), is[*project.ListError](ExitUsage), is[*index.PinError](ExitUsage), is[*index.NoTimesError](ExitUnsolved), is[*settings.ValueError](ExitUsage), is[*atomicfile.LinkError](ExitUsage),
	value(project.ErrNoRecord, ExitUsage),

	// A question answered with no.
	is[*operation.OutOfStepError](ExitNo), is[*operation.BusyError](ExitNo), is[*lock.BusyError](ExitNo),

	// No versions fit together, or none is there.
	is[*plan.SolveError](ExitUnsolved), is[*catalog.UnknownNamesError](ExitUnsolved), is[*resolve.Failure](ExitUnsolved), is[*resolve.UnreadableError](ExitUnsolved),
	is[*plan.NotServedError](ExitUnsolved), is[*plan.AssumedError](ExitUnsolved), is[*operation.CannotCloneError](ExitUnsolved),
	by(func(e *plan.NoFittingFileError) int {
		if e.Sources {
			return ExitBuild
		}
		return ExitUnsolved
	}),
	value(index.ErrUnknownName, ExitUnsolved),

	// Bytes that are not what they must be.
	is[*registry.NotJarError](ExitIntegrity), is[*portable.Refusal](ExitIntegrity), is[*fetched.VersionError](ExitIntegrity),
	is[*store.HashError](ExitIntegrity), is[*limits.Error](ExitIntegrity), is[*index.HashMismatchError](ExitIntegrity), is[*index.DamagedError](ExitIntegrity), is[*index.QuarantinedError](ExitIntegrity), is[*wheel.Refusal](ExitIntegrity), is[*jar.ClashError](ExitIntegrity), is[*jar.RecordError](ExitIntegrity),
	is[*store.LostError](ExitIntegrity), is[*jar.DamagedJournalError](ExitIntegrity), value(metadata.ErrInvalid, ExitIntegrity), is[*version.ParseError](ExitIntegrity),

	// The network, and those who answer there.
	is[*signature.NotSignedError](ExitIntegrity), is[*signature.KeyError](ExitUsage), is[*signature.LineError](ExitUsage),
	is[*registry.NotThereError](ExitNetwork), is[*registry.DeniedError](ExitNetwork), is[*registry.RefusedError](ExitNetwork), is[*registry.OtherFileError](ExitIntegrity),
	is[*fetch.StatusError](ExitNetwork), is[*fetch.ProxyError](ExitNetwork), is[*fetch.CertificateError](ExitNetwork), is[*fetch.BusyError](ExitNetwork), is[*fetch.OfflineError](ExitNetwork), is[*fetch.InsecureError](ExitNetwork), is[*fetch.NetworkError](ExitNetwork),
	is[*fetch.WholeError](ExitNetwork), is[*index.NotIndexError](ExitNetwork), value(fetch.ErrNoRanges, ExitNetwork),

	// The machine. What could not be undone is mostly its doing.
	is[*lock.Error](ExitMachine), is[*settings.OthersError](ExitMachine), is[*OutputError](ExitMachine), is[*apply.NoRoomError](ExitMachine), is[*jar.RecoverError](ExitMachine),

	// Jars and interpreters.
	is[*place.NoJarError](ExitPython), is[*place.NotTrustedError](ExitPython), is[*place.ElsewhereError](ExitPython), is[*jar.NotAJarError](ExitPython), is[*jar.NewerFormatError](ExitPython), is[*jar.InterpreterGoneError](ExitPython),
	is[*operation.NoPythonError](ExitPython), is[*operation.NotOfferedError](ExitPython), is[*fetched.LibraryError](ExitPython), is[*fetched.StartError](ExitPython), is[*operation.PythonNotHereError](ExitPython), is[*plan.WrongPythonError](ExitPython), is[*jar.PendingError](ExitPython), is[*jar.ChangingError](ExitPython),
	by(func(e interpreter.Rejection) int {
		if e.Passing {
			return ExitMachine
		}
		return ExitPython
	}),
	is[*operation.NoCommandError](ExitNoCommand), is[*operation.NoFileError](ExitNoCommand), is[*operation.CannotRunError](ExitCannotRun),

	{nil, func(err error) (int, bool) { return ExitMachine, ofSystem(err) }},
}

// ofSystem reports whether an error is the operating system's.
func ofSystem(err error) bool {
	var path *fs.PathError
	var link *os.LinkError
	var call *os.SyscallError
	return errors.As(err, &path) || errors.As(err, &link) || errors.As(err, &call) || isErrno(err)
}

// kinds are the exit codes in a word each.
var kinds = func() map[int]string {
	out := map[int]string{}
	for _, w := range ExitWords {
		out[w.Code] = w.Kind
	}
	return out
}()

// unknownKind is that of an error that the table does not know.
const unknownKind = "unknown"

// faultKind is that of a fault of this program itself.
const faultKind = "fault"

// exitOf is the code that a command ends with for an error, and its kind; ExitNo and
// a kind of its own for one that the table does not know.
func exitOf(err error) (code int, kind string) {
	var panicked *guard.PanicError
	for _, line := range exits {
		if code, ok := line.match(err); ok {
			if errors.As(err, &panicked) {
				return code, faultKind
			}
			return code, kinds[code]
		}
	}
	return ExitNo, unknownKind
}
