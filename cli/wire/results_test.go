package wire

import (
	"encoding"
	"fmt"
	"os"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	_ "glassjar/internal/long"
)

// shapes collects the objects that results are made of.
type shapes struct {
	keys  map[string]map[string][]string // by key, by type, in which objects
	order []reflect.Type
}

// nameOf is a type as the page writes it.
func (s *shapes) nameOf(t reflect.Type) string {
	switch {
	case t.Implements(reflect.TypeFor[encoding.TextMarshaler]()):
		return "text"
	case t == reflect.TypeOf(time.Duration(0)):
		return "nanoseconds"
	case t.Kind() == reflect.Pointer:
		return s.nameOf(t.Elem())
	case t.Kind() == reflect.Slice:
		return "list of " + s.nameOf(t.Elem())
	case t.Kind() == reflect.Map:
		return s.nameOf(t.Elem()) + " by name"
	case t.Kind() == reflect.Struct:
		if !slices.Contains(s.order, t) {
			s.order = append(s.order, t)
			s.fields(t)
		}
		return t.Name()
	}
	return map[reflect.Kind]string{reflect.String: "text", reflect.Bool: "yes or no", reflect.Int: "number", reflect.Int64: "number", reflect.Interface: "anything"}[t.Kind()]
}

// fields are an object's keys with their types, embedded ones included.
func (s *shapes) fields(t reflect.Type) []string {
	var out []string
	for i := range t.NumField() {
		f := t.Field(i)
		key, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		switch {
		case key == "-" || !f.IsExported() && !f.Anonymous:
			continue
		case f.Anonymous && key == "":
			out = append(out, s.fields(f.Type)...)
			continue
		case key == "":
			key = f.Name // as Go writes it: the test of the names finds it
		}
		kind := s.nameOf(f.Type)
		if s.keys[key] == nil {
			s.keys[key] = map[string][]string{}
		}
		s.keys[key][kind] = append(s.keys[key][kind], t.Name())
		out = append(out, fmt.Sprintf("`%s` %s", key, kind))
	}
	return out
}

// page is the part of docs/json.md that is made from the code.
func (s *shapes) page() string {
	var b strings.Builder
	b.WriteString("| command | prints |\n| --- | --- |\n")
	for _, r := range Results {
		var names []string
		for _, v := range r.Values {
			names = append(names, s.nameOf(reflect.TypeOf(v)))
		}
		fmt.Fprintf(&b, "| `%s` | %s |\n", strings.Join(r.Commands, "`, `"), strings.Join(names, ", or "))
	}
	b.WriteString("\n| object | keys |\n| --- | --- |\n")
	for i := 0; i < len(s.order); i++ {
		fmt.Fprintf(&b, "| %s | %s |\n", s.order[i].Name(), strings.Join(s.fields(s.order[i]), ", "))
	}
	return b.String()
}

const pageMark = "<!-- made from the code -->\n"

// The page has a row for each command, and each key means one type everywhere. With
// GLASSJAR_UPDATE_DOCS=1 it is written anew.
func TestJSONPage(t *testing.T) {
	s := &shapes{keys: map[string]map[string][]string{}}
	made := s.page()
	for key, kinds := range s.keys {
		assert.Len(t, kinds, 1, "the key %s is %v", key, kinds)
		assert.Equal(t, strings.ToLower(key), key)
	}
	const file = "../../docs/json.md"
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	head, have, ok := strings.Cut(string(data), pageMark)
	require.True(t, ok, "%s has no mark", file)
	if os.Getenv("GLASSJAR_UPDATE_DOCS") != "" {
		require.NoError(t, os.WriteFile(file, []byte(head+pageMark+made), 0o644))
		return
	}
	assert.True(t, made == have, "%s is not what the code makes it: GLASSJAR_UPDATE_DOCS=1 writes it anew", file)
}
