package view

import (
	"errors"
	"fmt"
	"net/http"

	"glassjar/core/fetch"
	"glassjar/core/registry"
)

// registryWords are those of jars in registries.
func (s *Screen) registryWords(err error) (Message, bool) {
	var (
		ref     *registry.RefError
		other   *registry.NotJarError
		absent  *registry.NotThereError
		denied  *registry.DeniedError
		no      *registry.RefusedError
		file    *registry.OtherFileError
		network *fetch.NetworkError
	)
	switch {
	case errors.As(err, &ref):
		return Message{What: fmt.Sprintf("%q is no place in a registry", ref.Text), Reasons: []string{ref.Why}, Try: []string{"glassjar seal oci://registry.example/press:1.0"}}, true
	case errors.As(err, &other):
		return Message{What: other.Ref + " is no sealed jar", Reasons: []string{other.Why}, Try: []string{"look at the name and the tag; glassjar seal " + other.Ref + " writes one"}}, true
	case errors.As(err, &absent):
		return Message{What: absent.Error(), Reasons: []string{"the registry has no such name or tag, or shows it to others only"}, Try: []string{"look at the name and the tag, or log in to the registry"}}, true
	case errors.As(err, &denied):
		m := Message{What: denied.Host + " does not let you in", Reasons: []string{fmt.Sprintf("it answered %d for %s", denied.Code, denied.Ref)}}
		if denied.Said != "" {
			m.Reasons = append(m.Reasons, "it says "+denied.Said)
		}
		m.Try = []string{"log in with a tool for containers, or name its file of credentials: DOCKER_CONFIG, REGISTRY_AUTH_FILE"}
		return m, true
	case errors.As(err, &no) && no.Said == "":
		return Message{What: no.Host + " did not do what was asked", Reasons: []string{fmt.Sprintf("it answered %d %s for %s", no.Code, http.StatusText(no.Code), no.Ref)},
			Try: []string{"look at the address, and whether a registry is there; then give the command again"}}, true
	case errors.As(err, &no):
		return Message{What: no.Host + " refuses that", Reasons: []string{fmt.Sprintf("it answered %d for %s", no.Code, no.Ref), "it says " + no.Said},
			Try: []string{"what it has got so far stays there; ask whoever runs it, then give the command again"}}, true
	case errors.As(err, &network) && registry.IsRef(network.URL):
		return Message{What: "the registry cannot be reached", Reasons: []string{network.Error()}, Try: []string{"look at the address, and try again"}}, true
	case errors.As(err, &file):
		return Message{What: file.Error(), Reasons: []string{"the same name stands for other bytes there, and other records may count on them"},
			Try: []string{"remove that release from the registry, or use another place"}}, true
	}
	return Message{}, false
}
