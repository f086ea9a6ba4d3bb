//go:build !windows

package signature

import (
	"context"
	"io"
	"net"
	"os"
)

func dialAgent(ctx context.Context) (io.ReadWriteCloser, error) {
	at := os.Getenv(agentVariable)
	if at == "" {
		return nil, errNoAgent
	}
	var dial net.Dialer
	return dial.DialContext(ctx, "unix", at)
}
