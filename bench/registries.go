package main

import (
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"time"

	"github.com/opencontainers/go-digest"
	"github.com/opencontainers/image-spec/specs-go"
	ocispec "github.com/opencontainers/image-spec/specs-go/v1"
)

// clients is how many pull at once.
const clients = 200

// registries measures jars in an OCI registry of this machine, beside a tool that copies an image
// with the same bytes. There are no rows where the registry or the tool is not installed.
func registries() ([]work, error) {
	for _, program := range []string{"docker-registry", "skopeo"} {
		if _, err := exec.LookPath(program); err != nil {
			return nil, nil
		}
	}
	b, err := newBed()
	if err != nil {
		return nil, err
	}
	p, err := b.pushed()
	if err != nil {
		return nil, err
	}
	image, rest, kept := p.image, p.rest, p.kept
	return []work{{
		name: "seal into a registry, large set", promise: 1.2, words: "skopeo copy of an image with the same bytes",
		ours: b.onFresh(nil, func(at string) error { return b.run("sealing", "seal", "oci://"+at+"/orchard/press:1") }),
		limit: b.onFresh(nil, func(at string) error {
			return b.command(".", "skopeo", "copy", "--dest-tls-verify=false", "oci:"+image, "docker://"+at+"/orchard/press:1")
		}),
	}, {
		name: "seal a second jar, nine tenths are there", promise: 1.2, words: "skopeo copy of an image with the other tenth's bytes",
		ours: b.onFresh(func(at string) error { return b.run("nearly", "seal", "oci://"+at+"/orchard/nearly:1") },
			func(at string) error { return b.run("sealing", "seal", "oci://"+at+"/orchard/press:1") }),
		limit: b.onFresh(nil, func(at string) error {
			return b.command(".", "skopeo", "copy", "--dest-tls-verify=false", "oci:"+rest, "docker://"+at+"/orchard/press:1")
		}),
	}, {
		name: "recreate out of a registry, large set", promise: 1.2, words: "skopeo copy of that image, then unzip and sha256sum of what comes out",
		ours: func() error {
			return b.alone(b.fresh("pulled"), "recreate", "-q", "--from", "oci://"+kept+"/orchard/large:1")
		},
		limit: func() error {
			to := b.fresh("copied-image")
			if err := b.command(".", "skopeo", "copy", "--src-tls-verify=false", "docker://"+kept+"/orchard/image:1", "oci:"+to); err != nil {
				return err
			}
			return b.unzip(large, hashes(b.wheels(large)+"/*.whl"))()
		},
	}, {
		name: fmt.Sprintf("%d clients pull a small jar at once", clients), words: "each an empty home; the limit is as many skopeo inspect of one manifest",
		ours: func() error {
			in := b.fresh("crowd")
			return crowd(func(n int) error {
				return b.alone(filepath.Join(in, fmt.Sprint(n)), "recreate", "-q", "--from", "oci://"+kept+"/orchard/toy:1")
			})
		},
		limit: func() error {
			return crowd(func(int) error {
				return exec.Command("skopeo", "inspect", "--raw", "--tls-verify=false", "docker://"+kept+"/orchard/image:1").Run()
			})
		},
	}}, nil
}

// pushed is what the rows begin with: images of all and of a tenth of the large set's wheels, and
// the address of a registry that has jars and an image.
type pushed struct{ image, rest, kept string }

func (b *bed) pushed() (pushed, error) {
	if err := large.write(b.wheels(large)); err != nil {
		return pushed{}, err
	}
	if err := b.ready("sealing", large, "off"); err != nil {
		return pushed{}, err
	}
	if err := toy.write(b.wheels(toy)); err != nil {
		return pushed{}, err
	}
	if err := b.ready("small", toy, "off"); err != nil {
		return pushed{}, err
	}
	// Of the large set's sixty all but these, which are asked for one by one.
	const lacks = 6
	nearly := [][]string{{"index", "add", "wheels", b.wheels(large), "--project"}, {"create"}, {"install", "-q"}}
	for i := lacks; i < large.distributions; i++ {
		nearly[2] = append(nearly[2], large.dist(i))
	}
	for _, args := range nearly {
		if err := b.run("nearly", args...); err != nil {
			return pushed{}, err
		}
	}
	all, err := filepath.Glob(filepath.Join(b.wheels(large), "*.whl"))
	if err != nil {
		return pushed{}, err
	}
	image, err := b.image(all)
	if err != nil {
		return pushed{}, err
	}
	rest, err := b.image(all[:lacks]) // by their names: the first ones
	if err != nil {
		return pushed{}, err
	}
	kept, err := b.registry()
	if err != nil {
		return pushed{}, err
	}
	for in, name := range map[string]string{"sealing": "large", "small": "toy"} {
		if err := b.run(in, "seal", "oci://"+kept+"/orchard/"+name+":1"); err != nil {
			return pushed{}, err
		}
	}
	if err := b.command(".", "skopeo", "copy", "--dest-tls-verify=false", "oci:"+image, "docker://"+kept+"/orchard/image:1"); err != nil {
		return pushed{}, err
	}
	return pushed{image, rest, kept}, nil
}

// crowd has as many at work at once as there are clients.
func crowd(f func(n int) error) error {
	var group sync.WaitGroup
	failed := make(chan error, clients)
	for n := range clients {
		group.Go(func() {
			if err := f(n); err != nil {
				failed <- err
			}
		})
	}
	group.Wait()
	close(failed)
	return <-failed
}

// alone runs the program in a folder with a home of its own.
func (b *bed) alone(dir string, args ...string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	cmd := exec.Command(b.program, args...)
	cmd.Dir, cmd.Env = dir, append(os.Environ(), "GLASSJAR_HOME="+filepath.Join(dir, "home"), "PYTHONDONTWRITEBYTECODE=1")
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	return nil
}

// onFresh times what is done with a registry that has nothing but what before, if set, puts there.
func (b *bed) onFresh(before, f func(at string) error) func() error {
	return func() error {
		at, err := b.registry()
		if err != nil {
			return err
		}
		if before != nil {
			if err := before(at); err != nil {
				return err
			}
		}
		return b.timed(func() error { return f(at) })
	}
}

// registry starts a registry with nothing in it, which goes with the bench.
func (b *bed) registry() (string, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	at := listener.Addr().String()
	listener.Close()
	dir := b.fresh("registry")
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return "", err
	}
	config := filepath.Join(dir, "config.yml")
	text := fmt.Sprintf("version: 0.1\nstorage: {filesystem: {rootdirectory: %s}}\nhttp: {addr: %q}\nlog: {level: error}\n", filepath.Join(dir, "data"), at)
	if err := os.WriteFile(config, []byte(text), 0o644); err != nil {
		return "", err
	}
	cmd := exec.Command("docker-registry", "serve", config)
	if err := cmd.Start(); err != nil {
		return "", err
	}
	started = append(started, cmd)
	for range 200 {
		if res, err := http.Get("http://" + at + "/v2/"); err == nil {
			res.Body.Close()
			return at, nil
		}
		time.Sleep(50 * time.Millisecond)
	}
	return "", fmt.Errorf("the registry at %s does not answer", at)
}

// started are programs that end with the bench.
var started []*exec.Cmd

// image is a folder with an image whose layers are some files.
func (b *bed) image(files []string) (string, error) {
	dir := b.fresh("image")
	blobs := filepath.Join(dir, "blobs", "sha256")
	if err := os.MkdirAll(blobs, 0o755); err != nil {
		return "", err
	}
	put := func(kind string, text []byte) (ocispec.Descriptor, error) {
		d := ocispec.Descriptor{MediaType: kind, Digest: digest.FromBytes(text), Size: int64(len(text))}
		return d, os.WriteFile(filepath.Join(blobs, d.Digest.Encoded()), text, 0o644)
	}
	m := ocispec.Manifest{Versioned: specs.Versioned{SchemaVersion: 2}, MediaType: ocispec.MediaTypeImageManifest}
	config := ocispec.Image{Platform: ocispec.Platform{OS: "linux", Architecture: "amd64"}, RootFS: ocispec.RootFS{Type: "layers"}}
	for _, f := range files {
		text, err := os.ReadFile(f)
		if err != nil {
			return "", err
		}
		d, err := put(ocispec.MediaTypeImageLayerGzip, text)
		if err != nil {
			return "", err
		}
		m.Layers, config.RootFS.DiffIDs = append(m.Layers, d), append(config.RootFS.DiffIDs, d.Digest)
	}
	putJSON := func(kind string, what any) (d ocispec.Descriptor, err error) {
		text, err := json.Marshal(what)
		if err != nil {
			return d, err
		}
		return put(kind, text)
	}
	var err error
	if m.Config, err = putJSON(ocispec.MediaTypeImageConfig, config); err != nil {
		return "", err
	}
	top, err := putJSON(ocispec.MediaTypeImageManifest, m)
	if err != nil {
		return "", err
	}
	index, err := json.Marshal(ocispec.Index{Versioned: specs.Versioned{SchemaVersion: 2}, Manifests: []ocispec.Descriptor{top}})
	if err != nil {
		return "", err
	}
	if err := os.WriteFile(filepath.Join(dir, "index.json"), index, 0o644); err != nil {
		return "", err
	}
	return dir, os.WriteFile(filepath.Join(dir, "oci-layout"), []byte(`{"imageLayoutVersion": "1.0.0"}`), 0o644)
}
