package wire

import (
	"glassjar/core/graph"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/operation"
)

// About is a distribution as it is here and as the index has it.
type About struct {
	Name       string              `json:"name"`
	Described  string              `json:"described"`
	Summary    string              `json:"summary"`
	License    string              `json:"license"`
	Maturity   string              `json:"maturity"`
	Links      []Link              `json:"links"`
	Needs      []string            `json:"requires"`
	Extras     map[string][]string `json:"extra_requires"`
	Imports    []string            `json:"imports"`
	Scripts    []string            `json:"scripts"`
	Python     string              `json:"requires_python"`
	Here       *AboutHere          `json:"in_jar"`
	Index      string              `json:"index"`
	Releases   []AboutRelease      `json:"releases"`
	Status     string              `json:"status"`
	Reason     string              `json:"status_reason"`
	Tracks     []string            `json:"tracks"`
	Alternates []string            `json:"alternate_locations"`
	Publishers []Publisher         `json:"published_by"`
	For        string              `json:"for"`
	Unasked    string              `json:"unasked,omitempty"`
}

func ofAbout(v operation.About) About {
	return About{
		Name:       v.Name,
		Described:  v.Described,
		Summary:    v.Summary,
		License:    v.License,
		Maturity:   v.Maturity,
		Links:      list(v.Links, ofLink),
		Needs:      v.Needs,
		Extras:     v.Extras,
		Imports:    v.Imports,
		Scripts:    v.Scripts,
		Python:     v.Python,
		Here:       pointer(v.Here, ofAboutHere),
		Index:      v.Index,
		Releases:   list(v.Releases, ofAboutRelease),
		Status:     v.Status,
		Reason:     v.Reason,
		Tracks:     v.Tracks,
		Alternates: v.Alternates,
		Publishers: list(v.Publishers, ofPublisher),
		For:        v.For,
		Unasked:    v.Unasked,
	}
}

// Link is a labelled address.
type Link struct {
	Label string `json:"label"`
	URL   string `json:"url"`
}

func ofLink(v metadata.Link) Link { return Link(v) }

// AboutHere is a distribution in a jar.
type AboutHere struct {
	Jar      string   `json:"jar"`
	Version  string   `json:"version"`
	Asked    bool     `json:"asked"`
	NeededBy []Need   `json:"needed_as"`
	Size     int64    `json:"size"`
	Files    int      `json:"files"`
	From     string   `json:"from"`
	Warnings []string `json:"warnings"`
	Base     bool     `json:"of_base,omitempty"`
}

func ofAboutHere(v operation.AboutHere) AboutHere {
	return AboutHere{
		Jar:      v.Jar,
		Version:  v.Version,
		Asked:    v.Asked,
		NeededBy: list(v.NeededBy, ofNeed),
		Size:     v.Size,
		Files:    v.Files,
		From:     v.From,
		Warnings: v.Warnings,
		Base:     v.Base,
	}
}

// AboutRelease is one version that the index offers.
type AboutRelease struct {
	Version  string `json:"version"`
	Uploaded string `json:"uploaded"`
	Python   string `json:"requires_python"`
	Size     int64  `json:"size"`
	Files    int    `json:"files"`
	Fits     bool   `json:"usable"`
	Unfit    string `json:"unfit,omitempty"`
	Detail   string `json:"detail,omitempty"`
	Here     bool   `json:"here,omitempty"`
}

func ofAboutRelease(v operation.AboutRelease) AboutRelease { return AboutRelease(v) }

// Publisher is who published a file, as the index says that it found out (PEP 740): a
// service such as a forge, and what it knows the publisher by.
type Publisher struct {
	Kind   string            `json:"kind"`
	Claims map[string]string `json:"claims"`
}

func ofPublisher(v index.Publisher) Publisher { return Publisher(v) }

// Why is how a distribution came into a jar.
type Why struct {
	Jar      string            `json:"jar"`
	Name     string            `json:"name"`
	Version  string            `json:"version"`
	Chains   [][]Need          `json:"chains"`
	Versions map[string]string `json:"versions"`
	More     bool              `json:"more,omitempty"`
	Base     bool              `json:"of_base,omitempty"`
}

func ofWhy(v operation.Why) Why {
	return Why{
		Jar:      v.Jar,
		Name:     v.Name,
		Version:  v.Version,
		Chains:   list(v.Chains, func(c graph.Chain) []Need { return list(c, ofNeed) }),
		Versions: v.Versions,
		More:     v.More,
		Base:     v.Base,
	}
}

// Found is what a search gave.
type Found struct {
	Word       string `json:"word"`
	Hits       []Hit  `json:"hits"`
	Names      int    `json:"names"`
	Matches    int    `json:"matches"`
	Looked     int    `json:"looked_at"`
	SampleOnly bool   `json:"sample_only"`
}

func ofFound(v operation.Found) Found {
	return Found{
		Word:       v.Word,
		Hits:       list(v.Hits, ofHit),
		Names:      v.Names,
		Matches:    v.Matches,
		Looked:     v.Looked,
		SampleOnly: v.SampleOnly,
	}
}

// Hit is a name that matches.
type Hit struct {
	Name     string `json:"name"`
	Index    string `json:"index"`
	Version  string `json:"version"`
	Summary  string `json:"summary"`
	Maturity string `json:"maturity"`
	Near     bool   `json:"near,omitempty"`
}

func ofHit(v operation.Hit) Hit { return Hit(v) }
