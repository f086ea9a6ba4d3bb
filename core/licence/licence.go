// Package licence says under which terms a distribution is: as an expression of SPDX identifiers (the
// SPDX specification, "SPDX license expressions"), out of what its metadata says. The field
// License-Expression (PEP 639) has one; before it there were free words and classifiers, of which
// those that mean one licence are read as that. What may mean several, such as "BSD", is left as it
// is, and is not clear: whoever has to know looks into the files.
package licence

import (
	"cmp"
	"path"
	"slices"
	"strings"

	"github.com/github/go-spdx/v2/spdxexp"

	"glassjar/core/internal/lazy"
	"glassjar/core/metadata"
)

// Where an expression comes from.
const (
	FromExpression = "expression" // of the metadata itself
	FromWords      = "words"      // free words that mean one licence
	FromClassifier = "classifier"
	FromSpec       = "spec" // a person says so
)

// Licence is what a distribution is under.
type Licence struct {
	// Expression is SPDX's; empty where it is not clear.
	Expression string
	// From is one of the constants, Words what the metadata says; empty where it says nothing.
	From, Words string
	// Files are those with its text, as the metadata names them.
	Files []string
}

// Clear reports whether it is one that SPDX knows.
func (l Licence) Clear() bool { return l.Expression != "" }

// Name is the expression, or else the words; empty where nothing is said.
func (l Licence) Name() string { return cmp.Or(l.Expression, l.Words) }

// String is [Licence.Name], or that nothing is said.
func (l Licence) String() string { return cmp.Or(l.Name(), "not said") }

// Of is what metadata says.
func Of(meta metadata.Metadata) Licence {
	out := Licence{Files: slices.Clone(meta.LicenseFiles)}
	words := oneLine(meta.License)
	if meta.LicenseExpression != "" {
		out.Words = oneLine(meta.LicenseExpression)
		if out.Expression = Expression(meta.LicenseExpression); out.Expression != "" {
			out.From = FromExpression
		}
		return out
	}
	named := classified(meta.Classifiers)
	switch says := plain(words); {
	case slices.Contains(nothing, says), len(named) > 0 && strings.Contains(meta.License, "\n"): // some write the whole licence there
		out.Words = strings.Join(named, ", ")
	default:
		out.Words = words
	}
	if out.Expression = meaning(words); out.Expression != "" {
		out.From = FromWords
		return out
	}
	var all []string
	for _, name := range named {
		one := meaning(name)
		if one == "" {
			return out
		}
		all = append(all, one)
	}
	if len(all) > 0 {
		out.Expression, out.From = strings.Join(all, " AND "), FromClassifier
	}
	return out
}

var operator = lazy.Pattern(`(?i)\b(and|or|with)\b`)

// Expression is an expression in its usual form; empty for one that SPDX does not know.
func Expression(text string) string {
	text = operator().ReplaceAllStringFunc(text, strings.ToUpper) // PEP 639 takes them in any case
	good, wrong := spdxexp.ValidateAndNormalizeLicensesWithOptions([]string{strings.TrimSpace(text)}, spdxexp.ValidateLicensesOptions{})
	if len(wrong) > 0 || len(good) != 1 {
		return ""
	}
	return good[0]
}

// Allowed reports whether an expression is met by what is allowed, a list of identifiers that
// [Expression] knows: of alternatives one has to be in it, of what holds together all.
func Allowed(expression string, allowed []string) (bool, error) {
	return spdxexp.Satisfies(expression, allowed)
}

// classified are the licences of classifiers, without their common beginnings.
func classified(list []string) (out []string) {
	for _, c := range list {
		rest, ok := strings.CutPrefix(c, "License ::")
		if !ok {
			continue
		}
		parts := strings.Split(rest, "::")
		if name := strings.TrimSpace(parts[len(parts)-1]); name != "OSI Approved" {
			out = append(out, name)
		}
	}
	return out
}

// nothing are words that say nothing, as [plain] has them.
var nothing = []string{"", "unknown", "other", "see file"}

// maxWords is how much of a text is its licence's name: some write the whole licence into the field.
const maxWords = 120

// oneLine is the beginning of a text, on one line.
func oneLine(text string) string {
	line := strings.Join(strings.Fields(text), " ")
	if len(line) > maxWords {
		line = strings.ToValidUTF8(line[:maxWords], "") + "..."
	}
	return line
}

var (
	inBrackets = lazy.Pattern(`\([^)]*\)`)
	noWord     = lazy.Pattern(`[^a-z0-9.+]+`)
	ofNumber   = lazy.Pattern(`(\b|[a-z])v(\d)`)
	apart      = lazy.Pattern(`([a-z])(\d)`)
	zero       = lazy.Pattern(`(\d)\.0\b`)
)

// said are words that tell no licence from another.
var said = []string{"the", "license", "licence", "licensed", "software", "version", "open", "source", "approved", "osi", "terms", "under", "gnu", "v", "and"}

// plain is a name as people may have written it, without what does not matter.
func plain(name string) string {
	text := strings.ToLower(inBrackets().ReplaceAllString(name, " "))
	text = strings.NewReplacer("or later", "+", "or newer", "+", "general public", "gpl", "lesser gpl", "lgpl", "library gpl", "lgpl", "affero gpl", "agpl", "only", "").Replace(text)
	text = strings.NewReplacer("lesser gpl", "lgpl", "library gpl", "lgpl", "affero gpl", "agpl").Replace(text)
	text = noWord().ReplaceAllString(text, " ")
	text = ofNumber().ReplaceAllString(text, "$1 $2")
	text = apart().ReplaceAllString(text, "$1 $2")
	text = strings.ReplaceAll(zero().ReplaceAllString(text, "$1"), " +", "+")
	var words []string
	for _, w := range strings.Fields(text) {
		if w = strings.Trim(w, "."); w != "" && !slices.Contains(said, w) {
			words = append(words, w)
		}
	}
	return strings.Join(words, " ")
}

// meaning is the expression that a name means, if it means one.
func meaning(name string) string {
	if name == "" {
		return ""
	}
	if e, ok := names[plain(name)]; ok {
		return e
	}
	return Expression(name)
}

// names are those that mean one licence, as [plain] has them.
var names = map[string]string{
	"mit": "MIT", "expat": "MIT", "mit expat": "MIT", "mit x 11": "MIT", "mit no attribution": "MIT-0", "mit 0": "MIT-0",
	"apache 2": "Apache-2.0", "asl 2": "Apache-2.0", "apache 1.1": "Apache-1.1",
	"bsd 3 clause": "BSD-3-Clause", "3 clause bsd": "BSD-3-Clause", "bsd 3": "BSD-3-Clause", "new bsd": "BSD-3-Clause", "modified bsd": "BSD-3-Clause", "bsd 3 clause new or revised": "BSD-3-Clause",
	"bsd 2 clause": "BSD-2-Clause", "2 clause bsd": "BSD-2-Clause", "simplified bsd": "BSD-2-Clause", "freebsd": "BSD-2-Clause", "zero clause bsd": "0BSD", "0 bsd": "0BSD", "0bsd": "0BSD",
	"isc": "ISC", "iscl": "ISC", "zlib": "Zlib", "zlib libpng": "Zlib", "unlicense": "Unlicense", "wtfpl": "WTFPL",
	"mpl 2": "MPL-2.0", "mozilla public 2": "MPL-2.0", "mpl 1.1": "MPL-1.1", "mozilla public 1.1": "MPL-1.1",
	"gpl 2": "GPL-2.0-only", "gpl 2+": "GPL-2.0-or-later", "gpl 3": "GPL-3.0-only", "gpl 3+": "GPL-3.0-or-later",
	"lgpl 2": "LGPL-2.0-only", "lgpl 2+": "LGPL-2.0-or-later", "lgpl 2.1": "LGPL-2.1-only", "lgpl 2.1+": "LGPL-2.1-or-later", "lgpl 3": "LGPL-3.0-only", "lgpl 3+": "LGPL-3.0-or-later",
	"agpl 3": "AGPL-3.0-only", "agpl 3+": "AGPL-3.0-or-later",
	"psf": "PSF-2.0", "psf 2": "PSF-2.0", "python foundation": "PSF-2.0", "psfl": "PSF-2.0", "python 2": "Python-2.0",
	"cc 0 1": "CC0-1.0", "cc 0 1 universal": "CC0-1.0", "cc 0 1 universal public domain dedication": "CC0-1.0", "cc by 4": "CC-BY-4.0",
	"zpl 2.1": "ZPL-2.1", "zope public 2.1": "ZPL-2.1", "artistic 2": "Artistic-2.0", "boost 1": "BSL-1.0", "bsl 1": "BSL-1.0",
	"epl 2": "EPL-2.0", "eclipse public 2": "EPL-2.0", "epl 1": "EPL-1.0", "eclipse public 1": "EPL-1.0", "eupl 1.2": "EUPL-1.2", "european union public 1.2": "EUPL-1.2",
	"hpnd": "HPND", "historical permission notice disclaimer": "HPND", "university of illinois ncsa": "NCSA", "ncsa": "NCSA",
	"ofl 1.1": "OFL-1.1", "sil font 1.1": "OFL-1.1", "upl": "UPL-1.0", "upl 1": "UPL-1.0", "universal permissive": "UPL-1.0", "blue oak model": "BlueOak-1.0.0",
}

// IsText reports whether a file's name is one that texts of licences have.
func IsText(name string) bool {
	base := strings.ToUpper(path.Base(name))
	return slices.ContainsFunc([]string{"LICENSE", "LICENCE", "COPYING", "NOTICE", "AUTHORS"}, func(p string) bool { return strings.HasPrefix(base, p) })
}
