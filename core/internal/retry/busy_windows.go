package retry

import (
	"context"
	"errors"
	"time"

	"golang.org/x/sys/windows"
)

// WhileBusy does something to a file, for about a second again and again where another program
// has it in hand: one that reads it just now, or looks for viruses.
func WhileBusy(do func() error) error {
	return Do(context.Background(), 12, 8*time.Millisecond, busy, do)
}

func busy(err error) bool {
	return errors.Is(err, windows.ERROR_SHARING_VIOLATION) || errors.Is(err, windows.ERROR_LOCK_VIOLATION) || errors.Is(err, windows.ERROR_ACCESS_DENIED)
}
