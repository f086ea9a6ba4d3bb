// Package offered is where Pythons can be had: what folders, pages of the simple repository
// API and other pages of links have of them, for a platform.
package offered

import (
	"context"
	"errors"
	"io"
	"net/http"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/interpreter/portable"
	"glassjar/core/limits"
	"glassjar/core/store"
	"glassjar/core/tags"
)

// Offer is a file that can be had.
type Offer struct {
	portable.Name
	// URL is its address; Path is set for a file of this machine.
	URL, Path string
	// SHA256 is in hex, empty where nobody says it; Size is in bytes, -1 where nobody does.
	SHA256 string
	Size   int64
	// Index is what the user calls where it is from, empty for a file that was named.
	Index string
	// Users tells that the user set up that index, and no project.
	Users bool
	// Misfit says why it does not run here, empty if it may.
	Misfit string

	ask string
}

// Place is where Pythons are looked for: an address, or a folder of this machine.
type Place struct {
	Name, Address, Folder string
	// Users tells that the user set it up, and no project.
	Users bool
}

// Machine is what they are to run on: a platform, and the level of its x86-64 processor.
type Machine struct {
	Platform tags.Platform
	Level    int
}

// Look is what a place has, the best first.
func Look(ctx context.Context, client *fetch.Client, p Place, m Machine) ([]Offer, error) {
	var out []Offer
	var err error
	if p.Folder != "" {
		out, err = inFolder(p.Folder)
	} else {
		out, err = onPage(ctx, client, p.Address)
	}
	if err != nil {
		return nil, err
	}
	for i := range out {
		out[i].Index, out[i].Users, out[i].Misfit = p.Name, p.Users, out[i].Name.Misfit(m.Platform, m.Level)
	}
	slices.SortStableFunc(out, func(a, b Offer) int { return portable.Better(a.Name, b.Name) })
	return out, nil
}

func inFolder(dir string) ([]Offer, error) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	text, err := limits.ReadFile(filepath.Join(dir, portable.Sums), limits.List)
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return nil, err
	}
	hashes := parseSums(string(text))
	var out []Offer
	for _, e := range entries {
		n, ok := portable.Parse(e.Name())
		info, err := os.Stat(filepath.Join(dir, e.Name()))
		if ok && err == nil && info.Mode().IsRegular() {
			out = append(out, Offer{Name: n, Path: filepath.Join(dir, e.Name()), SHA256: hashes[e.Name()], Size: info.Size()})
		}
	}
	return out, nil
}

// onPage looks at a page and, where that is the list of an index, at those of the
// implementations.
func onPage(ctx context.Context, client *fetch.Client, address string) ([]Offer, error) {
	if last := path.Base(address); !strings.HasSuffix(address, "/") && !strings.Contains(last, ".") {
		address += "/" // a folder, as people write it
	}
	links, err := index.Links(ctx, client, address)
	if err != nil {
		return nil, err
	}
	out, without := named(links)
	if len(out) == 0 {
		base := strings.TrimSuffix(address, "/") + "/"
		for _, name := range []string{"cpython", "pypy"} {
			links, err := index.Links(ctx, client, base+name+"/")
			var status *fetch.StatusError
			if errors.As(err, &status) && (status.Code == http.StatusNotFound || status.Code == http.StatusGone) {
				continue
			}
			if err != nil {
				return nil, err
			}
			more, lacking := named(links)
			out, without = append(out, more...), without || lacking
		}
	}
	if without {
		addHashes(ctx, client, address, out)
	}
	return out, nil
}

// named are those of the files that hold a Python; without tells that one has no hash.
func named(links []index.File) (out []Offer, without bool) {
	seen := map[string]bool{}
	for _, f := range links {
		n, ok := portable.Parse(f.Name)
		if !ok || f.Yanked || seen[f.URL] {
			continue
		}
		seen[f.URL] = true
		o := Offer{Name: n, URL: f.URL, SHA256: f.SHA256(), Size: f.Size, ask: f.Ask()}
		without = without || o.SHA256 == ""
		out = append(out, o)
	}
	return out, without
}

// addHashes takes those that a list beside the page has. Where there is none, nothing is known.
func addHashes(ctx context.Context, client *fetch.Client, address string, offers []Offer) {
	base, err := url.Parse(address)
	if err != nil {
		return
	}
	beside, err := base.Parse(portable.Sums)
	if err != nil {
		return
	}
	text, _, err := client.Read(ctx, beside.String(), "", limits.List)
	if err != nil {
		return
	}
	hashes := parseSums(string(text))
	for i, o := range offers {
		if o.SHA256 == "" {
			offers[i].SHA256 = hashes[o.File]
		}
	}
}

// parseSums reads lines of a hash and a name, as sha256sum writes them.
func parseSums(text string) map[string]string {
	out := map[string]string{}
	for line := range strings.Lines(text) {
		sum, name, ok := strings.Cut(strings.TrimSpace(line), " ")
		if name = strings.TrimPrefix(strings.TrimLeft(name, " "), "*"); ok && store.ValidSum(strings.ToLower(sum)) {
			out[strings.TrimPrefix(name, "./")] = strings.ToLower(sum)
		}
	}
	return out
}

// Named is the offer of a single file, by its address or path; false where its name tells of
// no Python.
func Named(at, local string, m Machine) (Offer, bool) {
	file := filepath.Base(local)
	if local == "" {
		u, err := url.Parse(at)
		if err != nil {
			return Offer{}, false
		}
		file = path.Base(u.Path)
	}
	n, ok := portable.Parse(file)
	return Offer{Name: n, URL: at, Path: local, Size: -1, Misfit: n.Misfit(m.Platform, m.Level), ask: at}, ok
}

// Open reads the file.
func (o Offer) Open(ctx context.Context, client *fetch.Client) (io.ReadCloser, int64, error) {
	if o.Path != "" {
		f, err := os.Open(o.Path)
		return f, o.Size, err
	}
	at := o.ask
	if at == "" {
		at = o.URL
	}
	res, err := client.Get(ctx, at, "")
	if err != nil {
		return nil, 0, err
	}
	return res.Body, res.Size, nil
}

// From is where it is from, as it may be written down.
func (o Offer) From() string {
	if o.Path != "" {
		return o.Path
	}
	return fetch.Redact(o.URL)
}
