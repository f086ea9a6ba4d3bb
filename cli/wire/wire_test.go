package wire

import (
	"encoding/json"
	"os"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/diagnose"
	"glassjar/core/interpreter/pack"
	"glassjar/core/leaks"
	"glassjar/core/operation"
	"glassjar/core/project"
	"glassjar/core/version"
)

// fill gives a value something in every field: texts say which field they are of.
func fill(v reflect.Value, name string, depth int) {
	switch {
	case v.Type() == reflect.TypeFor[time.Time]():
		v.Set(reflect.ValueOf(time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)))
		return
	case v.Type() == reflect.TypeFor[project.Part]():
		v.Set(reflect.ValueOf(project.Part{Group: "press"}))
		return
	case v.Type() == reflect.TypeFor[version.Version]():
		v.Set(reflect.ValueOf(version.MustParse("1.2")))
		return
	}
	switch v.Kind() {
	case reflect.String:
		v.SetString(strings.ToLower(name))
	case reflect.Bool:
		v.SetBool(true)
	case reflect.Int, reflect.Int64:
		v.SetInt(int64(len(name)))
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		fill(v.Index(0), name, depth)
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		one := reflect.New(v.Type().Elem()).Elem()
		fill(one, name, depth)
		v.SetMapIndex(reflect.ValueOf("brixmeter"), one)
	case reflect.Pointer:
		if depth < 2 {
			v.Set(reflect.New(v.Type().Elem()))
			fill(v.Elem(), name, depth+1)
		}
	case reflect.Struct:
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() {
				fill(v.Field(i), f.Name, depth)
			}
		}
	}
}

func filled[T any]() *T {
	v := new(T)
	fill(reflect.ValueOf(v).Elem(), "", 0)
	return v
}

// What the core comes to is printed as the golden file has it, key by key. A change
// of that file is a change of what scripts of others read: keys may come, and none may
// go or be renamed. With GLASSJAR_UPDATE_DOCS=1 it is written anew.
func TestGolden(t *testing.T) {
	diagnosis := filled[diagnose.Diagnosis]()
	diagnosis.Because.Because = nil
	values := []any{filled[operation.Created](), filled[operation.Outcome](), filled[operation.Discarded](), filled[operation.Shelf](),
		filled[operation.Trusted](), filled[operation.Renamed](), filled[operation.Outdated](), filled[operation.Under](), filled[operation.Licences](), filled[operation.Advisories](), filled[operation.Holdings](), filled[operation.Lent](), filled[operation.History](), filled[operation.Here](),
		filled[operation.Contents](), filled[operation.About](), filled[operation.Why](), filled[operation.Found](),
		Diagnosis(diagnosis, func(m diagnose.Mend) string { return "glassjar install " + m.Of }), filled[operation.Difference](), filled[operation.Checked](),
		filled[operation.Labelled](), filled[operation.Report](), filled[operation.ShelfReport](), filled[operation.Recorded](), filled[FormResult](), filled[operation.Sealed](),
		filled[operation.Entered](), filled[LeaveResult](), filled[ShellResult](), filled[operation.Connection](), filled[operation.Pythons](),
		filled[operation.FetchedPython](), filled[pack.Packed](), *filled[[]operation.DroppedPython](), *filled[[]operation.VerifiedPython](),
		*filled[[]operation.IndexInfo](), filled[operation.StoreUsage](), filled[operation.Tidied](), filled[operation.Verified](),
		filled[operation.Compiled](), filled[operation.EffectiveSettings](), filled[leaks.Strays](), filled[ServeResult](), filled[DemoResult](),
		filled[VersionResult](), filled[HelpResult](), filled[ErrorResult]()}
	made, shapes := &txtar.Archive{}, map[reflect.Type]bool{reflect.TypeFor[ErrorResult](): true}
	for _, v := range values {
		shape := reflect.Indirect(reflect.ValueOf(Of(v)))
		data, err := json.MarshalIndent(shape.Interface(), "", "  ")
		require.NoError(t, err)
		shapes[shape.Type()] = true
		made.Files = append(made.Files, txtar.File{Name: shape.Type().Name(), Data: append(data, '\n')})
	}
	for _, r := range Results {
		for _, v := range r.Values {
			assert.True(t, shapes[reflect.TypeOf(v)], "%T has no sample here", v)
		}
	}
	const file = "testdata/results.golden"
	if os.Getenv("GLASSJAR_UPDATE_DOCS") != "" {
		require.NoError(t, os.WriteFile(file, txtar.Format(made), 0o644))
		return
	}
	want, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, string(want), string(txtar.Format(made)))
	assert.Equal(t, 7, Of(7), "what has its shape stays as it is")
}
