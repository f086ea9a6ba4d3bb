package view

import (
	"errors"

	"glassjar/core/git"
	"glassjar/core/operation"
)

// gitWords are those of merges and revisions.
func (s *Screen) gitWords(err error) (Message, bool) {
	var (
		not *operation.NotMergedError
		rev *operation.RevisionError
		own *git.Error
	)
	switch {
	case errors.As(err, &not):
		inner := s.words(not.Err)
		what := not.File + " stays a conflict"
		if inner.What != "" {
			what += ": " + inner.What
		}
		return Message{What: what, Reasons: inner.Reasons, Try: []string{"end the merge of the spec, then: glassjar record"}}, true
	case errors.As(err, &rev):
		return Message{What: "there is no record at " + rev.Ref, Reasons: []string{rev.Err.Error()}, Try: []string{"name a branch, a tag or a commit that has one: git:main"}}, true
	case errors.As(err, &own):
		return Message{What: own.Error()}, true
	}
	return Message{}, false
}
