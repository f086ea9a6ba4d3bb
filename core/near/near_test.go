package near_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/near"
)

func TestNames(t *testing.T) {
	known := []string{"brixmeter", "orchard-map", "orchard-core", "tree-survey", "press-schedule", "must-core"}
	for name, want := range map[string]string{"brixmetre": "brixmeter", "Orchrad_Map": "orchard-map", "survey-tree": "tree-survey", "press": "press-schedule",
		"mustcore": "must-core", "zebra": "", "x": ""} {
		assert.Equal(t, want, strings.Join(near.Names(name, known), " "), name)
	}
}

// Names that come near are found among many without comparing each letter by
// letter, and the same ones.
func TestNearAmongMany(t *testing.T) {
	known := []string{"press-schedule", "must-core", "orchard-map"}
	for i := range 20000 {
		known = append(known, fmt.Sprintf("tree-%d-row", i))
	}
	for name, want := range map[string]string{"prses-schedule": "press-schedule", "core-must": "must-core", "orchrd-map": "orchard-map", "prses": "press-schedule"} {
		got := near.Names(name, known)
		require.NotEmpty(t, got, name)
		assert.Equal(t, want, got[0])
	}
}
