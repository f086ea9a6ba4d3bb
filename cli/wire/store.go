package wire

import (
	"glassjar/core/operation"
	"glassjar/core/store"
)

// StoreUsage is what the store holds, and what holds it.
type StoreUsage struct {
	Dir           string       `json:"dir"`
	Files         int          `json:"files"`
	Bytes         int64        `json:"bytes"`
	Needed        int64        `json:"needed"`
	Contents      Amount       `json:"contents"`
	Bytecode      Amount       `json:"bytecode"`
	Packages      Amount       `json:"package_files"`
	Saved         int64        `json:"saved"`
	Distributions []StoreShare `json:"distributions"`
	Jars          []JarShare   `json:"shares"`
	Discarded     int64        `json:"discarded_bytes"`
}

func ofStoreUsage(v operation.StoreUsage) StoreUsage {
	return StoreUsage{
		Dir:           v.Dir,
		Files:         v.Files,
		Bytes:         v.Bytes,
		Needed:        v.Needed,
		Contents:      ofAmount(v.Contents),
		Bytecode:      ofAmount(v.Bytecode),
		Packages:      ofAmount(v.Packages),
		Saved:         v.Saved,
		Distributions: list(v.Distributions, ofStoreShare),
		Jars:          list(v.Jars, ofJarShare),
		Discarded:     v.Discarded,
	}
}

// Amount is a number of files and their bytes.
type Amount struct {
	Files int   `json:"files"`
	Bytes int64 `json:"bytes"`
}

func ofAmount(v store.Amount) Amount { return Amount(v) }

// StoreShare is a part of the store.
type StoreShare struct {
	Name  string `json:"name"`
	Files int    `json:"files"`
	Bytes int64  `json:"bytes"`
	// Built tells that some of it was built on this machine.
	Built bool `json:"built_here,omitempty"`
}

func ofStoreShare(v operation.StoreShare) StoreShare {
	return StoreShare{
		Name:  v.Name,
		Files: v.Amount.Files,
		Bytes: v.Amount.Bytes,
		Built: v.Built,
	}
}

// JarShare is what one jar, with its history, has in the store.
type JarShare struct {
	Jar       string `json:"jar"`
	Needs     Amount `json:"all"`
	Only      Amount `json:"alone"`
	Discarded bool   `json:"was_discarded"`
}

func ofJarShare(v operation.JarShare) JarShare {
	return JarShare{
		Jar:       v.Jar,
		Needs:     ofAmount(v.Needs),
		Only:      ofAmount(v.Only),
		Discarded: v.Discarded,
	}
}

// Tidied is what a tidying of the store removes: files of the store, which Amount
// counts, discarded jars, and folders with what came out of repositories.
type Tidied struct {
	Files           int      `json:"files"`
	Bytes           int64    `json:"bytes"`
	Jars            []string `json:"jar_folders"`
	Scripts         []string `json:"script_jars"`
	JarBytes        int64    `json:"jar_bytes"`
	Repositories    int      `json:"repositories"`
	RepositoryBytes int64    `json:"repository_bytes"`
	Frees           int64    `json:"frees"`
	Done            bool     `json:"done"`
}

func ofTidied(v operation.Tidied) Tidied {
	return Tidied{
		Files:           v.Amount.Files,
		Bytes:           v.Amount.Bytes,
		Jars:            v.Jars,
		Scripts:         v.Scripts,
		JarBytes:        v.JarBytes,
		Repositories:    v.Repositories,
		RepositoryBytes: v.RepositoryBytes,
		Frees:           v.Frees,
		Done:            v.Done,
	}
}

// Verified is what a verification of the store found.
type Verified struct {
	Files   int      `json:"files"`
	Bytes   int64    `json:"bytes"`
	Damaged []string `json:"damaged"`
}

func ofVerified(v operation.Verified) Verified {
	return Verified{
		Files:   v.Amount.Files,
		Bytes:   v.Amount.Bytes,
		Damaged: v.Damaged,
	}
}

// Compiled is what a compiling of a jar's modules came to.
type Compiled struct {
	Jar     string `json:"jar"`
	Kind    string `json:"kind"`
	Modules int    `json:"modules"`
	Added   int    `json:"compiled_files"`
}

func ofCompiled(v operation.Compiled) Compiled { return Compiled(v) }
