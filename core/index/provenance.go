package index

import (
	"cmp"
	"context"
	"encoding/json"
	"maps"
	"slices"

	"glassjar/core/limits"
)

// Publisher is who published a file, as the index says that it found out (PEP 740): a
// service such as a forge, and what it knows the publisher by. Nothing of it is verified
// here.
type Publisher struct {
	Kind string
	// Claims are such as "repository" and "workflow", in the service's words.
	Claims map[string]string
}

// provenance is the object of that name (PEP 740).
type provenance struct {
	Version int `json:"version"`
	Bundles []struct {
		Publisher map[string]any `json:"publisher"`
	} `json:"attestation_bundles"`
}

// Publishers are those of a file of this server, each once; none where the index does not
// say, or says it in a form of another version.
func (s *Server) Publishers(ctx context.Context, f File) ([]Publisher, error) {
	if f.Provenance == "" {
		return nil, nil
	}
	data, _, err := s.client.Read(ctx, f.Provenance, "application/vnd.pypi.integrity.v1+json, application/json", limits.Metadata)
	if err != nil {
		return nil, err
	}
	var p provenance
	if json.Unmarshal(data, &p) != nil || p.Version != 1 {
		return nil, nil
	}
	var out []Publisher
	for _, b := range p.Bundles {
		one := Publisher{Claims: map[string]string{}}
		for key, value := range b.Publisher {
			text, ok := value.(string)
			switch {
			case !ok:
			case key == "kind":
				one.Kind = text
			default:
				one.Claims[key] = text
			}
		}
		same := func(o Publisher) bool { return o.Kind == one.Kind && maps.Equal(o.Claims, one.Claims) }
		if one.Kind != "" && !slices.ContainsFunc(out, same) {
			out = append(out, one)
		}
	}
	slices.SortStableFunc(out, func(a, b Publisher) int { return cmp.Compare(a.Kind, b.Kind) })
	return out, nil
}
