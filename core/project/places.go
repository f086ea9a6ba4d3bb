package project

import (
	"fmt"
	"path"
	"path/filepath"
	"strings"

	"glassjar/core/metadata"
	"glassjar/core/requirement"
)

// placeFolders gives the requirements on what comes from a folder that folder's address.
func (s *Spec) placeFolders() error {
	folders := map[string]FolderEntry{}
	for name, f := range s.Tool.FromFolder {
		if f.Path == "" || filepath.IsAbs(filepath.FromSlash(f.Path)) || strings.ContainsAny(f.Path, "\\#") {
			return s.fault("tool.glassjar.from-folder", fmt.Sprintf("%q is not a relative path with '/'", f.Path), f.Path)
		}
		folders[requirement.Normalize(name)] = f
	}
	if len(folders) > 0 {
		s.Tool.FromFolder = folders
	}
	for i, a := range s.Asked {
		f, ok := folders[a.Key()]
		if !ok || a.URL != "" {
			continue
		}
		abs, err := filepath.Abs(filepath.Join(s.Dir(), filepath.FromSlash(f.Path)))
		if err != nil {
			return err
		}
		one := &s.Asked[i]
		one.Local, one.URL, one.Specifiers, one.Folder, one.Editable = path.Clean(f.Path), metadata.FileURL(abs), nil, true, f.Editable
	}
	return nil
}

// addOwn adds the project itself to what is asked for, where it says how it is built.
func (s *Spec) addOwn() error {
	switch s.Tool.Project {
	case "", ProjectEditable, ProjectInstalled, ProjectLeftOut:
	default:
		return s.fault("tool.glassjar.project", fmt.Sprintf("%q is not one of editable, installed, left-out", s.Tool.Project), s.Tool.Project)
	}
	if !s.Buildable || s.Tool.Project == ProjectLeftOut {
		return nil
	}
	dir, err := filepath.Abs(s.Dir())
	if err != nil {
		return err
	}
	r := requirement.Requirement{Name: s.Name, URL: metadata.FileURL(dir)}
	s.Asked = append(s.Asked, Asked{Requirement: r, Text: s.Name, File: s.File, Line: s.lineOf(s.Name), Local: ".", Folder: true, Editable: s.Tool.Project != ProjectInstalled, Own: true})
	return nil
}

// placeFiles gives the requirements on what comes from a file of the project that
// file's address.
func (s *Spec) placeFiles() error {
	files := map[string]string{}
	for name, path := range s.Tool.FromFile {
		if path == "" || !filepath.IsLocal(filepath.FromSlash(path)) {
			return s.fault("tool.glassjar.from-file", fmt.Sprintf("%q is not a path within the project", path), path)
		}
		files[requirement.Normalize(name)] = path
	}
	s.Tool.FromFile = files
	for i, a := range s.Asked {
		whole, ok := files[a.Key()]
		if !ok || a.URL != "" {
			continue
		}
		path, fragment, _ := strings.Cut(whole, "#")
		abs, err := filepath.Abs(filepath.Join(s.Dir(), filepath.FromSlash(path)))
		if err != nil {
			return err
		}
		s.Asked[i].Local, s.Asked[i].URL, s.Asked[i].Specifiers = whole, metadata.FileURL(abs), nil
		if fragment != "" {
			s.Asked[i].URL += "#" + fragment
		}
	}
	return nil
}
