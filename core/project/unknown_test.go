package project_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/project"
)

// A key that the standard does not have is told, with the one that may be meant; what it has, and
// what belongs to tools, is not.
func TestUnknownKeys(t *testing.T) {
	spec, err := project.ParseSpec("pyproject.toml", []byte(`dependencies = ["a"]

[project]
name = "press"
version = "1"
dependancies = ["b"]
tests = [
    "c",
]
urls.home = "https://orchard.example"

[project.optional-dependancies]
hot = []
cold = []

[project.scripts]
press = "press:main"

[build-system]
requires = []

[dependency-group]
dev = []

[tool.other]
any = 1
`))
	require.NoError(t, err)
	assert.Equal(t, []project.UnknownKey{
		{Key: "dependencies", Line: 1, Near: "project.dependencies"},
		{Key: "project.dependancies", Line: 6, Near: "project.dependencies"},
		{Key: "project.tests", Line: 7},
		{Key: "project.optional-dependancies", Line: 13, Near: "project.optional-dependencies"},
		{Key: "dependency-group", Line: 23, Near: "dependency-groups"},
	}, spec.Unknown())
}
