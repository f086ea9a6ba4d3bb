package index

import (
	"context"
	"slices"

	"glassjar/core/fetch"
	"glassjar/core/limits"
)

// Links are all files that a page names, whatever they are: a page of the simple repository
// API, in either form, or any page of links. Those without a name are left out.
func Links(ctx context.Context, client *fetch.Client, address string) ([]File, error) {
	var out []File
	err := client.Stream(ctx, address, accept, limits.Page, client.Kept(address, accept), func(res *fetch.Response) (err error) {
		out, err = linksOf(address, res)
		return err
	})
	if err != nil {
		return nil, err
	}
	kept := out[:0]
	for _, f := range out {
		var ok bool
		if f.Hashes, ok = f.Hashes.Plausible(); !ok || f.Name == "" || f.Name == "/" || f.Name == "." {
			continue
		}
		f.hideSecret()
		kept = append(kept, f)
	}
	return kept, nil
}

// linksOf are those of an answer to an address.
func linksOf(address string, res *fetch.Response) (out []File, err error) {
	if !isJSON(res) {
		_, err := eachAnchor(res.Body, res.URL, func(a anchor) error {
			out = append(out, a.file())
			return tooMany(len(out), res.URL)
		})
		return out, err
	}
	_, parts, err := (&gathering{base: res.URL}).read(res.Body, parseJSON)
	if err != nil {
		return nil, &NotIndexError{fetch.Redact(address), err.Error()}
	}
	return slices.Concat(parts...), nil
}
