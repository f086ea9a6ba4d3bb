package cli

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"time"

	"github.com/spf13/cobra"

	"glassjar/cli/wire"
	"glassjar/core/index"
)

func (a *app) serveCommand() *cobra.Command {
	var port int
	var write string
	cmd := &cobra.Command{
		Use: "serve [DIR]", GroupID: "keep", Short: "serve a folder of package files as an index",
		Long: `Serves a folder of package files, or the built-in sample, as an index on this
machine, until it is interrupted. The address is the first line printed.
With --write the index is written as files, for any web server.`,
		Example: "  glassjar serve ./wheels --port 8800\n  glassjar serve --write ./site",
		Args:    atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := oneOf(cmd, "port", "write"); err != nil {
				return err
			}
			dir := ""
			if len(args) == 1 {
				dir = args[0]
			}
			source, err := a.machine.Served(dir)
			if err != nil {
				return err
			}
			if write != "" {
				if err := index.Write(cmd.Context(), source, write); err != nil {
					return err
				}
				a.screen.Wrote(write)
				return nil
			}
			return a.serve(cmd.Context(), source, port)
		},
	}
	cmd.Flags().IntVar(&port, "port", 0, "the port to listen on; 0 takes a free one")
	cmd.Flags().StringVar(&write, "write", "", "write the index into this folder instead")
	return cmd
}

// serve answers on loopback only: the index has no door of its own.
func (a *app) serve(ctx context.Context, source index.Source, port int) error {
	listener, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port))
	if err != nil {
		return err
	}
	address := "http://" + listener.Addr().String() + "/simple/"
	if a.json {
		a.screen.Data(wire.ServeResult{Address: address})
	} else {
		fmt.Fprintln(a.out, address)
	}
	server := &http.Server{Handler: index.Handler{Source: source}, ReadHeaderTimeout: 10 * time.Second}
	done := make(chan error, 1)
	go func() { done <- server.Serve(listener) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	end, cancel := context.WithTimeout(context.Background(), 2*time.Second)
	defer cancel()
	if server.Shutdown(end) != nil {
		_ = server.Close() // who has not finished by now is cut off
	}
	return nil
}
