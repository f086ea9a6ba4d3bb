package view

import (
	"errors"
	"fmt"
	"strings"

	"glassjar/core/building"
	"glassjar/core/plan"
	"glassjar/core/sealed"
	"glassjar/core/source"
)

// BuildQuestion shows what will run when a package is built from source.
func (s *Screen) BuildQuestion(q building.Question) {
	t := s.Sheet()
	from := q.From
	if from == "" {
		from = "its source"
	}
	t.Line("build", s.Bold(strings.TrimSpace(q.Name+" "+q.Version)), s.Faint("from "+from+": that runs its code"))
	if q.BackEnd != "" {
		where := "a back end that is fetched"
		if q.Own {
			where = "a back end of its own"
		}
		t.Line("runs", s.Plain(q.BackEnd), s.Faint(where))
	}
	if len(q.Requires) > 0 {
		t.Line("with", s.Plain(strings.Join(q.Requires, ", ")))
	}
	if len(q.Variables) > 0 {
		t.Line("sets", s.Plain(strings.Join(q.Variables, ", ")))
	}
	t.Line("room", s.Plain(roomWords(q.Room)))
	if q.InSpec {
		t.Line("note", s.Warn("the spec says yes to this, and nobody has said so on this machine, or it has changed since"))
	}
	t.Print()
}

// roomWords say what a build can reach.
func roomWords(room string) string {
	switch room {
	case source.Closed:
		return "closed: no network, no home folder, nothing writable but its own folder"
	case source.NoNetworkOnly:
		return "no network only: files cannot be closed off on this system"
	}
	return "open: it can do what you can"
}

// buildWords are those of source that could not be built, or may not be.
func (s *Screen) buildWords(err error) (Message, bool) {
	var (
		failed     *source.BuildError
		consent    *building.NoConsentError
		archive    *source.ArchiveError
		repository *source.RepositoryError
		lacking    *sealed.LackingError
		folder     *sealed.FromFolderError
		gone       *building.NoFolderError
	)
	switch {
	case errors.As(err, &gone):
		return Message{What: "there is nothing at " + s.Path(gone.Folder), Try: []string{"put the folder of source there, or ask for another"}}, true
	case errors.As(err, &consent):
		return s.noConsent(consent), true
	case errors.As(err, &lacking):
		return Message{What: lacking.Name + " was built on another machine, and needs what this one lacks", Reasons: []string{"it needs " + strings.Join(lacking.Lacking, ", ")},
			Try: []string{"install these libraries; or seal it on a machine that is as old as this one"}}, true
	case errors.As(err, &folder):
		return Message{What: "cannot seal " + strings.Join(folder.Names, ", "), Reasons: []string{"a folder or a repository is no package file"}, Try: []string{"take along what was built of it here: glassjar seal --built FILE"}}, true
	case errors.As(err, &failed):
		return s.buildFailed(failed), true
	case errors.As(err, &archive):
		m := Message{What: archive.File + " cannot be built from", Reasons: []string{strings.TrimPrefix(archive.Error(), archive.File+": ")}}
		switch {
		case archive.Another:
			m.Try = []string{"tell whoever publishes it; its metadata says something else than its name, or than what it is built to"}
		case strings.Contains(archive.Member, "/"):
			m.Try = []string{"look who made it"}
		case archive.Member == "":
			m.Try = []string{"name an archive or a folder that holds the source of a Python package"}
		}
		return m, true
	case errors.As(err, &repository):
		m := Message{What: "cannot have " + repository.URL, Reasons: []string{repository.What}}
		if repository.Said != "" {
			m.Reasons = append(m.Reasons, repository.Said)
		}
		if repository.Missing {
			m.Try = []string{"install git"}
		}
		return m, true
	}
	return Message{}, false
}

func (s *Screen) noConsent(e *building.NoConsentError) Message {
	names := strings.Join(e.Names, ", ")
	var quoted []string
	for _, n := range e.Names {
		quoted = append(quoted, fmt.Sprintf("%q", n))
	}
	line := "build-consent = [" + strings.Join(quoted, ", ") + "]"
	flags := "--build " + strings.Join(e.Names, " --build ")
	m := Message{What: names + " would be built from source, which runs its code"}
	switch {
	case e.Declined:
		m.Reasons = []string{"you said no"}
	case e.InSpec:
		m.Reasons = []string{"the spec says yes to that, but nobody has said so on this machine, or it has changed since"}
	case e.Own:
		m.Reasons = []string{"it is this project itself, whose jar holds it since it says how it is built"}
	default:
		m.Reasons = []string{"nobody has said that it may be"}
	}
	if e.InSpec {
		m.Try = append(m.Try, "say yes to it here: the same command on a terminal, or with "+flags)
	} else {
		m.Try = append(m.Try, "say yes to it: the same command on a terminal, or with "+flags)
		if e.Spec != "" {
			m.Try = append(m.Try, "or write it into [tool.glassjar] of "+s.Path(e.Spec)+": "+line)
		}
	}
	m.Try = append(m.Try, "or for every project of yours: glassjar settings build-consent "+strings.Join(e.Names, " "))
	if e.Own {
		m.Try = append(m.Try, `or leave the project out of its jar: project = "left-out" in [tool.glassjar]`)
	}
	return m
}

// buildFailed tells why a build failed, as far as that is known, and what to do.
func (s *Screen) buildFailed(e *source.BuildError) Message {
	m := Message{What: strings.TrimSpace(e.Name+" "+e.Version) + " could not be built"}
	why, try := buildCause(e)
	if why != "" {
		m.Reasons = append(m.Reasons, why)
	} else if e.Err != nil {
		m.Reasons = append(m.Reasons, e.Err.Error())
	}
	var unsolved *plan.SolveError
	if errors.As(e.Err, &unsolved) {
		m.Reasons = append(m.Reasons, s.words(unsolved).Reasons...)
		m.Try = []string{"set up an index that has it: glassjar index add NAME ADDRESS"}
		return m
	}
	m.Reasons = append(m.Reasons, "room: "+e.Room)
	for _, line := range e.Tail {
		m.Reasons = append(m.Reasons, "| "+line)
	}
	m.Try = nonEmpty(try)
	if e.Log != "" {
		m.Try = append(m.Try, "read all that it said: "+s.Path(e.Log))
	}
	return m
}

// buildCause is why a build failed in words, and what mends it.
func buildCause(e *source.BuildError) (why, try string) {
	name := e.Name
	variable := func(value string) string {
		return fmt.Sprintf("in [tool.glassjar]: build-variables = { %s = { %s } }", name, value)
	}
	switch e.Cause {
	case source.NoCompiler:
		return "there is no " + e.Of, "install " + e.Of + ", or name another: " + variable(`CC = "/path/to/cc"`)
	case source.NoPythonHeader:
		return "the headers of this Python, Python.h, are not here", "install them with your system's packages (python3-dev, python3-devel), or take a Python that has them: --python"
	case source.NoHeader:
		return "the header " + e.Of + " was not found", "install the development package of its library; where it stands in an odd place, name that: " + variable(`CFLAGS = "-I/path/include", LDFLAGS = "-L/path/lib"`)
	case source.NoLibrary:
		return "the library " + e.Of + " was not found", "install the development package of it; where it stands in an odd place, name that: " + variable(`LDFLAGS = "-L/path/lib"`)
	case source.NoModule:
		return "its back end imports " + e.Of + ", which it does not ask for", fmt.Sprintf("in [tool.glassjar]: build-also = { %s = [%q] }", name, strings.Split(e.Of, ".")[0])
	case source.NoNetwork:
		return "it tried to reach the network, and the room is closed (" + e.Of + ")", fmt.Sprintf("if it has to: build-open = [%q] in [tool.glassjar]", name)
	case source.NoMemory:
		return "the system ended " + e.Of + ", as where memory runs out", "close other programs, or have it do less at a time: " + variable(`MAKEFLAGS = "-j1", CMAKE_BUILD_PARALLEL_LEVEL = "1"`)
	case source.TooNew:
		return "this Python no longer has what it uses: " + e.Of, "take an older Python (glassjar create --python), or a newer version of " + name
	case source.TookLong:
		return "it took longer than " + e.Of, "give it more: glassjar settings build-minutes 240"
	case source.NoBackEnd:
		return fmt.Sprintf("its back end, %s, cannot be used: %v", e.Of, e.Err), ""
	case source.NoHook:
		if strings.HasSuffix(e.Of, "editable") {
			return "its back end cannot install it editable (PEP 660)", fmt.Sprintf("a newer back end may: build-also = { %s = [\"setuptools>=64\"] }; or install it as it is, without --editable", name)
		}
		return "its back end lacks " + e.Of, ""
	case source.NoWheel:
		return fmt.Sprintf("what its back end made is no wheel: %v", e.Err), ""
	}
	return "", ""
}
