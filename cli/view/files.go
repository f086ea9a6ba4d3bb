package view

import (
	"errors"
	"fmt"
	"strings"

	"glassjar/core/index"
	"glassjar/core/jar"
	"glassjar/core/limits"
	"glassjar/core/metadata"
	"glassjar/core/operation"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/store"
	"glassjar/core/tomltext"
	"glassjar/core/wheel"
)

// clash tells of a file that is there already, and whose it is.
func (s *Screen) clash(e *jar.ClashError) Message {
	m := Message{What: "two distributions have the same file; nothing was installed", Reasons: []string{e.Error()}, Try: []string{"install only one of them"}}
	switch {
	case e.Own:
		m.What, m.Try = e.New+" has a file of the jar's own; nothing was installed", []string{"tell whoever publishes it"}
	case e.Old == "":
		m.What, m.Try = "a file is in the way of "+e.New+"; nothing was installed", []string{"move it out of the jar, then the same command again", "or have all that belongs to nothing taken out: glassjar recreate"}
	}
	return m
}

// spoiledWords are those of a jar in which something is not of the kind that it must be.
func (s *Screen) spoiledWords(err error) (Message, bool) {
	var bad *operation.SpoiledError
	if !errors.As(err, &bad) {
		return Message{}, false
	}
	inner := s.words(bad.Err)
	reasons := inner.Reasons
	if inner.What != "" {
		reasons = append([]string{inner.What}, reasons...)
	}
	return Message{What: s.Jar(bad.Jar) + " cannot be changed as it is", Reasons: reasons, Try: []string{"glassjar recreate makes it anew; what stands there is kept as a discarded one"}}, true
}

// notEdited tells why a spec is left as it is.
func (s *Screen) notEdited(e *project.EditError) Message {
	named := *e
	named.File = s.Path(e.File)
	m := Message{What: "cannot write into " + named.File + "; nothing was changed", Reasons: []string{named.Error()}, Try: []string{"edit it by hand, then glassjar record and glassjar recreate"}}
	switch {
	case e.Inline != "":
		m.Try = []string{"write it as a table of its own: [" + e.Inline + "]"}
	case e.Dynamic != "":
		m.Reasons = append(m.Reasons, "what builds the project says them, and nothing may be given beside that")
		m.Try = []string{"add it where they are read from, then glassjar record and glassjar recreate", "or add it to a group: --group NAME"}
	}
	return m
}

// mendingFile is what to do about a file that is not as it should be; empty where
// that goes without saying.
func mendingFile(e *project.FileError) string {
	switch {
	case e.Meant != "":
		return "did you mean " + tomltext.String(e.Meant) + "?"
	case e.Near != "":
		return "the nearest known key: " + e.Near
	case e.Kind == project.RecordKind:
		return "make it anew from the spec: glassjar record"
	case e.Kind == project.SealedKind:
		return "glassjar seal FILE makes one"
	}
	return ""
}

func (s *Screen) fileWords(err error) (Message, bool) {
	var (
		file    *project.FileError
		edit    *project.EditError
		list    *project.ListError
		large   *limits.Error
		noSpec  *operation.NoSpecError
		step    *operation.OutOfStepError
		other   *plan.AssumedError
		clash   *jar.ClashError
		hash    *store.HashError
		lost    *store.LostError
		damaged *jar.RecordError
		meta    *index.HashMismatchError
		refuse  *wheel.Refusal
	)
	switch {
	case errors.As(err, &large):
		return Message{What: "that is more than is read", Reasons: []string{fmt.Sprintf("%s has more than %d %s, the most that is read", s.Path(large.What), large.Limit, large.Unit)}, Try: []string{"nobody needs so much of it: look who made it"}}, true
	case errors.As(err, &list):
		m := Message{What: s.Path(list.File) + " is not a plain list throughout", Try: []string{"put these lines right, or take what is a requirement: --lenient"}}
		for _, f := range list.Faults {
			m.Reasons = append(m.Reasons, fmt.Sprintf("line %d: %s", f.Line, f.Why))
		}
		return m, true
	case errors.As(err, &edit):
		return s.notEdited(edit), true
	case errors.As(err, &file):
		e := *file
		e.File = s.Path(e.File)
		return Message{What: s.Path(file.File) + " is not as it should be", Reasons: []string{e.Error()}, Try: nonEmpty(mendingFile(file))}, true
	case errors.Is(err, project.ErrNoRecord):
		return Message{What: "there is no record yet", Reasons: []string{s.Path(strings.TrimSuffix(err.Error(), ": "+project.ErrNoRecord.Error())) + " is not there"},
			Try: []string{"put something in, which writes one: glassjar install NAME", "or make one from the spec: glassjar record"}}, true
	case errors.As(err, &noSpec):
		return Message{What: "there is no spec to work from", Reasons: []string{s.Path(noSpec.File) + " is not there"}, Try: []string{"glassjar install NAME writes one"}}, true
	case errors.As(err, &step):
		what := "the spec"
		m := Message{What: "the spec has changed since the record was made", Try: []string{"follow the spec: glassjar record, then glassjar recreate", "or the record as it is: glassjar recreate --as-recorded"}}
		if step.Script != "" {
			what = s.Path(step.Script)
			m = Message{What: what + " asks for something else than its record has", Try: []string{"make the record anew: glassjar record --of " + s.typed(step.Script), "or do without: remove " + s.Path(step.Record)}}
		}
		for _, a := range step.Added {
			m.Reasons = append(m.Reasons, "only "+what+" asks for "+a)
		}
		for _, d := range step.Dropped {
			m.Reasons = append(m.Reasons, "only the record has "+d)
		}
		return m, true
	case errors.As(err, &other) && other.From == "":
		return Message{What: "what was built needs more than its source states; nothing was changed",
			Reasons: []string{fmt.Sprintf("%s %s needs %s", other.Name, other.Version, other.Need)},
			Try:     []string{"the same command again, which goes by what was built; for recreate make the record anew first: glassjar record"}}, true
	case errors.As(err, &other):
		return Message{What: "a wheel needs more than the record has; nothing was changed",
			Reasons: []string{fmt.Sprintf("%s needs %s", other.File, other.Need),
				fmt.Sprintf("the record was made from what %s says, since the index does not tell whether wheels differ", other.From)},
			Try: []string{"have every wheel of it read, then recreate: glassjar record --every-wheel " + other.Name}}, true
	case errors.As(err, &clash):
		return s.clash(clash), true
	case errors.As(err, &hash):
		return Message{What: hash.File + " is not what was announced; nothing was installed", Reasons: []string{"its SHA-256 is " + hash.Have, "expected was " + hash.Want},
			Try: []string{"if the index is right, try again; if it stays so, do not trust the file"}}, true
	case errors.As(err, &lost):
		return Message{What: "the store has lost files of " + Count(lost.Trees, "package") + "; nothing was changed", Reasons: []string{s.system(lost.Err), "it was forgotten that they were there"},
			Try: []string{"the same command again: it fetches them anew"}}, true
	case errors.As(err, &meta):
		return Message{What: meta.File + " is not what the index announced", Reasons: []string{meta.Error()}, Try: []string{"tell whoever keeps the index"}}, true
	case errors.As(err, &damaged):
		return Message{What: s.Path(damaged.Path) + " is damaged", Reasons: []string{damaged.Err.Error()}, Try: []string{"have the package put in place anew: glassjar check --mend"}}, true
	case errors.As(err, &refuse):
		return Message{What: refuse.File + " is refused; nothing was installed", Reasons: []string{strings.TrimPrefix(refuse.Error(), refuse.File+": ")},
			Try: []string{"tell whoever publishes it"}}, true
	case errors.Is(err, metadata.ErrInvalid):
		return Message{What: "a package's description is not as the standard says", Reasons: []string{err.Error()}}, true
	}
	return Message{}, false
}
