package index

import (
	"context"
	"errors"
	"mime"
	"net/http"
	"slices"
	"time"

	"glassjar/core/fetch"
	"glassjar/core/limits"
)

// Probe is what a server answered when it was asked about one name.
type Probe struct {
	// Answers tells that it speaks as an index; Why says what was wrong.
	Answers bool
	Why     string
	// Took is the time until the answer was there, in nanoseconds.
	Took time.Duration
	// JSON tells that it speaks JSON (PEP 691), Metadata that it gives metadata
	// separately (PEP 658). Known tells that it has the name that was asked for:
	// without, there is no file to tell the latter from.
	JSON     bool
	Metadata bool
	Known    bool
	// Local tells that it is a folder or the sample, on this machine.
	Local bool
	// Name is what it was asked about.
	Name string
}

// Probe asks the server for the page of one name, past the cache.
func (s *Server) Probe(ctx context.Context, name string) Probe {
	p := Probe{Name: name}
	at := s.pageAddress(name)
	begun := time.Now()
	s.client.Forget(at, accept)
	var files []File
	var fault error
	err := s.client.Stream(ctx, at, accept, limits.Page, fetch.Kept{}, func(res *fetch.Response) error {
		p.JSON = isJSON(res)
		var parts [][]File
		_, parts, fault = (&gathering{base: res.URL}).read(res.Body, formOf(res))
		files = slices.Concat(parts...)
		return nil
	})
	p.Took = time.Since(begun)
	var status *fetch.StatusError
	switch {
	case errors.As(err, &status) && status.Code == http.StatusNotFound:
		// A name that it lacks: is it an index at all?
		return s.probeRoot(ctx, p)
	case err != nil:
		p.Why = err.Error()
		return p
	case fault != nil:
		p.Why = fault.Error()
		return p
	}
	p.Answers, p.Known = true, len(files) > 0
	for _, f := range files {
		p.Metadata = p.Metadata || f.HasMetadata
	}
	return p
}

// probeRoot looks at the head of the list of names alone, which may be long.
func (s *Server) probeRoot(ctx context.Context, p Probe) Probe {
	res, err := s.client.Get(ctx, s.address, accept)
	if err != nil {
		p.Why = err.Error()
		return p
	}
	defer res.Body.Close()
	kind, _, _ := mime.ParseMediaType(res.ContentType)
	p.JSON = isJSON(res)
	p.Answers = p.JSON || kind == TypeHTML || kind == "text/html"
	if !p.Answers {
		p.Why = "it answers with " + res.ContentType
	}
	return p
}
