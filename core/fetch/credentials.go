package fetch

import (
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"github.com/jdx/go-netrc"
	"github.com/zalando/go-keyring"
)

// Credentials are users and passwords of hosts: from addresses, from the
// user's netrc file, and from the system's keyring. They are given out for the
// host they belong to alone, over https or to this machine. A nil Credentials
// has none.
type Credentials struct {
	// Netrc is the path of the netrc file; empty means the usual one.
	Netrc string
	// Keyring tells to ask the system's keyring, under the service "glassjar"
	// and the host's name, for "user:password".
	Keyring bool

	mu     sync.Mutex
	known  map[string][2]string // by host and port
	asked  map[string]bool
	once   sync.Once
	parsed *netrc.Netrc
}

// take remembers credentials that stand in an address.
func (c *Credentials) take(u *url.URL) {
	if c == nil || u.User == nil {
		return
	}
	password, _ := u.User.Password()
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.known == nil {
		c.known = map[string][2]string{}
	}
	c.known[u.Host] = [2]string{u.User.Username(), password}
}

// For are the credentials of a request's host.
func (c *Credentials) For(u *url.URL) (user, password string, ok bool) {
	if c == nil || u.Scheme != "https" && !loopback(u.Hostname()) {
		return "", "", false
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if k, ok := c.known[u.Host]; ok {
		return k[0], k[1], true
	}
	// A host's entry is for its usual port; another port is another server.
	entries := []string{u.Host}
	if u.Port() == "" || u.Port() == map[string]string{"https": "443", "http": "80"}[u.Scheme] {
		entries = []string{u.Hostname()}
	}
	for _, entry := range entries {
		if user, password, ok = c.fromNetrc(entry); ok {
			return user, password, true
		}
	}
	return c.fromKeyring(u.Host)
}

func (c *Credentials) fromNetrc(host string) (string, string, bool) {
	c.once.Do(func() {
		file := c.Netrc
		if file == "" {
			file = os.Getenv("NETRC")
		}
		if home, err := os.UserHomeDir(); file == "" && err == nil {
			file = filepath.Join(home, ".netrc")
		}
		text, err := os.ReadFile(file)
		if err != nil {
			return
		}
		if parsed, err := netrc.ParseString(string(text)); err == nil {
			c.parsed = parsed
		}
	})
	if c.parsed == nil {
		return "", "", false
	}
	m := c.parsed.Machine(host)
	if m == nil || m.Get("login") == "" {
		return "", "", false
	}
	return m.Get("login"), m.Get("password"), true
}

// fromKeyring asks the keyring once for each host.
func (c *Credentials) fromKeyring(host string) (string, string, bool) {
	if !c.Keyring || c.asked[host] {
		return "", "", false
	}
	if c.asked == nil {
		c.asked = map[string]bool{}
	}
	c.asked[host] = true
	secret, err := keyring.Get("glassjar", host)
	user, password, ok := strings.Cut(secret, ":")
	if err != nil || !ok {
		return "", "", false
	}
	if c.known == nil {
		c.known = map[string][2]string{}
	}
	c.known[host] = [2]string{user, password}
	return user, password, true
}
