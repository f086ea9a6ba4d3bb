package wait

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	_ "glassjar/internal/long"
)

func TestUntil(t *testing.T) {
	looks := 0
	assert.True(t, Until(func() bool { looks++; return looks == 5 }))
	assert.Equal(t, 5, looks)
	assert.GreaterOrEqual(t, patience*unit(), 50*time.Second, "on the fastest machine")
	c := make(chan int, 1)
	c <- 3
	assert.Equal(t, 3, Chan(t, c, "a number"))
}
