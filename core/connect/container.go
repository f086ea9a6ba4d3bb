package connect

import (
	"embed"
	"maps"
	"path"
	"slices"
	"strings"
)

//go:embed container/*
var containerFiles embed.FS

// Mark begins the files that are written for containers: others are not
// overwritten.
const Mark = "Written by glassjar connect container"

// Container is what the files for an image are made of.
type Container struct {
	// Name is the project's, Base the image to begin from, with the Python that
	// the record serves.
	Name, Base string
	// Files go beside the record into the image, relative to the project: the
	// record itself and what it names by path. Record is the record's name.
	Files  []string
	Record string
	// Groups and Extras of the record are installed besides.
	Groups, Extras []string
	// Build are names that are built from source there. Sources tells that some are folders
	// of the project, which must be in the image before.
	Build   []string
	Sources bool
}

// Places in the image.
const (
	containerHome = "/opt/glassjar"
	containerJar  = containerHome + "/jar"
	containerWork = "/work"
	containerUser = "orchardist"
	containerID   = "10001"
)

// ContainerFile is one file to be written, relative to the project.
type ContainerFile struct {
	Path, Text string
}

// copies are the lines that put the record, and what it names by path, into the image,
// each into the same folder as beside the record.
func (c Container) copies() string {
	byFolder := map[string][]string{}
	for _, f := range c.Files {
		dir := path.Dir(f)
		byFolder[dir] = append(byFolder[dir], f)
	}
	var b strings.Builder
	for _, dir := range slices.Sorted(maps.Keys(byFolder)) {
		to := path.Join(containerHome, "record", dir) + "/"
		words := []string{}
		for _, f := range append(byFolder[dir], to) {
			words = append(words, JSONText(f))
		}
		b.WriteString("COPY --chown=" + containerID + ":" + containerID + " [" + strings.Join(words, ", ") + "]\n")
	}
	return b.String()
}

// Write makes the files.
func (c Container) Write() []ContainerFile {
	extra := ""
	for _, g := range c.Groups {
		extra += " --group " + g
	}
	for _, e := range c.Extras {
		extra += " --extra " + e
	}
	for _, b := range c.Build {
		extra += " --build " + b
	}
	copies, record := c.copies(), path.Join(containerHome, "record", c.Record)
	if c.Sources {
		copies, record = "COPY --chown="+containerID+":"+containerID+" . "+containerWork+"\n", path.Join(containerWork, c.Record)
	}
	fill := strings.NewReplacer("@BASE@", c.Base, "@UID@", containerID, "@USER@", containerUser, "@HOME@", containerHome, "@JAR@", containerJar,
		"@WORK@", containerWork, "@COPIES@", copies, "@RECORD@", record, "@EXTRA@", extra, "@NAME@", JSONText(c.Name))
	var out []ContainerFile
	for _, f := range []struct{ path, from string }{{"Containerfile", "Containerfile"}, {".containerignore", "containerignore"}, {".devcontainer/devcontainer.json", "devcontainer.json"}} {
		text, err := containerFiles.ReadFile("container/" + f.from)
		if err != nil {
			panic(err) // it is embedded above
		}
		out = append(out, ContainerFile{f.path, fill.Replace(string(text))})
	}
	return append(out, ContainerFile{"container/.gitignore", "# " + Mark + ": the program is copied here, not kept.\n/glassjar\n"})
}
