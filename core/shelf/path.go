package shelf

import (
	"encoding/base64"
	"encoding/json"
	"unicode/utf8"
)

// Path is a path as a list keeps it: as text, or, where it is none (a folder's name
// may be any bytes), as an object with the bytes in base64.
type Path string

type pathBytes struct {
	Bytes []byte `json:"bytes"`
}

// MarshalJSON loses no byte.
func (p Path) MarshalJSON() ([]byte, error) {
	if utf8.ValidString(string(p)) {
		return json.Marshal(string(p))
	}
	return json.Marshal(map[string]string{"bytes": base64.StdEncoding.EncodeToString([]byte(p))})
}

// UnmarshalJSON reads either form.
func (p *Path) UnmarshalJSON(data []byte) error {
	var text string
	if json.Unmarshal(data, &text) == nil {
		*p = Path(text)
		return nil
	}
	var raw pathBytes
	err := json.Unmarshal(data, &raw)
	*p = Path(raw.Bytes)
	return err
}
