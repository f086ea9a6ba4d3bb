package view

import (
	"fmt"
	"slices"
	"strings"

	"glassjar/core/operation"
	"glassjar/core/settings"
)

// UsageError reports words of the command line that do not go together.
type UsageError struct{ Why, Try string }

func (e *UsageError) Error() string { return e.Why }

// phrase is what is said of a case. {1} is the first thing that it is about, {near} the
// nearest there is, {error} what else says why.
type phrase struct {
	why, try string
	// without is tried instead where the last thing is empty, or what try names is not there.
	without string
}

// cases has the words for what was asked for and cannot be meant.
var cases = map[operation.Case]phrase{
	operation.NoSuchTargets:         {why: "the record serves none of the targets {1}", try: "it serves {2}"},
	operation.NoNotebook:            {why: "no notebook is connected to {1}", try: "glassjar shelf names those that are"},
	operation.NoHolding:             {why: "{1} is no name with a range of versions", try: "glassjar shelf --holding 'brixmeter<1.2'"},
	operation.NoJarToLend:           {why: "there is no jar {1} on the shelf", try: "glassjar lend {1} --new makes one with the package of that name"},
	operation.BadPythonRange:        {why: "{1} is no list of Pythons", try: "minor versions, ranges of these, or implementations: 3.9,3.11..3.13,pypy"},
	operation.NoBlock:               {why: "{1} does not say what it needs: it has no block of script metadata", try: "glassjar install --into {1} NAME begins one"},
	operation.JarOfScript:           {why: "{1} is the jar of a script, and holds what that asks for", try: "change what it asks for: glassjar install --into {2} NAME", without: "change what the script asks for: glassjar install --into FILE.py NAME"},
	operation.UnreadScript:          {why: "{1} cannot be read: {error}", try: "name a Python file that is there"},
	operation.MergedTwice:           {why: "{1} has a table or a key twice, as a merge can leave it", try: "glassjar record takes both sides' wishes"},
	operation.MergeMarks:            {why: "{1} has the marks of a merge that failed", try: "glassjar record takes both sides' wishes"},
	operation.NoRepository:          {why: "{1} is in no repository of git, or there is no git here", try: "git init"},
	operation.ReviewOfJar:           {why: "markdown is of two records, sealed jars or revisions, and one of these is a jar", try: "glassjar diff git:main --as markdown"},
	operation.NoKey:                 {why: "there is no key at {1}", try: "name the file of a private key or, for one in the agent, of its public half"},
	operation.NoSigners:             {why: "there is no file of signers at {1}", try: "a line for each: perry@orchard.example ssh-ed25519 AAAA..."},
	operation.NoSealedJar:           {why: "{1} is not there", try: "name a sealed jar"},
	operation.SealedLacks:           {why: "the sealed jar lacks {1}", try: "seal it anew, for this target: glassjar seal"},
	operation.NoWord:                {why: `there is nothing to look for in "{1}"`, try: "name a word, as in glassjar search press"},
	operation.BadLimit:              {why: "--limit is at least 1, not {1}", try: "leave it out for the first twenty"},
	operation.NoMaturity:            {why: `"{1}" is not a maturity`, try: "they are {2}"},
	operation.BadPythonVersion:      {why: `"{1}" is not a version of Python such as 3.12`, try: "give its first two numbers, as in 3.12"},
	operation.SecretInAddress:       {why: "the address holds a password or a token, which would stand in a file", try: "keep it in your netrc file, or in the system's keyring: glassjar settings keyring true"},
	operation.NoPackageFile:         {why: `"{1}" cannot be installed: {error}`, try: "name a wheel (.whl), an archive of source (.tar.gz, .zip), a folder, or git+ and an address"},
	operation.NoRepositoryAddress:   {why: `"{1}" is not how a repository is named here`, try: "write {2}"},
	operation.NoRequirement:         {why: `"{1}" is not a requirement: {error}`, try: "did you mean '{near}'?", without: "write NAME, 'NAME>=1.0' in quotes, or the path of a wheel or of source"},
	operation.NoFolder:              {why: `"{1}" is no folder of source, and only one can be editable`, try: "name the folder that has the pyproject.toml: glassjar install --editable ../NAME"},
	operation.OtherDisk:             {why: "{1} cannot be told by a path from the project: it is on another disk", try: "put it beside the project"},
	operation.NameNotStated:         {why: `"{1}" does not state which distribution it is`, try: "say so: 'NAME @ {1}'"},
	operation.OtherDistribution:     {why: "{1} asks for {2}, and the file is one of {3}", try: "write {3} @ {4}"},
	operation.NoFile:                {why: "there is nothing at {1}", try: "name an archive, a wheel or a folder that is there"},
	operation.BadDistribution:       {why: `"{1}" is not a distribution's name`, try: "glassjar contents lists what is in the jar, and glassjar search WORD finds others"},
	operation.BadModule:             {why: `"{1}" is not a module's name`, try: "give it as in an import: glassjar diagnose package.module"},
	operation.NothingToCompare:      {why: "{1} is no jar, no record and no sealed jar", try: "name two of them: glassjar diff A B"},
	operation.NoShell:               {why: "your shell, {1}, cannot be started", try: "name another: SHELL=/bin/sh glassjar enter"},
	operation.NoSetting:             {why: `"{1}" is not a setting`, try: "the nearest is {near}", without: "glassjar settings lists them"},
	operation.NothingDiscarded:      {why: "there is no discarded jar to bring back", try: "glassjar shelf lists the jars"},
	operation.NotDiscarded:          {why: "no jar was discarded at {1}", try: "glassjar shelf lists what can be brought back"},
	operation.NoProjectForImage:     {why: "{1} belongs to no project, so there is nothing to put into an image", try: "stand in a project with a record, and name no other jar"},
	operation.NoLinuxProgram:        {why: "{1} is no program for Linux", try: forImage},
	operation.ProgramNeedsLibraries: {why: "{1} needs libraries of the system", try: forImage},
	operation.OtherThanPinned:       {why: "the jar has {1}, which is of another minor version than the Python that the record pins", try: "discard it first: glassjar discard {2}"},
	operation.OtherPython:           {why: "the jar has {1}, not what --python asks for", try: "discard it first: glassjar discard {2}"},
	operation.NoPartOfRecord:        {why: `the record has no {1} "{2}"`, try: "it has {3}", without: "the record has none"},
	operation.NoPartOfJar:           {why: `the jar holds nothing of a group or extra "{1}"`, try: "glassjar install --group {1} NAME writes one"},
	operation.Unreadable:            {why: "{1} cannot be read: {error}", try: "name a record, a spec or a plain list"},
	operation.NoEarlierState:        {why: "there is no earlier state", try: "glassjar history lists the states"},
	operation.NoState:               {why: "there is no state {1}", try: "glassjar history lists the states"},
	operation.NotOnShelf:            {why: `"{1}" is not on the shelf`, try: "a project's jar is called after the project: change name in its pyproject.toml"},
	operation.NoProjectToConnect:    {why: "{1} belongs to no project, so there is no folder to connect it in", try: "stand in the project that is meant, and name no other jar"},
	operation.NothingConnected:      {why: "nothing was connected to this jar", try: "glassjar connect editor"},
	operation.HereAndElsewhere:      {why: "--here makes the jar of this folder", try: "leave out --here, or the name and --at"},
	operation.BadWish:               {why: "{error}", try: "glassjar pythons shows which are here"},
	operation.BadIndexName:          {why: `"{1}" cannot be an index's name`, try: "use letters, digits, '-', '_' and '.'"},
	operation.AddressNotText:        {why: "the address is not UTF-8, so that the file cannot hold it", try: "give the folder a name that is, or make a link to it that has one"},
	operation.NoFetchedPython:       {why: `no Python was fetched that is "{1}"`, try: "glassjar pythons lists those that are here"},
	operation.SeveralPythons:        {why: `several Pythons were fetched that are "{1}"`, try: "name one of them, as glassjar pythons lists them: {2}"},
	operation.NoSum:                 {why: `"{1}" is not a SHA-256 in hex`, try: "it has 64 digits from 0 to 9 and a to f"},
	operation.HoldsWhat:             {why: `"{1}" is nothing that an index holds`, try: "leave --holds out for packages, or say --holds pythons or --holds advisories"},
	operation.BadIndexAddress:       {why: `"{1}" cannot be the address of an index`, try: "give an http or https address without '?' and '#', oci:// and a registry's, or a folder"},
	operation.AddressElsewhere:      {why: `"{1}" is on another machine`, try: "give an http or https address, or a folder that is mounted here"},
	operation.NoIndex:               {why: `there is no index "{1}" there`, try: "glassjar index list shows those that are set up, and where"},
	operation.NoForm:                {why: `"{1}" is not a form of a record`, try: "the forms are lock, spec, list and sbom"},
}

const forImage = "build it for the image: CGO_ENABLED=0 GOOS=linux go build -o glassjar-linux ./cmd/glassjar, then --program glassjar-linux"

// remarks has the words for what is told beside a result.
var remarks = map[operation.Remark]string{
	operation.SealNeedsPackages:  "a sealed jar holds package files whole, and the store what they unpack to; with the setting keep-packages it keeps them too",
	operation.NoRecordOfSealed:   "no record is written beside the jar: the sealed one has files that came from no address, only from a folder",
	operation.NoRecordOfPaths:    "no record is written here: {1} names package files by paths beside itself",
	operation.FilesStay:          "the spec and the record of {1} stay as they are, and do not say what it is made from here",
	operation.LineLeftOut:        "left out: {1}",
	operation.UnknownKey:         "{1}, line {2}: {3} is no key that the standard has there, and counts for nothing",
	operation.UnknownKeyNear:     "{1}, line {2}: {3} is no key that the standard has there, and counts for nothing; did you mean {4}?",
	operation.SpecJoined:         "{1} had a table or a key twice, as a merge can leave it; it asks for what both sides do now",
	operation.SpecMerged:         "{1} had the marks of a merge that failed; it asks for what both sides do now",
	operation.RecordMerged:       "the record had the marks of a merge that failed; both sides' versions were kept where they fit{1}",
	operation.SignatureGone:      "{1} was of the record before, and is gone: glassjar record --sign KEY",
	operation.NotTrustedAlone:    "the jar at {1} was not made here for you, or was changed since, so nothing of it is run: glassjar discard {1} puts it away, glassjar trust {1} takes it as it is",
	operation.NotTrusted:         "the jar at {1} was not made here for you, or was changed since, so nothing of it is run: glassjar recreate makes it anew, glassjar trust takes it as it is",
	operation.MakesWay:           "the jar that stands there was not made here for you, or was changed since; it makes way for the new one, and glassjar discard --undo brings it back where that is gone",
	operation.NoFilesNow:         "{1} has no package file now; packages can be had from it once it has",
	operation.PagesInFolder:      "{1} has the pages of an index and no package files, and pages are read from a web server only; name the folder that has the files, or the server's address",
	operation.NoFolderNow:        "there is no folder {1} now; packages can be had from it once it is there",
	operation.SpoiledMakesWay:    "the jar that stands there cannot be put right as it is ({1}); it makes way for a new one, and glassjar discard --undo brings it back where that is gone",
	operation.DiscardedStays:     "{1} is not removed: {2}; look what is in it, and remove it by hand",
	operation.PythonUpgraded:     "the Python of this jar is {1} now, and was {2} when it was made: glassjar recreate brings it in step",
	operation.HandChanges:        "what the spec or the record asks for had been changed since state {1}: that is kept as state {2}",
	operation.MadeForScript:      "a jar with {2} was made for {1}; glassjar contents --jar {1} lists what is in it",
	operation.Undone:             "an earlier command was cut off; what it had begun was undone",
	operation.Completed:          "an earlier command was cut off; what it had begun was completed",
	operation.ChangedSince:       "{1} was changed by somebody since, and is left as it is",
	operation.OutsideOfImage:     "{1} is a file of this machine outside of the project, which the image cannot take along: put it into the project, then glassjar install ./PATH and the same command again",
	operation.OldPrompt:          "its prompt shows the old name until it is recreated: {1}",
	operation.PythonsNotSeen:     "what Pythons there are for other systems could not be seen, so that the record may lack some: {1}",
	operation.PythonNotPinned:    "the record does not pin {1}: no index of Pythons has it for this machine",
	operation.RecordAnew:         "{1}; it is made anew",
	operation.LibrariesElsewhere: "{1} needs libraries that are in {2} only: glassjar run sets LD_LIBRARY_PATH for it; elsewhere set it yourself",
	operation.NewerSource:        "{1} {3} is newer than {2}, and published as source only; to have it built: --build {1}",
	operation.MachineSettings:    "{1}",
}

// with puts things into words, in one pass: what is put in is not read again. In a command line,
// which begins with the program's name, one with blanks is one word.
func with(words string, of []string, more ...string) string {
	parts := strings.Split(words, program)
	for n, part := range parts {
		pairs := slices.Clone(more)
		for i, o := range of {
			if n > 0 {
				o = oneWord(o)
			}
			pairs = append(pairs, fmt.Sprintf("{%d}", i+1), o)
		}
		parts[n] = strings.NewReplacer(pairs...).Replace(part)
	}
	return strings.Join(parts, program)
}

// program begins a command line in a hint.
const program = "glassjar "

// Remark writes a note of the core beside the result.
func (s *Screen) Remark(n operation.Note) { s.Note(with(remarks[n.Remark], n.Of)) }

// caseOf are those of an error of usage.
func caseOf(e *operation.UsageError) Message {
	p, cause := cases[e.Case], ""
	if e.Err != nil {
		cause = e.Err.Error()
	}
	try, ofNear := p.try, strings.Contains(p.try, "{near}")
	lacks := len(e.Of) == 0 || e.Of[len(e.Of)-1] == ""
	if ofNear {
		lacks = e.Near == ""
	}
	switch {
	case p.without != "" && lacks:
		try = p.without
	case e.Near != "" && !ofNear:
		try = "the name {near}"
	}
	return Message{What: with(p.why, e.Of, "{error}", cause), Try: nonEmpty(with(try, e.Of, "{near}", e.Near))}
}

// settingWords are those of a value that a setting cannot have.
func settingWords(e *settings.ValueError) Message {
	key, try := e.Setting.Key, fmt.Sprintf("write it into %s: it is a table, %s", e.File, e.Setting.Kind)
	switch e.Setting.Kind {
	case settings.Indexes:
		try = "glassjar index add NAME ADDRESS"
	case settings.YesNo:
		try = "glassjar settings " + key + " true"
	case settings.Choice:
		try = "glassjar settings " + key + " " + e.Setting.Choices[len(e.Setting.Choices)-1]
	case settings.Names:
		try = "glassjar settings " + key + " NAME"
	case settings.Number:
		try = "glassjar settings " + key + " 30"
	case settings.Folder, settings.OneFile, settings.Folders:
		try = "glassjar settings " + key + " PATH"
	}
	return Message{What: key + " cannot be set so: " + e.Why, Try: []string{try}}
}
