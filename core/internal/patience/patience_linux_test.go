package patience

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	_ "glassjar/internal/long"
)

func shell(script string) func(context.Context) *exec.Cmd {
	return func(ctx context.Context) *exec.Cmd {
		cmd := exec.CommandContext(ctx, "sh", "-c", script)
		cmd.WaitDelay = time.Second
		return cmd
	}
}

func TestRun(t *testing.T) {
	ctx := context.Background()
	mark := fmt.Sprint("patience-of-", os.Getpid())
	for script, wants := range map[string]bool{
		"exit 0":                    false,
		"exec sleep 1000":           true, // waits
		"sleep 1000; true":          true, // waits for what it has started
		"while true; do true; done": true, // works without end
		"sh -c 'while true; do true; done; : " + mark + "'; true": true,
		"sleep 0.05; sleep 0.05; true":                            false,
		"kill -STOP $$; echo never seen":                          true,
	} {
		err := Run(ctx, time.Second/2, shell(script))
		var late *TimeoutError
		assert.Equal(t, wants, errors.As(err, &late), "%s: %v", script, err)
	}
	out, _ := exec.Command("pgrep", "-f", mark).Output() // it fails where there is none
	assert.Empty(t, string(out), "what it has started is ended too")
	assert.ErrorContains(t, Run(ctx, time.Minute, shell("exit 3")), "3")
	ended, cancel := context.WithCancel(ctx)
	cancel()
	assert.ErrorIs(t, Run(ended, time.Minute, shell("sleep 1000")), context.Canceled)
}

// What a process has used is counted, and not what passed: one that got no processor has used nothing.
func TestMeter(t *testing.T) {
	m := meter{pid: os.Getpid()}
	m.look(time.Hour) // this process is at work
	assert.Zero(t, m.idle)
	assert.Positive(t, m.busy)
	gone := meter{pid: 1 << 30}
	gone.look(time.Second)
	assert.Equal(t, time.Second, gone.idle)
}
