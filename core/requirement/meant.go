package requirement

import (
	"strconv"
	"strings"

	"glassjar/core/internal/lazy"
	"glassjar/core/version"
)

// Meant is the requirement that a text which is none was probably meant to be, such as
// "press==2" for "press@2"; empty where nothing comes near.
func Meant(text string) string {
	text = strings.Trim(strings.TrimSpace(text), `"';,`)
	for _, guess := range []func(string) string{strings.TrimSpace, withTwoSigns, withStar, withRange, withCommas, withSigns} {
		if g := guess(text); g != "" {
			if r, err := Parse(g); err == nil && (r.URL == "" || strings.Contains(r.URL, ":")) {
				return g
			}
		}
	}
	return ""
}

const distribution = `^([A-Za-z0-9][A-Za-z0-9._-]*?(?:\[[^\]]*\])?)`

var (
	oneSign = lazy.Pattern(distribution + `\s*(?:=|:|@|\s)\s*(\S+)$`)
	aStar   = lazy.Pattern(`(==\s*\d+(?:\.\d+)*)\.[xX]$`)
	aCaret  = lazy.Pattern(distribution + `\s*\^\s*((\d+)\S*)$`)
	aGap    = lazy.Pattern(`(\d)\s+([<>=!~])`)
)

// withTwoSigns reads NAME=1, NAME:1, NAME@1 and NAME 1, and the same with a word for the newest.
func withTwoSigns(text string) string {
	m := match(oneSign, text)
	if m == nil {
		return ""
	}
	of := strings.TrimPrefix(m[2], "=")
	if of == "latest" || of == "newest" || of == "*" {
		return m[1]
	}
	if _, err := version.Parse(of); err != nil {
		return ""
	}
	return m[1] + "==" + strings.TrimPrefix(of, "v")
}

// withStar reads NAME==1.x.
func withStar(text string) string {
	if !aStar().MatchString(text) {
		return ""
	}
	return aStar().ReplaceAllString(text, "$1.*")
}

// withRange reads NAME^1.2: from there up to the next first number.
func withRange(text string) string {
	m := match(aCaret, text)
	if m == nil {
		return ""
	}
	major, err := strconv.Atoi(m[3])
	if err != nil {
		return ""
	}
	return m[1] + ">=" + m[2] + ",<" + strconv.Itoa(major+1)
}

// withCommas reads NAME>1 <2.
func withCommas(text string) string { return aGap().ReplaceAllString(text, "$1,$2") }

// withSigns turns signs around.
func withSigns(text string) string { return strings.NewReplacer("=>", ">=", "=<", "<=").Replace(text) }

func match(pattern lazy.Regexp, text string) []string { return pattern().FindStringSubmatch(text) }
