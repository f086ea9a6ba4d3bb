package wire

import (
	"time"

	"glassjar/core/kernel"
	"glassjar/core/operation"
)

// Shelf is all jars known on this machine.
type Shelf struct {
	Jars []Shelved      `json:"jars"`
	Away []DiscardedJar `json:"discarded"`
	// Kernels are those of notebooks that were connected.
	Kernels []Kernel `json:"kernels"`
}

// Kernel is a kernel specification that connect notebook has written.
type Kernel struct {
	Name  string `json:"name"`
	Jar   string `json:"jar"`
	File  string `json:"file"`
	State string `json:"state"`
}

func ofKernel(v kernel.Kernel) Kernel { return Kernel(v) }

func ofShelf(v operation.Shelf) Shelf {
	return Shelf{
		Jars:    list(v.Jars, ofShelved),
		Away:    list(v.Away, ofDiscardedJar),
		Kernels: list(v.Kernels, ofKernel),
	}
}

// Shelved is one jar that is known on this machine.
type Shelved struct {
	Name      string    `json:"name"`
	Jar       string    `json:"jar"`
	Python    string    `json:"python"`
	Packages  int       `json:"package_count"`
	Size      int64     `json:"size"`
	Shared    int64     `json:"shared"`
	Used      time.Time `json:"used"`
	State     string    `json:"state"`
	OnShelf   bool      `json:"on_shelf"`
	InProject bool      `json:"in_project"`
	OfScripts bool      `json:"of_scripts"`
	Scripts   []string  `json:"scripts"`
}

func ofShelved(v operation.Shelved) Shelved { return Shelved(v) }

// Subject is a jar or a record that was looked at; of_record tells that it was the record.
type Subject struct {
	Name     string `json:"name"`
	Jar      string `json:"jar"`
	Record   string `json:"record"`
	OfRecord bool   `json:"of_record"`
}

func ofSubject(v operation.Subject) Subject { return Subject{v.Name, v.Jar, v.Record, v.OfRecord()} }

// Holdings are the jars and records that hold something.
type Holdings struct {
	Asked   string    `json:"holding"`
	Found   []Holding `json:"held_in"`
	Jars    int       `json:"jar_count"`
	Records int       `json:"record_count"`
}

func ofHoldings(v operation.Holdings) Holdings {
	return Holdings{Asked: v.Asked, Found: list(v.Found, ofHolding), Jars: v.Jars, Records: v.Records}
}

// Holding is one of them; jar and record are empty where there is none.
type Holding struct {
	Name     string `json:"name"`
	Jar      string `json:"jar"`
	Record   string `json:"record"`
	Version  string `json:"version"`
	InJar    bool   `json:"held_by_jar"`
	InRecord bool   `json:"held_by_record"`
}

func ofHolding(v operation.Holding) Holding {
	return Holding{Name: v.Name, Jar: v.Jar, Record: v.Record, Version: v.Version, InJar: v.InJar, InRecord: v.InRecord}
}

// DiscardedJar is a discarded jar that can be brought back until the store is tidied.
type DiscardedJar struct {
	Jar   string    `json:"jar"`
	Held  string    `json:"held"`
	At    time.Time `json:"at"`
	ID    string    `json:"id"`
	Size  int64     `json:"size"`
	Frees int64     `json:"frees"`
}

func ofDiscardedJar(v operation.DiscardedJar) DiscardedJar {
	return DiscardedJar{
		Jar:   v.Jar,
		Held:  v.Held,
		At:    v.At,
		ID:    v.ID,
		Size:  v.Size,
		Frees: v.Frees,
	}
}

// Trusted tells of a jar that is trusted from now on, or no longer.
type Trusted struct {
	Jar      string `json:"jar"`
	Name     string `json:"name"`
	Leads    string `json:"leads_to"`
	Packages int    `json:"package_count"`
	Trusted  bool   `json:"trusted"`
}

func ofTrusted(v operation.Trusted) Trusted { return Trusted(v) }

// Renamed tells of a jar that has another name on the shelf.
type Renamed struct {
	From string `json:"from"`
	Name string `json:"name"`
	Jar  string `json:"jar"`
}

func ofRenamed(v operation.Renamed) Renamed { return Renamed(v) }

// ShelfReport is what a page about all jars tells.
type ShelfReport struct {
	Jars []ShelfReportJar `json:"shelved"`
	Now  time.Time        `json:"made"`
}

func ofShelfReport(v operation.ShelfReport) ShelfReport {
	return ShelfReport{Jars: list(v.Jars, ofShelfReportJar), Now: v.Now}
}

// ShelfReportJar is one of them, with what it holds.
type ShelfReportJar struct {
	Shelved
	Holds []Held `json:"held_packages"`
}

func ofShelfReportJar(v operation.ShelfReportJar) ShelfReportJar {
	return ShelfReportJar{ofShelved(v.Shelved), list(v.Holds, func(h operation.Held) Held { return Held(h) })}
}

// Held is a distribution that a jar holds.
type Held struct {
	Name    string `json:"name"`
	Version string `json:"version"`
}
