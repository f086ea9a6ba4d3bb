// Package connect writes the files by which other programs find a jar: an
// editor's workspace settings (JSON with comments), the settings of language
// servers in pyproject.toml, and the files that make a container image.
//
// It works on texts alone. What it adds is a handful of keys; all else in a
// file, comments too, stays byte for byte as it is.
package connect

import (
	"encoding/json"
	"fmt"
	"strings"

	"glassjar/core/tomltext"

	"github.com/tailscale/hujson"
)

// Key is one setting that is added to a file.
type Key struct {
	// Path leads to it; Value is what is written, as the format writes it.
	Path  []string `json:"path"`
	Value string   `json:"value"`
	// Before is the value that stood there, nil if none did.
	Before *string `json:"before"`
}

// SetJSON is a JSON text with comments in which top-level keys have values. The
// keys come back with what stood there before.
func SetJSON(text []byte, keys []Key) ([]byte, []Key, error) {
	doc, err := parseJSON(text)
	if err != nil {
		return nil, nil, err
	}
	out := append([]Key(nil), keys...)
	for i, k := range keys {
		pointer := "/" + strings.NewReplacer("~", "~0", "/", "~1").Replace(k.Path[0])
		if have := doc.Find(pointer); have != nil {
			value := have.Clone()
			value.Standardize()
			before := strings.TrimSpace(value.String())
			out[i].Before = &before
			have.Value = mustValue(k.Value)
			continue
		}
		if err := doc.Patch([]byte(fmt.Sprintf(`[{"op":"add","path":%q,"value":%s}]`, pointer, k.Value))); err != nil {
			return nil, nil, err
		}
		layOut(doc.Value.(*hujson.Object))
	}
	return doc.Pack(), out, nil
}

// DropJSON takes a top-level key out.
func DropJSON(text []byte, key string) ([]byte, error) {
	doc, err := parseJSON(text)
	if err != nil {
		return nil, err
	}
	pointer := "/" + strings.NewReplacer("~", "~0", "/", "~1").Replace(key)
	if doc.Find(pointer) == nil {
		return text, nil
	}
	err = doc.Patch([]byte(fmt.Sprintf(`[{"op":"remove","path":%q}]`, pointer)))
	return doc.Pack(), err
}

// GetJSON is the value of a top-level key as standard JSON; false if there is
// none.
func GetJSON(text []byte, key string) (string, bool) {
	doc, err := parseJSON(text)
	if err != nil {
		return "", false
	}
	have := doc.Find("/" + strings.NewReplacer("~", "~0", "/", "~1").Replace(key))
	if have == nil {
		return "", false
	}
	value := have.Clone()
	value.Standardize()
	return strings.TrimSpace(value.String()), true
}

func parseJSON(text []byte) (hujson.Value, error) {
	if len(strings.TrimSpace(string(text))) == 0 {
		text = []byte("{}\n")
	}
	doc, err := hujson.Parse(text)
	if err != nil {
		return doc, err
	}
	if _, ok := doc.Value.(*hujson.Object); !ok {
		return doc, fmt.Errorf("it is no object")
	}
	return doc, nil
}

// mustValue is the value of a JSON text that this program made.
func mustValue(text string) hujson.ValueTrimmed {
	v, err := hujson.Parse([]byte(text))
	if err != nil {
		panic(err)
	}
	return v.Value
}

// layOut puts the last member on a line of its own, set in as the one before.
func layOut(o *hujson.Object) {
	last := &o.Members[len(o.Members)-1]
	indent := "    "
	if n := len(o.Members); n > 1 {
		lead := string(o.Members[0].Name.BeforeExtra)
		if at := strings.LastIndexByte(lead, '\n'); at >= 0 {
			indent = lead[at+1:]
		}
	}
	lead := string(last.Name.BeforeExtra)
	if at := strings.LastIndexByte(lead, '\n'); at >= 0 {
		lead = strings.TrimRight(lead[:at], " \t\n") // a comment that stood there stays
	}
	last.Name.BeforeExtra = hujson.Extra(lead + "\n" + indent)
	last.Value.BeforeExtra = hujson.Extra(" ")
	if !strings.Contains(string(o.AfterExtra), "\n") {
		o.AfterExtra = append(o.AfterExtra, '\n')
	}
}

// JSONText is a string as JSON writes it.
func JSONText(s string) string {
	data, _ := json.Marshal(s) // a string always can be written
	return string(data)
}

// SetTOML is a TOML text in which keys have values. The keys come back with what
// stood there before.
func SetTOML(text []byte, keys []Key) ([]byte, []Key) {
	out := append([]Key(nil), keys...)
	for i, k := range keys {
		if before, ok := tomltext.Get(text, k.Path); ok {
			out[i].Before = &before
		}
		text = tomltext.Set(text, k.Path, k.Value)
	}
	return text, out
}
