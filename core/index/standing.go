package index

import (
	"context"
	"fmt"
	"slices"
	"strings"
)

// What an index says of a distribution as a whole (PEP 792).
const (
	Active      = "active"
	Archived    = "archived"
	Deprecated  = "deprecated"
	Quarantined = "quarantined"
)

// Standing is what an index says of a distribution as a whole.
type Standing struct {
	// Status is one of the package's constants, Active where the index does not say;
	// Reason is in the publisher's or the index's words (PEP 792).
	Status, Reason string
	// Tracks are indexes whose distribution of that name this one follows, and
	// Alternates those that may have it too (PEP 708). They are shown, and no reason
	// to ask another index.
	Tracks, Alternates []string
}

// QuarantinedError says that an index has shut a distribution away: it may do harm.
type QuarantinedError struct{ Name, Index, Reason string }

func (e *QuarantinedError) Error() string {
	text := fmt.Sprintf("the index %s has quarantined %s: nobody is to install it", e.Index, e.Name)
	if e.Reason != "" {
		text += " (" + e.Reason + ")"
	}
	return text
}

// standing is a source that knows what its distributions' standing is.
type standing interface {
	Standing(ctx context.Context, name string) (Standing, error)
}

// Standing is what the index that is asked for a name says of it.
func (o *Ordered) Standing(ctx context.Context, name string) Standing {
	if !slices.ContainsFunc(o.Sources, func(s Source) bool { _, knows := s.(standing); return knows }) {
		return Standing{Status: Active} // a folder says nothing of it, and is not read for that
	}
	_, s, err := o.Files(ctx, name)
	if knows, ok := s.(standing); ok && err == nil {
		if out, err := knows.Standing(ctx, name); err == nil {
			return out
		}
	}
	return Standing{Status: Active}
}

// Standing is what the server's page says.
func (s *Server) Standing(ctx context.Context, name string) (Standing, error) {
	p, err := s.page(ctx, name)
	if err == nil && p.standing.Status != "" {
		return p.standing, nil
	}
	return Standing{Status: Active}, err
}

// jsonStanding is the standing in a page of JSON.
type jsonStanding struct {
	Meta struct {
		meta
		Tracks []string `json:"tracks"`
	} `json:"meta"`
	Status struct {
		Status string `json:"status"`
		Reason string `json:"reason"`
	} `json:"project-status"`
	Alternates []string `json:"alternate-locations"`
}

func (in jsonStanding) standing() Standing {
	return Standing{known(in.Status.Status), in.Status.Reason, in.Meta.Tracks, in.Alternates}
}

// known is a status that is known here: another says nothing.
func known(status string) string {
	switch status = strings.ToLower(strings.TrimSpace(status)); status {
	case Archived, Deprecated, Quarantined:
		return status
	}
	return Active
}

// takeMeta takes in a meta element of a page of HTML. The standard's names begin with
// one of a registry's, which says nothing.
func (s *Standing) takeMeta(name, content string) {
	_, key, _ := strings.Cut(name, ":")
	switch key {
	case "project-status":
		s.Status = known(content)
	case "project-status-reason":
		s.Reason = content
	case "tracks":
		s.Tracks = append(s.Tracks, content)
	case "alternate-locations":
		s.Alternates = append(s.Alternates, content)
	}
}
