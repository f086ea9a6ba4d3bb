package operation

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"strings"

	"glassjar/core/building"
	"glassjar/core/digest"
	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/source"
)

// readWant reads one requirement of a command line: as PEP 508 writes it, or the path or
// address of a wheel, of an archive of source, of a folder or of a repository, which becomes
// a direct reference.
func (m *Machine) readWant(ctx context.Context, text string, editable bool) (project.Asked, error) {
	if meant := source.MeantRepository(text, m.absolute); meant != "" {
		return project.Asked{}, usage(NoRepositoryAddress, text, meant)
	}
	address, ok := m.addressOf(text)
	if !ok && editable {
		return project.Asked{}, usage(NoFolder, text)
	}
	r, err := requirement.Parse(text)
	switch {
	case ok:
		r = requirement.Requirement{URL: address}
	case err != nil:
		return project.Asked{}, &UsageError{Case: NoRequirement, Of: []string{text}, Near: requirement.Meant(text), Err: err}
	case r.URL != "" && !strings.ContainsAny(r.URL, `:/\`):
		return project.Asked{}, &UsageError{Case: NoRequirement, Of: []string{text}, Near: requirement.Meant(text), Err: fmt.Errorf("%q is no address", r.URL)}
	}
	if holdsSecret(r.URL) {
		return project.Asked{}, usage(SecretInAddress)
	}
	a := project.Asked{Requirement: r, Text: text, Editable: editable}
	if r.URL == "" {
		return a, nil
	}
	name, folder, err := m.nameOf(ctx, r.URL)
	if err != nil {
		return a, badSource(text, err)
	}
	if editable && !folder {
		return a, usage(NoFolder, text)
	}
	a.Folder = folder
	if a.Name == "" {
		if name == "" {
			return a, usage(NameNotStated, text)
		}
		a.Name = name
		a.Text = a.Requirement.String()
	}
	return a, nil
}

// holdsSecret reports whether an address has something that lets one in. The user of an
// address of ssh is none: the key is elsewhere.
func holdsSecret(address string) bool {
	if u, err := url.Parse(address); err == nil && strings.HasSuffix(u.Scheme, "ssh") && u.User != nil {
		_, has := u.User.Password()
		return has
	}
	return fetch.Redact(address) != address
}

// badSource is an error about what was named, in words of the command line; others stay.
func badSource(text string, err error) error {
	var usage *UsageError
	var repository *source.RepositoryError
	var archive *source.ArchiveError
	if errors.As(err, &usage) || errors.As(err, &repository) || errors.As(err, &archive) || errors.Is(err, context.Canceled) {
		return err
	}
	return &UsageError{Case: NoPackageFile, Of: []string{text}, Err: err}
}

// addressOf tells the path or address of something from a requirement.
func (m *Machine) addressOf(text string) (string, bool) {
	r, err := requirement.Parse(text)
	if err == nil && (r.URL != "" || !strings.HasSuffix(text, ".whl") && !source.IsArchive(text)) {
		return "", false
	}
	low := strings.ToLower(text)
	for _, scheme := range []string{"http://", "https://", "file:", "git+", "hg+", "svn+", "bzr+"} {
		if strings.HasPrefix(low, scheme) {
			return text, true
		}
	}
	if !strings.HasSuffix(low, ".whl") && !source.IsArchive(low) && !strings.HasPrefix(text, ".") && !filepath.IsAbs(text) && !strings.ContainsAny(text, `/\`) {
		return "", false
	}
	if err == nil && strings.ContainsAny(text, "<>=!~;[") {
		return "", false
	}
	file := m.absolute(text)
	return metadata.FileURL(file), true
}

// nameOf is the distribution that an address leads to, as far as that can be told without
// running anything; folder tells that it is a folder.
func (m *Machine) nameOf(ctx context.Context, address string) (name string, folder bool, err error) {
	if r, ok, err := source.ParseRepository(address); ok {
		if err != nil {
			return "", false, err
		}
		name, err := m.nameInRepository(ctx, r)
		return name, false, err
	}
	u, err := url.Parse(address)
	if err != nil {
		return "", false, metadata.Invalid("%q is not an address", address)
	}
	file := path.Base(u.Path)
	if w, err := metadata.ParseWheelName(file); err == nil {
		return w.Name, false, nil
	}
	if local, ok := metadata.PathOf(address); ok {
		info, err := os.Stat(local)
		switch {
		case err != nil:
			return "", false, usage(NoFile, project.Shorten(m.Dir, local))
		case info.IsDir():
			s, err := source.Read(source.Source{Folder: local, Called: project.Shorten(m.Dir, local), Subdirectory: subdirectoryOf(u)})
			return requirement.Normalize(s.Name), true, err
		case source.IsArchive(file):
			s, err := source.Read(source.Source{Archive: local, Called: project.Shorten(m.Dir, local), Subdirectory: subdirectoryOf(u)})
			return requirement.Normalize(s.Name), false, err
		}
	}
	if s, err := metadata.ParseSdistName(file); err == nil {
		return s.Name, false, nil
	}
	if source.IsArchive(file) {
		return "", false, nil // its name must be given
	}
	_, err = metadata.ParseWheelName(file)
	return "", false, err
}

// nameInRepository is the name that the project in a repository states.
func (m *Machine) nameInRepository(ctx context.Context, r source.Repository) (string, error) {
	dir, err := m.checkouts().Folder(ctx, r)
	if err != nil {
		return "", err
	}
	s, err := source.Read(source.Source{Folder: dir, Called: r.URL, Subdirectory: r.Subdirectory})
	return requirement.Normalize(s.Name), err
}

// subdirectoryOf reads where the project stands from an address's fragment.
func subdirectoryOf(u *url.URL) string {
	for _, part := range strings.Split(u.Fragment, "&") {
		if value, ok := strings.CutPrefix(part, "subdirectory="); ok && filepath.IsLocal(filepath.FromSlash(value)) {
			return value
		}
	}
	return ""
}

// addDirect makes the direct references among the roots known to the catalog:
// a file on this machine as it is, another fetched, since only its own
// metadata can say what it needs.
func (m *Machine) addDirect(ctx context.Context, p *job, roots []project.Asked) error {
	for _, a := range roots {
		if a.URL == "" {
			continue
		}
		f, err := m.directFile(ctx, p, a)
		if err != nil {
			return err
		}
		p.catalog.Direct[a.Key()] = f
	}
	return nil
}

func (m *Machine) directFile(ctx context.Context, p *job, a project.Asked) (index.File, error) {
	f := index.File{Distribution: a.Key(), Size: -1}
	r, ok, err := source.ParseRepository(a.URL)
	switch {
	case err != nil:
		return f, &UsageError{Case: NoPackageFile, Of: []string{a.Text}, Err: err}
	case ok:
		f.URL, f.Subdirectory = r.URL, r.Subdirectory
		f.Tree = &index.Tree{Repository: r.URL, Requested: r.Requested, Commit: r.Commit}
		return m.directSource(ctx, p, f)
	}
	u, err := url.Parse(a.URL)
	if err != nil {
		return f, &UsageError{Case: NoPackageFile, Of: []string{a.Text}, Err: err}
	}
	for _, part := range strings.Split(u.Fragment, "&") {
		if algorithm, sum, ok := strings.Cut(part, "="); ok && algorithm != "subdirectory" {
			f.Hashes.Add(algorithm, sum)
		}
	}
	f.Subdirectory = subdirectoryOf(u)
	u.Fragment, u.RawFragment = "", ""
	f.Name, f.URL = path.Base(u.Path), u.String()
	if local, ok := metadata.PathOf(f.URL); ok {
		info, err := os.Stat(local)
		if err != nil {
			return f, usage(NoFile, project.Shorten(m.Dir, local))
		}
		if f.Path, f.Size = local, info.Size(); info.IsDir() {
			f.Name, f.Path, f.Tree, f.Hashes = "", "", &index.Tree{Folder: local, Editable: a.Editable, Own: a.Own}, digest.Sums{}
			f.Size = -1
			return m.directSource(ctx, p, f)
		}
	}
	if source.IsArchive(f.Name) {
		if s, err := metadata.ParseSdistName(f.Name); err == nil && s.Name == a.Key() {
			f.Version = s.Version
		}
		return m.directSource(ctx, p, f)
	}
	name, err := metadata.ParseWheelName(f.Name)
	if err != nil {
		return f, &UsageError{Case: NoPackageFile, Of: []string{a.Text}, Err: err}
	}
	if name.Name != a.Key() {
		return f, usage(OtherDistribution, a.Text, a.Name, name.Name, a.URL)
	}
	f.Wheel, f.Version = &name, name.Version
	file, sum, err := p.catalog.Fetch(ctx, f, nil)
	if err != nil {
		return f, err
	}
	f.Hashes = f.Hashes.With(sum)
	if info, err := os.Stat(file); err == nil {
		f.Size = info.Size()
	}
	return f, nil
}

// directSource is source that was named, with what is known of it once it is here. That it may be
// built is asked now: what it needs may depend on it.
func (m *Machine) directSource(ctx context.Context, p *job, f index.File) (index.File, error) {
	if p.building == nil {
		return f, &building.NoConsentError{Names: []string{f.Distribution}, Spec: p.place.SpecFile}
	}
	return p.building.Ready(ctx, p.building.Recorded(f)) // what was recorded stays until it is upgraded
}
