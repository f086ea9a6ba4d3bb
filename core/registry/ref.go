// Package registry keeps jars in OCI registries (Distribution Specification 1.1): the record as
// the config of an artifact, and each package file as a blob of its own, named by its SHA-256, so
// that jars, tags and projects share them. docs/formats.md has the form.
package registry

import (
	"fmt"
	"net"
	"strings"

	"oras.land/oras-go/v2/registry"
)

// Scheme begins the addresses of jars in registries.
const Scheme = "oci://"

// Ref is where a jar is: "oci://HOST/NAME:TAG", or "@sha256:HASH" in place of the tag.
type Ref struct{ reference registry.Reference }

// RefError says what is wrong with an address.
type RefError struct{ Text, Why string }

func (e *RefError) Error() string {
	return fmt.Sprintf("%q is no place in a registry: %s", e.Text, e.Why)
}

// IsRef reports whether a text is meant as such an address.
func IsRef(text string) bool { return strings.HasPrefix(text, Scheme) }

// Parse reads an address. The error is a [*RefError].
func Parse(text string) (Ref, error) {
	rest, ok := strings.CutPrefix(text, Scheme)
	if !ok {
		return Ref{}, &RefError{text, "it does not begin with " + Scheme}
	}
	if strings.Contains(rest, "@") && !strings.Contains(rest, "@sha256:") {
		return Ref{}, &RefError{text, "credentials stand in the registry's own file, not in an address"}
	}
	r, err := registry.ParseReference(rest)
	switch {
	case err != nil:
		return Ref{}, &RefError{text, "it is to be " + Scheme + "HOST/NAME:TAG"}
	case r.Reference == "":
		return Ref{}, &RefError{text, "it has no tag: " + text + ":TAG"}
	}
	return Ref{r}, nil
}

func (r Ref) String() string {
	separator := ":"
	if r.reference.ValidateReferenceAsDigest() == nil {
		separator = "@"
	}
	return Scheme + r.reference.Registry + "/" + r.reference.Repository + separator + r.reference.Reference
}

// Host is the registry's, with its port.
func (r Ref) Host() string { return r.reference.Registry }

// loopback reports whether a registry is on this machine: there it may speak plain http.
func (r Ref) loopback() bool {
	host := r.reference.Registry
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	ip := net.ParseIP(strings.Trim(host, "[]"))
	return strings.EqualFold(host, "localhost") || ip != nil && ip.IsLoopback()
}
