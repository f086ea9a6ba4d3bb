// Command registry3 serves an OCI registry as its configuration file says: version 3 of the
// reference implementation, with nothing but what tests need. It is a module of its own, so
// that the program has none of its dependencies.
package main

import (
	"context"
	"fmt"
	"os"

	"github.com/distribution/distribution/v3/configuration"
	"github.com/distribution/distribution/v3/registry"
	_ "github.com/distribution/distribution/v3/registry/auth/htpasswd"
	_ "github.com/distribution/distribution/v3/registry/storage/driver/filesystem"
)

func main() {
	if err := serve(os.Args[len(os.Args)-1]); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func serve(file string) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	config, err := configuration.Parse(f)
	if err != nil {
		return err
	}
	r, err := registry.NewRegistry(context.Background(), config)
	if err != nil {
		return err
	}
	return r.ListenAndServe()
}
