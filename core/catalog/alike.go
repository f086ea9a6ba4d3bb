package catalog

import (
	"encoding/binary"

	"glassjar/core/tags"
)

// manyFiles is from how many files of a name on it pays to find out which releases are alike.
const manyFiles = 200

// alike numbers releases of one name, such that those with one number have the same wheels but for
// the version in their names: what one of them has for an environment, the others have too. A
// large page, which each of thirty targets chooses from, has few such numbers. 0 is not known.
func alike(releases []Release) {
	files := 0
	for _, r := range releases {
		files += len(r.Files)
	}
	if files < manyFiles {
		return
	}
	sets, texts, shapes := map[*tags.Tag]uint64{}, map[string]uint64{}, map[string]int{}
	text := func(of string) uint64 {
		n, ok := texts[of]
		if !ok {
			n = uint64(len(texts))
			texts[of] = n
		}
		return n
	}
	var shape []byte
	for i := range releases {
		shape = shape[:0]
		for j := range releases[i].Files {
			f := &releases[i].Files[j]
			set, yanked, build := uint64(0), uint64(0), ""
			if f.Wheel != nil && len(f.Wheel.Tags) > 0 {
				n, ok := sets[&f.Wheel.Tags[0]] // a page keeps each set of tags once
				if !ok {
					n = uint64(len(sets)) + 1
					sets[&f.Wheel.Tags[0]] = n
				}
				set = n
				build = f.Wheel.Build.Number + "-" + f.Wheel.Build.Suffix
			}
			if f.Yanked {
				yanked = 1
			}
			for _, n := range []uint64{set, text(build), text(f.RequiresPython), yanked, text(f.YankedReason)} {
				shape = binary.AppendUvarint(shape, n)
			}
		}
		number, ok := shapes[string(shape)]
		if !ok {
			number = len(shapes) + 1
			shapes[string(shape)] = number
		}
		releases[i].alike = number
	}
}
