package wire

import (
	"time"

	"glassjar/core/interpreter/fetched"
	"glassjar/core/interpreter/pack"
	"glassjar/core/operation"
)

// FetchedPython is one that was fetched.
type FetchedPython struct {
	Name           string    `json:"name"`
	Implementation string    `json:"implementation"`
	Version        string    `json:"version"`
	Build          string    `json:"build,omitempty"`
	File           string    `json:"file"`
	From           string    `json:"from"`
	SHA256         string    `json:"sha256"`
	Size           int64     `json:"size"`
	Bytes          int64     `json:"bytes"`
	Came           time.Time `json:"came"`
}

func ofFetched(v fetched.Python) FetchedPython {
	return FetchedPython{v.Name, v.Implementation, v.Version, v.Build, v.File, v.From, v.SHA256, v.Size, v.Bytes, v.Came}
}

// PythonFetched is what came of fetching one.
type PythonFetched struct {
	FetchedPython
	Path     string        `json:"path"`
	Already  bool          `json:"already"`
	Fetched  int64         `json:"fetched"`
	Took     time.Duration `json:"took_ns"`
	Warnings []string      `json:"warnings"`
}

func ofFetchedPython(v operation.FetchedPython) PythonFetched {
	return PythonFetched{ofFetched(v.Python), v.Path, v.Already, v.Fetched, v.Took, append([]string{}, v.Warnings...)}
}

// PythonPacked is what came of packing one.
type PythonPacked struct {
	File     string   `json:"file"`
	Tag      string   `json:"tag"`
	SHA256   string   `json:"sha256"`
	Size     int64    `json:"size"`
	Bytes    int64    `json:"bytes"`
	Files    int      `json:"files"`
	External []string `json:"external"`
	Along    []string `json:"along"`
}

func ofPacked(v pack.Packed) PythonPacked {
	return PythonPacked{v.File, v.Tag, v.SHA256, v.Size, v.Bytes, v.Files, append([]string{}, v.External...), append([]string{}, v.Along...)}
}

// PythonsDropped are those that were removed.
type PythonsDropped struct {
	Dropped []PythonDropped `json:"dropped"`
}

// PythonDropped is one of them, and the jars that counted on it.
type PythonDropped struct {
	FetchedPython
	Jars []string `json:"used_by"`
}

func ofDropped(v operation.DroppedPython) PythonDropped {
	return PythonDropped{ofFetched(v.Python), append([]string{}, v.Jars...)}
}

// PythonsVerified are those that were compared with their hashes.
type PythonsVerified struct {
	Pythons []PythonVerified `json:"verified"`
}

// PythonVerified is one of them.
type PythonVerified struct {
	FetchedPython
	Files  int           `json:"files"`
	Faults []PythonFault `json:"altered"`
	Known  bool          `json:"known"`
}

// PythonFault is a file that is not what was fetched.
type PythonFault struct {
	Path string `json:"path"`
	Why  string `json:"why"`
}

func ofVerifiedPython(v operation.VerifiedPython) PythonVerified {
	return PythonVerified{ofFetched(v.Python), v.Files, list(v.Faults, func(f fetched.Fault) PythonFault { return PythonFault(f) }), v.Known}
}
