package version

import "strings"

// Clauses describes the final versions of the set as specifiers: a list of
// alternatives, each a list of clauses that must all hold, in the fewest words
// found. Everything is one alternative without clauses; the empty set has no
// alternative. Pre-releases are left out of the description.
func (s Set) Clauses() [][]string {
	var out [][]string
	list := s.final
	for len(list) > 0 {
		// Join neighbours as long as the gap between is one excluded version.
		n, holes := 1, []string(nil)
		for n < len(list) {
			text := exact(list[n-1].hi, list[n].lo)
			if text == "" {
				break
			}
			holes = append(holes, "!"+text[1:])
			n++
		}
		out = append(out, append(bounds(list[0].lo, list[n-1].hi), holes...))
		list = list[n:]
	}
	return out
}

// String is [Set.Clauses] as a phrase: "any version", ">=1.2,<2 or ==3".
func (s Set) String() string {
	var parts []string
	for _, clauses := range s.Clauses() {
		if len(clauses) == 0 {
			return "any version"
		}
		parts = append(parts, strings.Join(clauses, ","))
	}
	if len(parts) == 0 {
		if len(s.pre) > 0 {
			return "only pre-releases"
		}
		return "no version"
	}
	return strings.Join(parts, " or ")
}

func bounds(lo, hi string) []string {
	if text := exact(lo, hi); text != "" {
		return []string{text}
	}
	var out []string
	if lo != "" {
		v, past := cutText(lo)
		if past {
			out = append(out, ">"+v)
		} else {
			out = append(out, ">="+v)
		}
	}
	if hi != after {
		v, past := cutText(hi)
		if past {
			out = append(out, "<="+v)
		} else {
			out = append(out, "<"+v)
		}
	}
	return out
}

// exact is "==1.2" or "==1.2.*" where the interval is just that, else empty.
func exact(lo, hi string) string {
	v, past := cutText(lo)
	if lo == "" || past {
		return ""
	}
	w, beyond := cutText(hi)
	if beyond && v == w {
		return "==" + v
	}
	parts := strings.Split(v, ".")
	for n := len(parts); n > 0; n-- {
		next := append([]string(nil), parts[:n]...)
		last := next[n-1]
		if i := strings.LastIndexByte(last, '!'); i >= 0 {
			last = last[:i+1] + increment(last[i+1:])
		} else if isNumber(last) {
			last = increment(last)
		}
		next[n-1] = last
		if !beyond && hi != after && sameVersion(strings.Join(next, "."), w) && onlyZeros(parts[n:]) {
			return "==" + strings.Join(parts[:n], ".") + ".*"
		}
	}
	return ""
}

func onlyZeros(parts []string) bool {
	for _, p := range parts {
		if p != "0" {
			return false
		}
	}
	return true
}

func sameVersion(a, b string) bool {
	v, err := Parse(a)
	w, err2 := Parse(b)
	return err == nil && err2 == nil && v.Equal(w)
}

// cutText reads the version back from a cut in the final versions, and tells
// whether the cut lies past that version.
func cutText(cut string) (text string, past bool) {
	var parts []string
	epoch := ""
	i := 0
	readNumber := func() string {
		n := int(cut[i]) - numberBase
		start := i + 1
		if cut[i] == longNumber || start+n > len(cut) {
			i = len(cut)
			return "0"
		}
		i = start + n
		return number(cut[start:i])
	}
	for i < len(cut) && cut[i] >= numberBase && cut[i] != after[0] {
		parts = append(parts, readNumber())
	}
	if len(parts) == 0 {
		return "", false
	}
	if parts[0] != "0" {
		epoch = parts[0] + "!"
	}
	if parts = parts[1:]; len(parts) == 0 {
		parts = []string{"0"}
	}
	if len(parts) == 1 {
		parts = append(parts, "0") // 3.0 reads better than 3
	}
	text = epoch + strings.Join(parts, ".")
	rest := cut[min(i+1, len(cut)):]
	if tail, ok := strings.CutPrefix(rest, preNone+postSome); ok && tail != "" {
		i = len(cut) - len(tail)
		text += ".post" + readNumber()
		rest = cut[i:]
	} else {
		for letter, b := range preByte {
			if strings.HasPrefix(rest, b) && len(rest) > 1 {
				i = len(cut) - len(rest) + 1
				text += letter + readNumber()
			}
		}
	}
	if local := strings.Index(rest, devNone+localSome); local >= 0 {
		text += "+" + localText(rest[local+2:])
		return text, strings.HasSuffix(cut, "\x00")
	}
	return text, strings.HasSuffix(cut, after) || strings.HasSuffix(cut, "\x00")
}

func localText(key string) string {
	var parts []string
	for len(key) > 1 && key[0] != end[0] {
		switch key[:1] {
		case localWord:
			word, rest, _ := strings.Cut(key[1:], end)
			parts, key = append(parts, word), rest
		default:
			n := int(key[1]) - numberBase
			if n < 0 || 2+n > len(key) {
				return strings.Join(parts, ".")
			}
			parts, key = append(parts, number(key[2:2+n])), key[2+n:]
		}
	}
	return strings.Join(parts, ".")
}
