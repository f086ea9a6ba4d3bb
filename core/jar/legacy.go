package jar

import (
	"path/filepath"
	"strings"

	"glassjar/core/limits"
	"glassjar/core/metadata"
	"glassjar/core/requirement"
)

// readLegacy reads a distribution that was installed in the way from before the
// .dist-info folders, as systems still do: NAME-VERSION.egg-info, a folder with
// PKG-INFO or that file itself. It reports false for what is none.
func readLegacy(path string) (Installed, bool) {
	d := Installed{Info: path}
	data, err := limits.ReadFile(filepath.Join(path, "PKG-INFO"), limits.Metadata)
	folder := err == nil
	if !folder {
		if data, err = limits.ReadFile(path, limits.Metadata); err != nil {
			return d, false
		}
	}
	if d.Metadata, err = metadata.Parse(data); err != nil {
		return d, false
	}
	if folder && len(d.Metadata.Requires) == 0 {
		if text, err := limits.ReadFile(filepath.Join(path, "requires.txt"), limits.Metadata); err == nil {
			d.Metadata.Requires = legacyNeeds(string(text))
		}
	}
	return d, true
}

// legacyNeeds reads requires.txt: a need a line, below heads such as "[extra]",
// "[:marker]" and "[extra:marker]". Lines that do not read are passed over: what is
// there works as it is.
func legacyNeeds(text string) []requirement.Requirement {
	var out []requirement.Requirement
	condition := ""
	for _, line := range strings.Split(text, "\n") {
		line = strings.TrimSpace(line)
		if head, ok := strings.CutPrefix(line, "["); ok {
			extra, marker, _ := strings.Cut(strings.TrimSuffix(head, "]"), ":")
			var parts []string
			if marker != "" {
				parts = append(parts, "("+marker+")")
			}
			if extra != "" {
				parts = append(parts, `extra == "`+extra+`"`)
			}
			condition = strings.Join(parts, " and ")
			continue
		}
		if line == "" {
			continue
		}
		if condition != "" {
			line += " ; " + condition
		}
		if r, err := requirement.ParseLegacy(line); err == nil {
			out = append(out, r)
		}
	}
	return out
}
