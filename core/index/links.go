package index

import (
	"bytes"
	"context"
	"mime"

	"glassjar/core/fetch"
	"glassjar/core/limits"
)

// Links are all files that a page names, whatever they are: a page of the simple repository
// API, in either form, or any page of links. Those without a name are left out.
func Links(ctx context.Context, client *fetch.Client, address string) ([]File, error) {
	data, res, err := client.Read(ctx, address, accept, limits.Page)
	if err != nil {
		return nil, err
	}
	var out []File
	if kind, _, _ := mime.ParseMediaType(res.ContentType); isJSON(kind) {
		if out, _, err = parseJSON(data, res.URL); err != nil {
			return nil, &NotIndexError{fetch.Redact(address), err.Error()}
		}
	} else if _, err = eachAnchor(bytes.NewReader(data), res.URL, func(a anchor) error {
		out = append(out, a.file())
		return tooMany(len(out), res.URL)
	}); err != nil {
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
