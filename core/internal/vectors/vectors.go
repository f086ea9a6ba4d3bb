// Package vectors reads the test vectors of the packaging standards for the
// tests of the packages that implement them.
//
// GLASSJAR_VECTORS names another file of the same form to read instead.
package vectors

import (
	_ "embed"
	"encoding/json"
	"os"
	"testing"
)

//go:embed testdata/standards.json
var standards []byte

// File is the whole of a vectors file; each list is named for what it tests.
// An object that is not Valid has only its input and must be refused.
type File struct {
	Versions []struct {
		In            string
		Valid         bool
		Normalized    string
		Public        string
		Base          string
		Local         *string
		IsPrerelease  bool `json:"is_prerelease"`
		IsPostrelease bool `json:"is_postrelease"`
		IsDevrelease  bool `json:"is_devrelease"`
		Epoch         json.Number
		Release       []json.Number
	}
	Orderings []struct {
		Kind     string
		Versions []string
	}
	Specifiers []struct {
		Spec        string
		Valid       bool
		Version     string
		Contains    *bool
		ContainsPre bool `json:"contains_pre"`
	}
	Filters []struct {
		Spec               string
		Versions, Accepted []string
	}
	Requirements []struct {
		In             string
		Valid          bool
		Name           string
		NormalizedName string `json:"normalized_name"`
		Extras         []string
		Specifier      string
		URL, Marker    *string
	}
	Markers []struct {
		Marker string
		Env    map[string]string
		Extra  string
		Result bool
	}
	Tags []struct {
		Interpreter, ABI string
		PythonVersion    [2]int `json:"python_version"`
		Platform         struct {
			OS, Arch, Libc string
			LibcVersion    [2]int `json:"libc_version"`
			Version        [2]int
		}
		PlatformTags []string `json:"platform_tags"`
		Tags         []string
	}
	WheelNames []struct {
		File    string
		Valid   bool
		Name    string
		Version string
		Build   *struct {
			Number json.Number
			Suffix string
		}
		Tags []string
	} `json:"wheel_names"`
	SdistNames []struct {
		File          string
		Valid         bool
		Name, Version string
	} `json:"sdist_names"`
	Names []struct {
		In         string
		Valid      bool
		Normalized string
	}
}

// Load reads the vectors, or ends the test where they cannot be read.
func Load(t testing.TB) File {
	t.Helper()
	data := standards
	if other := os.Getenv("GLASSJAR_VECTORS"); other != "" {
		var err error
		if data, err = os.ReadFile(other); err != nil {
			t.Fatal(err)
		}
	}
	var file File
	if err := json.Unmarshal(data, &file); err != nil {
		t.Fatal(err)
	}
	return file
}

// Text is the string pointed to, or empty for null.
func Text(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}
