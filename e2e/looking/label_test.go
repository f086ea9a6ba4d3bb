package looking

import (
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"glassjar/e2e/drive"
)

// labeller computes a label as docs/formats.md defines it, with Python's standard
// library alone.
const labeller = `
import csv, hashlib, json, os, re, sys
jar = sys.argv[1]
state = json.load(open(os.path.join(jar, "glassjar", "jar.json")))
out = ["glassjar label 1",
       "python %(implementation)s %(python)s %(os)s %(arch)s" % state,
       "see-system " + str(state["see_system"]).lower()]
found = []
for top, folders, files in os.walk(jar):
    for info in folders:
        if info.endswith(".dist-info"):
            lines = open(os.path.join(top, info, "METADATA"), encoding="utf-8").read().split("\n\n")[0].split("\n")
            head = dict(l.split(": ", 1) for l in lines if ": " in l)
            name = re.sub(r"[-_.]+", "-", head["Name"]).lower()
            paths = [os.path.relpath(os.path.join(top, row[0]), jar).replace(os.sep, "/")
                     for row in csv.reader(open(os.path.join(top, info, "RECORD"), encoding="utf-8", newline="")) if row]
            found.append((name, head["Version"], paths))
for name, version, paths in sorted(found):
    out.append("distribution %s %s" % (name, version))
    for path in sorted(paths):
        file = os.path.join(jar, path)
        sum = hashlib.sha256(open(file, "rb").read()).hexdigest() if os.path.exists(file) else "missing"
        out.append("file %s %s" % (path, sum))
digest = hashlib.sha256("".join(l + "\n" for l in out).encode()).hexdigest()[:20]
print("-".join(digest[i:i + 4] for i in range(0, 20, 4)))
`

// Anyone can compute the label; one changed byte changes it, a move does not.
func TestLabelCanBeComputedByAnyone(t *testing.T) {
	s := drive.NewTerminal(t, drive.RealPath(t, t.TempDir()))
	s.Output("glassjar", "create", "--python", drive.Default.Path)
	s.Output("glassjar", "install", "press-schedule", "orchard-map")
	label := func(jar string) string {
		said, _, _ := strings.Cut(strings.TrimPrefix(s.Output("glassjar", "--jar", jar, "label"), "label   "), " ")
		assert.Equal(t, said, strings.TrimSpace(s.Output(drive.Default.Path, "-c", labeller, filepath.Join(s.Dir, jar))))
		return said
	}
	whole := label(".jar")
	s.Output("mv", ".jar", "moved")
	assert.Equal(t, whole, label("./moved"))
	s.Output("sh", "-c", "printf ' ' >> moved/lib/python"+drive.Default.Minor()+"/site-packages/must_core/__init__.py")
	assert.NotEqual(t, whole, label("./moved"))
	out, err := s.Try("glassjar", "--jar", "./moved", "check")
	assert.Error(t, err)
	assert.Contains(t, out, "must_core/__init__.py")
}
