package near_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"glassjar/core/near"
)

func TestNames(t *testing.T) {
	known := []string{"brixmeter", "orchard-map", "orchard-core", "tree-survey", "press-schedule", "must-core"}
	for name, want := range map[string]string{"brixmetre": "brixmeter", "Orchrad_Map": "orchard-map", "survey-tree": "tree-survey", "press": "press-schedule",
		"mustcore": "must-core", "zebra": "", "x": ""} {
		assert.Equal(t, want, strings.Join(near.Names(name, known), " "), name)
	}
}
