package source

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"glassjar/core/git"
	"glassjar/core/internal/lazy"
	"glassjar/core/metadata"
)

// Repository is a place of versioned source (PEP 508, 610: "git+https://…@v1.2").
type Repository struct {
	// URL is without "git+", without what was asked for, and without a fragment.
	URL string
	// Requested is what was asked for: a tag, a branch, a commit; empty for the head.
	Requested string
	// Commit is what that was, in 40 (or 64) hex digits; empty before it is asked for.
	Commit string
	// Subdirectory is where the project stands in it, or empty.
	Subdirectory string
}

// MeantRepository is the address by which a repository is named, of a text that names one in
// another way: as git's own commands have it, or a path with "git+" before it, which absolute makes
// a whole one. Empty where a text does not look like that.
func MeantRepository(text string, absolute func(string) string) string {
	rest, plus := strings.CutPrefix(text, "git+")
	path, _, _ := strings.Cut(rest, "#")
	switch {
	case strings.Contains(rest, "@") && meantHost().MatchString(rest):
		user, at, _ := strings.Cut(rest, ":")
		return "git+ssh://" + user + "/" + strings.TrimPrefix(at, "/")
	case !plus && (strings.HasPrefix(text, "ssh://") || strings.HasPrefix(text, "git://")):
		return "git+" + text
	case !plus && (strings.HasPrefix(text, "https://") || strings.HasPrefix(text, "http://")) && meantGit().MatchString(path):
		return "git+" + text
	case plus && (strings.HasPrefix(rest, ".") || filepath.IsAbs(rest)):
		return "git+" + metadata.FileURL(absolute(rest))
	}
	return ""
}

// meantHost is user@host:path, meantGit an address of a repository that does not say so.
var (
	meantHost = lazy.Pattern(`^[\w.-]+@[\w.-]{2,}:/?[^/\s]\S*$`)
	meantGit  = lazy.Pattern(`\.git(?:@[^/]*)?$`)
)

// ParseRepository reads the address of a direct reference; false for what is none of a
// repository. The error says what is wrong with one.
func ParseRepository(address string) (r Repository, ok bool, err error) {
	rest, ok := strings.CutPrefix(address, "git+")
	if !ok {
		for _, other := range []string{"hg+", "svn+", "bzr+"} {
			if strings.HasPrefix(address, other) {
				return r, true, fmt.Errorf("of repositories only git's can be built from, not %s", strings.TrimSuffix(other, "+"))
			}
		}
		return r, false, nil
	}
	rest, fragment, _ := strings.Cut(rest, "#")
	for _, part := range strings.Split(fragment, "&") {
		if key, value, _ := strings.Cut(part, "="); key == "subdirectory" {
			if r.Subdirectory, err = url.PathUnescape(value); err != nil || !filepath.IsLocal(filepath.FromSlash(r.Subdirectory)) {
				return r, true, fmt.Errorf("its subdirectory %q leads out of it", value)
			}
		}
	}
	u, err := url.Parse(rest)
	if err != nil {
		return r, true, errors.New("it is no address")
	}
	switch u.Scheme {
	case "https", "http", "ssh", "file", "git":
	default:
		return r, true, fmt.Errorf("git cannot be reached by %q", u.Scheme)
	}
	if i := strings.LastIndexByte(u.Path, '@'); i >= 0 {
		u.Path, r.Requested = u.Path[:i], u.Path[i+1:]
		u.RawPath = ""
	}
	if strings.HasPrefix(r.Requested, "-") || strings.HasPrefix(u.Host, "-") || strings.ContainsAny(r.Requested, " \t\n:^~?*[\\") {
		return r, true, fmt.Errorf("%q is no tag, branch or commit", r.Requested)
	}
	r.URL = u.String()
	if isCommit(r.Requested) {
		r.Commit = strings.ToLower(r.Requested)
	}
	return r, true, nil
}

// Address is the direct reference, with what was asked for.
func (r Repository) Address() string {
	text := "git+" + r.URL
	if r.Requested != "" {
		text += "@" + r.Requested
	}
	if r.Subdirectory != "" {
		text += "#subdirectory=" + r.Subdirectory
	}
	return text
}

// Sum tells repositories at a commit apart, in hex.
func (r Repository) Sum() string {
	sum := sha256.Sum256([]byte("glassjar repository 1\n" + r.Commit + "\n" + r.Subdirectory))
	return hex.EncodeToString(sum[:])
}

var commitPattern = lazy.Pattern(`^(?:[0-9a-fA-F]{40}|[0-9a-fA-F]{64})$`)

func isCommit(text string) bool { return commitPattern().MatchString(text) }

// RepositoryError says that a repository cannot be had.
type RepositoryError struct {
	URL, What string
	// Said is what git said, its last lines; Missing tells that there is no git.
	Said    string
	Missing bool
}

func (e *RepositoryError) Error() string {
	text := e.URL + ": " + e.What
	if e.Said != "" {
		text += ": " + e.Said
	}
	return text
}

// Repositories keeps what was fetched of repositories in a folder of the cache.
type Repositories struct {
	Dir string
	// Offline forbids the network.
	Offline bool
}

// git runs the system's git. It asks for nothing on the terminal, and runs nothing that a
// repository brings.
func (g Repositories) git(ctx context.Context, r Repository, dir string, words ...string) (string, error) {
	program, err := exec.LookPath("git")
	if err != nil {
		return "", &RepositoryError{URL: r.URL, What: "there is no git on this machine", Missing: true}
	}
	words = append([]string{"-c", "core.hooksPath=" + os.DevNull, "-c", "protocol.ext.allow=never", "-c", "core.fsmonitor=false", "-c", "advice.detachedHead=false", "-c", "gc.auto=0", "-c", "core.autocrlf=false"}, words...)
	cmd := exec.CommandContext(ctx, program, words...)
	cmd.Dir = dir
	// What is set in a hook of git, or by a script, would lead it elsewhere.
	cmd.Env = append(git.Without(os.Environ(), "GIT_DIR", "GIT_WORK_TREE", "GIT_INDEX_FILE"), "GIT_TERMINAL_PROMPT=0", "GIT_ASKPASS=", "LC_ALL=C")
	defer group(cmd)()
	out, err := cmd.CombinedOutput()
	if ctx.Err() != nil {
		return "", ctx.Err()
	}
	if err != nil {
		return "", &RepositoryError{URL: r.URL, What: "git could not do that", Said: git.Complaint(string(out))}
	}
	return strings.TrimSpace(string(out)), nil
}

func (g Repositories) mirror(r Repository) string {
	sum := sha256.Sum256([]byte(r.URL))
	return filepath.Join(g.Dir, hex.EncodeToString(sum[:16]))
}

// Resolve finds the commit of what was asked for, fetching what is new of the repository; a
// commit that is here already is not asked for.
func (g Repositories) Resolve(ctx context.Context, r Repository) (Repository, error) {
	mirror := g.mirror(r)
	has := func() bool {
		_, err := g.git(ctx, r, mirror, "cat-file", "-e", r.Commit+"^{commit}")
		return err == nil
	}
	now := time.Now()
	_ = os.Chtimes(mirror, now, now) // when it was last used, for whoever tidies
	if r.Commit != "" && exists(mirror) && has() {
		return r, nil
	}
	if g.Offline && !strings.HasPrefix(r.URL, "file:") {
		return r, &RepositoryError{URL: r.URL, What: "it is not here, and --offline was asked for"}
	}
	if !exists(mirror) {
		if err := os.MkdirAll(g.Dir, 0o777); err != nil {
			return r, err
		}
		temp, err := os.MkdirTemp(g.Dir, "new-")
		if err != nil {
			return r, err
		}
		defer os.RemoveAll(temp)
		if _, err := g.git(ctx, r, g.Dir, "clone", "--quiet", "--mirror", "--", r.URL, temp); err != nil {
			return r, err
		}
		if err := os.Rename(temp, mirror); err != nil && !exists(mirror) {
			return r, err
		}
	} else if _, err := g.git(ctx, r, mirror, "fetch", "--quiet", "--force", "--prune", "--tags", "--", r.URL, "+refs/heads/*:refs/heads/*"); err != nil {
		return r, err
	}
	if r.Commit != "" {
		if !has() {
			if _, err := g.git(ctx, r, mirror, "fetch", "--quiet", "--", r.URL, r.Commit); err != nil {
				return r, &RepositoryError{URL: r.URL, What: "it has no commit " + r.Commit}
			}
		}
		return r, nil
	}
	candidates := []string{"HEAD"}
	if r.Requested != "" {
		candidates = []string{"refs/tags/" + r.Requested, "refs/heads/" + r.Requested, r.Requested}
	}
	for _, c := range candidates {
		if commit, err := g.git(ctx, r, mirror, "rev-parse", "--verify", "--quiet", "--end-of-options", c+"^{commit}"); err == nil {
			r.Commit = commit
			return r, nil
		} else if ctx.Err() != nil {
			return r, ctx.Err()
		}
	}
	return r, &RepositoryError{URL: r.URL, What: fmt.Sprintf("it has no tag, branch or commit %q", r.Requested)}
}

// CheckOut puts a commit into a folder, which is made, with its history, its tags and its
// submodules.
func (g Repositories) CheckOut(ctx context.Context, r Repository, to string) error {
	mirror := g.mirror(r)
	if _, err := g.git(ctx, r, g.Dir, "clone", "--quiet", "--no-checkout", "--no-hardlinks", "--", mirror, to); err != nil {
		return err
	}
	for _, words := range [][]string{{"remote", "set-url", "origin", r.URL}, {"checkout", "--quiet", "--force", "--detach", r.Commit}} {
		if _, err := g.git(ctx, r, to, words...); err != nil {
			return err
		}
	}
	if !exists(filepath.Join(to, ".gitmodules")) {
		return nil
	}
	words := []string{"submodule", "--quiet", "update", "--init", "--recursive"}
	if strings.HasPrefix(r.URL, "file:") {
		words = append([]string{"-c", "protocol.file.allow=always"}, words...)
	}
	_, err := g.git(ctx, r, to, words...)
	return err
}

func exists(path string) bool {
	_, err := os.Lstat(path)
	return err == nil
}
