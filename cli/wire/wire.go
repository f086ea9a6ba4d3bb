// Package wire has the shapes of what commands print with --json: the words of the
// keys, which are added to and never renamed within a version of the format
// (docs/json.md). The core has its values as it needs them; here they become what
// scripts of others read.
package wire

import (
	"encoding"

	"glassjar/core/interpreter/pack"
	"glassjar/core/leaks"
	"glassjar/core/operation"
)

// Of gives the shape of what a command came to: a value of this package for one of
// the core, and one that has its shape already as it is.
func Of(v any) any {
	switch v := v.(type) {
	case *operation.Created:
		return ofCreated(*v)
	case *operation.Outcome:
		return ofOutcome(*v)
	case *operation.Discarded:
		return ofDiscarded(*v)
	case *operation.Shelf:
		return ofShelf(*v)
	case *operation.Trusted:
		return ofTrusted(*v)
	case *operation.Renamed:
		return ofRenamed(*v)
	case *operation.Holdings:
		return ofHoldings(*v)
	case *operation.Advisories:
		return ofAdvisories(*v)
	case *operation.Licences:
		return ofLicences(*v)
	case *operation.Lent:
		return ofLent(*v)
	case *operation.Under:
		return ofUnder(*v)
	case *operation.Outdated:
		return ofOutdated(*v)
	case *operation.History:
		return ofHistory(*v)
	case *operation.Here:
		return ofHere(*v)
	case *operation.Contents:
		return ofContents(*v)
	case *operation.About:
		return ofAbout(*v)
	case *operation.Why:
		return ofWhy(*v)
	case *operation.Found:
		return ofFound(*v)
	case *operation.Difference:
		return ofDifference(*v)
	case *operation.Checked:
		return ofChecked(*v)
	case *operation.Labelled:
		return ofLabelled(*v)
	case *operation.ShelfReport:
		return ofShelfReport(*v)
	case *operation.Report:
		return ofReport(*v)
	case *operation.Recorded:
		return ofRecorded(*v)
	case *operation.MergedRecord:
		return ofMergedRecord(*v)
	case *operation.Sealed:
		return ofSealed(*v)
	case *operation.Entered:
		return ofEntered(*v)
	case *operation.Connection:
		return ofConnection(*v)
	case *operation.Pythons:
		return ofPythons(*v)
	case *operation.FetchedPython:
		return ofFetchedPython(*v)
	case *pack.Packed:
		return ofPacked(*v)
	case []operation.DroppedPython:
		return PythonsDropped{list(v, ofDropped)}
	case []operation.VerifiedPython:
		return PythonsVerified{list(v, ofVerifiedPython)}
	case []operation.IndexInfo:
		return IndexesResult{list(v, ofIndexInfo)}
	case *operation.StoreUsage:
		return ofStoreUsage(*v)
	case *operation.Tidied:
		return ofTidied(*v)
	case *operation.Verified:
		return ofVerified(*v)
	case *operation.Compiled:
		return ofCompiled(*v)
	case *operation.EffectiveSettings:
		return ofEffectiveSettings(*v)
	case *leaks.Strays:
		return ofStrays(*v)
	}
	return v
}

// list has each member of a list in its shape; none stays none.
func list[A, B any](from []A, shape func(A) B) []B {
	if from == nil {
		return nil
	}
	out := make([]B, len(from))
	for i, a := range from {
		out[i] = shape(a)
	}
	return out
}

func pointer[A, B any](from *A, shape func(A) B) *B {
	if from == nil {
		return nil
	}
	out := shape(*from)
	return &out
}

// text is a value in its own words.
func text[T encoding.TextMarshaler](v T) string {
	words, _ := v.MarshalText() // of versions, markers and parts, which always have some
	return string(words)
}
