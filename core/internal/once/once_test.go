package once_test

import (
	"errors"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"

	"glassjar/core/internal/once"
	_ "glassjar/internal/long"
)

func TestEachKeyIsWorkedOutOnce(t *testing.T) {
	var m once.Map[string, int]
	var asked atomic.Int32
	var group sync.WaitGroup
	for range 20 {
		group.Go(func() {
			n, err := m.Do("cox", func() (int, error) { asked.Add(1); return 7, nil })
			assert.NoError(t, err)
			assert.Equal(t, 7, n)
		})
	}
	group.Wait()
	assert.EqualValues(t, 1, asked.Load())

	// An error is kept as well, until the key is forgotten.
	frost := errors.New("frost")
	_, err := m.Do("quince", func() (int, error) { return 0, frost })
	assert.ErrorIs(t, err, frost)
	_, err = m.Do("quince", func() (int, error) { return 1, nil })
	assert.ErrorIs(t, err, frost)
	m.Forget("quince")
	n, err := m.Do("quince", func() (int, error) { return 1, nil })
	assert.NoError(t, err)
	assert.Equal(t, 1, n)
}
