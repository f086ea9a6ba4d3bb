package operation

import (
	"context"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"strings"

	"glassjar/core/catalog"
	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/project"
	"glassjar/core/requirement"
)

// readWant reads one requirement of a command line: as PEP 508 writes it, or
// the path or address of a wheel, which becomes a direct reference.
func (m *Machine) readWant(text string) (project.Asked, error) {
	secret := usage(SecretInAddress)
	if address, ok := m.wheelAddress(text); ok {
		if fetch.Redact(address) != address {
			return project.Asked{}, secret
		}
		name, err := wheelNameOf(address)
		if err != nil {
			return project.Asked{}, &UsageError{Case: NoPackageFile, Of: []string{text}, Err: err}
		}
		r, err := requirement.Parse(name.Name + " @ " + address)
		return project.Asked{Requirement: r, Text: r.String()}, err
	}
	r, err := requirement.Parse(text)
	if err != nil {
		return project.Asked{}, &UsageError{Case: NoRequirement, Of: []string{text}, Err: err}
	}
	if fetch.Redact(r.URL) != r.URL {
		return project.Asked{}, secret
	}
	return project.Asked{Requirement: r, Text: text}, nil
}

// wheelAddress tells the path or address of a package file from a requirement.
func (m *Machine) wheelAddress(text string) (string, bool) {
	if r, err := requirement.Parse(text); err == nil && (r.URL != "" || !strings.HasSuffix(text, ".whl")) {
		return "", false
	}
	low := strings.ToLower(text)
	for _, scheme := range []string{"http://", "https://", "file:"} {
		if strings.HasPrefix(low, scheme) {
			return text, true
		}
	}
	if !strings.HasSuffix(low, ".whl") && !strings.HasSuffix(low, ".tar.gz") && !strings.HasPrefix(text, ".") && !filepath.IsAbs(text) {
		return "", false
	}
	file := text
	if !filepath.IsAbs(file) {
		file = filepath.Join(m.Dir, file)
	}
	return metadata.FileURL(file), true
}

// wheelNameOf reads the file name at the end of an address.
func wheelNameOf(address string) (metadata.WheelName, error) {
	u, err := url.Parse(address)
	if err != nil {
		return metadata.WheelName{}, metadata.Invalid("%q is not an address", address)
	}
	file := path.Base(u.Path)
	if _, err := metadata.ParseSdistName(file); err == nil {
		return metadata.WheelName{}, metadata.Invalid("%s is a source distribution, and nothing is built from here", file)
	}
	return metadata.ParseWheelName(file)
}

// addDirect makes the direct references among the roots known to the catalog:
// a file on this machine as it is, another fetched, since only its own
// metadata can say what it needs.
func (m *Machine) addDirect(ctx context.Context, c *catalog.Catalog, roots []project.Asked) error {
	for _, a := range roots {
		if a.URL == "" {
			continue
		}
		f, err := m.directFile(ctx, c, a)
		if err != nil {
			return err
		}
		c.Direct[a.Key()] = f
	}
	return nil
}

func (m *Machine) directFile(ctx context.Context, c *catalog.Catalog, a project.Asked) (index.File, error) {
	name, err := wheelNameOf(a.URL)
	if err != nil {
		return index.File{}, &UsageError{Case: NoPackageFile, Of: []string{a.Text}, Err: err}
	}
	if name.Name != a.Key() {
		return index.File{}, usage(OtherDistribution, a.Text, a.Name, name.Name, a.URL)
	}
	u, _ := url.Parse(a.URL) // it parsed a moment ago
	want := map[string]string{}
	if algorithm, sum, ok := strings.Cut(u.Fragment, "="); ok {
		want[algorithm] = strings.ToLower(sum)
	}
	u.Fragment = ""
	f := index.File{Name: path.Base(u.Path), Distribution: name.Name, Version: name.Version, Wheel: &name, URL: u.String(), Size: -1, Hashes: want}
	if local, ok := metadata.PathOf(f.URL); ok {
		f.Path = local
		if _, err := os.Stat(local); err != nil {
			return f, usage(NoFile, project.Shorten(m.Dir, local))
		}
	}
	file, sum, err := c.Fetch(ctx, f, nil)
	if err != nil {
		return f, err
	}
	f.Hashes = withSum(f.Hashes, sum)
	if info, err := os.Stat(file); err == nil {
		f.Size = info.Size()
	}
	return f, nil
}
