package index

import (
	"encoding/json"
	"errors"
	"io"

	"github.com/go-json-experiment/json/jsontext"

	"glassjar/core/fetch"
	"glassjar/core/limits"
)

// errPage says that a page of JSON is not as PEP 691 has it.
var errPage = errors.New("its page is not what the standard says")

// lenient are what pages of servers may do: text that is not UTF-8, and a name twice.
var lenient = []jsontext.Options{jsontext.AllowInvalidUTF8(true), jsontext.AllowDuplicateNames(true)}

// parseJSON reads a distribution's page in JSON (PEP 691, 700, 714, 740) as it comes. What stands in
// its entries is looked at beside that.
func parseJSON(body io.Reader, g *gathering) (Standing, error) {
	r := &pageReader{d: jsontext.NewDecoder(body, lenient...), shared: map[string]string{}}
	var says jsonStanding
	listed := false
	err := r.object(func(key string) error {
		switch key {
		case "files":
			listed = true
			return r.list(func() error {
				entry, err := r.d.ReadValue()
				if err != nil {
					return err
				}
				g.entry(entry)
				return g.counted()
			})
		case "meta":
			return r.into(&says.Meta)
		case "project-status":
			_ = r.into(&says.Status) // what cannot be understood says nothing
			return nil
		case "alternate-locations":
			_ = r.into(&says.Alternates)
			return nil
		}
		return r.d.SkipValue()
	})
	if err == nil && !listed {
		err = errPage
	}
	if err := asPage(err); err != nil {
		return Standing{}, err
	}
	if err := says.Meta.fault(); err != nil {
		return Standing{}, err
	}
	return says.standing(), nil
}

// asPage is the error of a page that was read: that it is no such page, but for what came of
// the network or is more than is read.
func asPage(err error) error {
	var large *limits.Error
	var network *fetch.NetworkError
	if err == nil || errors.As(err, &large) || errors.As(err, &network) {
		return err
	}
	return errPage
}

// pageReader is a page that is being read, token by token.
type pageReader struct {
	d      *jsontext.Decoder
	shared map[string]string // the names of members
}

// object reads an object, each member by its name.
func (r *pageReader) object(member func(key string) error) error {
	if err := r.open('{'); err != nil {
		return err
	}
	for r.d.PeekKind() != '}' {
		raw, err := r.d.ReadValue()
		if err != nil {
			return err
		}
		key, known := r.shared[string(raw)]
		if !known {
			if key, err = unquoted(raw); err != nil {
				return err
			}
			r.shared[string(raw)] = key
		}
		if err := member(key); err != nil {
			return err
		}
	}
	_, err := r.d.ReadToken()
	return err
}

// open reads what an object or a list begins with.
func (r *pageReader) open(kind jsontext.Kind) error {
	t, err := r.d.ReadToken()
	if err == nil && t.Kind() != kind {
		err = errPage
	}
	return err
}

// list reads a list.
func (r *pageReader) list(element func() error) error {
	if err := r.open('['); err != nil {
		return err
	}
	for r.d.PeekKind() != ']' {
		if err := element(); err != nil {
			return err
		}
	}
	_, err := r.d.ReadToken()
	return err
}

// into reads a small value.
func (r *pageReader) into(value any) error {
	raw, err := r.d.ReadValue()
	if err != nil {
		return err
	}
	return json.Unmarshal(raw, value)
}
