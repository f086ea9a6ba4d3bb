package wheel_test

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/metadata"
	"glassjar/core/wheel"
	_ "glassjar/internal/long"
)

// member is one entry of a wheel that is made by hand, so that it can be wrong.
type member struct {
	name string
	data string
	mode fs.FileMode
	// record is the line of RECORD for it; "-" leaves it out.
	record string
	method uint16
	flags  uint16
	// size, if not 0, is announced instead of the true one.
	size uint64
}

// craft is a wheel to be made wrong in one way.
type craft struct {
	file     string
	info     string
	metadata string
	format   string
	members  []member
	// recordMore is appended to RECORD; noRecord leaves RECORD out.
	recordMore string
	noRecord   bool
	entry      string
}

func good() *craft {
	return &craft{
		file: "press-1.0-py3-none-any.whl", info: "press-1.0.dist-info/",
		metadata: "Metadata-Version: 2.1\nName: press\nVersion: 1.0\n",
		format:   "Wheel-Version: 1.0\nRoot-Is-Purelib: true\nTag: py3-none-any\n",
		members:  []member{{name: "press/__init__.py", data: "x = 1\n"}},
	}
}

func line(name, data string) string {
	return fmt.Sprintf("%s,%s,%d\n", name, metadata.RecordHash(sha256.Sum256([]byte(data))), len(data))
}

// bytes writes the archive.
func (c *craft) bytes(t testing.TB) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	z.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) { return flate.NewWriter(w, flate.BestCompression) })
	var record strings.Builder
	all := append([]member(nil), c.members...)
	if c.metadata != "" {
		all = append(all, member{name: c.info + "METADATA", data: c.metadata})
	}
	if c.format != "" {
		all = append(all, member{name: c.info + "WHEEL", data: c.format})
	}
	if c.entry != "" {
		all = append(all, member{name: c.info + "entry_points.txt", data: c.entry})
	}
	for _, m := range all {
		switch m.record {
		case "":
			record.WriteString(line(m.name, m.data))
		case "-":
		default:
			record.WriteString(m.record)
		}
	}
	if !c.noRecord {
		data := record.String() + c.recordMore + c.info + "RECORD,,\n"
		all = append(all, member{name: c.info + "RECORD", data: data})
	}
	for _, m := range all {
		c.write(t, z, m)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

func (c *craft) write(t testing.TB, z *zip.Writer, m member) {
	h := &zip.FileHeader{Name: m.name, Method: m.method, Flags: m.flags}
	mode := m.mode
	if mode == 0 {
		mode = 0o644
	}
	h.SetMode(mode)
	if m.method == zip.Deflate {
		w, err := z.CreateHeader(h)
		require.NoError(t, err)
		_, err = w.Write([]byte(m.data))
		require.NoError(t, err)
		return
	}
	h.CompressedSize64, h.UncompressedSize64 = uint64(len(m.data)), uint64(len(m.data))
	h.CRC32 = crc(m.data)
	if m.size > 0 {
		h.UncompressedSize64 = m.size
	}
	w, err := z.CreateRaw(h)
	require.NoError(t, err)
	_, err = w.Write([]byte(m.data))
	require.NoError(t, err)
}

// with adds a member to a good wheel.
func with(m member) func(*craft) { return func(c *craft) { c.members = append(c.members, m) } }

// hostile are wheels that must be refused, each for the reason that it shows.
var hostile = []struct {
	name  string
	spoil func(*craft)
	why   string
}{
	{"absolute path", with(member{name: "/etc/passwd"}), "absolute"},
	{"parent folder", with(member{name: "../outside.py"}), "out of the jar"},
	{"parent folder in the middle", with(member{name: "press/../../outside.py"}), "out of the jar"},
	{"only dots", with(member{name: ".."}), "out of the jar"},
	{"current folder", with(member{name: "./press/a.py"}), "empty part"},
	{"empty part", with(member{name: "press//a.py"}), "empty part"},
	{"backslash", with(member{name: `press\..\..\outside.py`}), "backslash"},
	{"drive letter", with(member{name: "C:/windows/a.py"}), "drive letter"},
	{"drive letter without a slash", with(member{name: "c:a.py"}), "drive letter"},
	{"share of a network", with(member{name: `\\server\share\a.py`}), "backslash"},
	{"control character", with(member{name: "press/a\nb.py"}), "control character"},
	{"end of string", with(member{name: "press/a\x00.py"}), "control character"},
	{"not UTF-8", with(member{name: "press/\xff\xfe.py"}), "UTF-8"},
	{"too long a part", with(member{name: strings.Repeat("a", 300) + ".py"}), "longer than 255"},
	{"too long a path", with(member{name: strings.Repeat("a/", 2500) + "b"}), "too long"},
	{"symbolic link", with(member{name: "press/link", data: "/etc", mode: fs.ModeSymlink | 0o777}), "link"},
	{"named pipe", with(member{name: "press/pipe", mode: fs.ModeNamedPipe | 0o644}), "plain file"},
	{"device", with(member{name: "press/device", mode: fs.ModeDevice | 0o644}), "plain file"},
	{"the same name twice", with(member{name: "press/__init__.py", data: "x = 2\n", record: "-"}), "twice"},
	{"a file and a folder", with(member{name: "press/__init__.py/a.py"}), "file and a folder"},
	{"differs in case", with(member{name: "press/__INIT__.py"}), "same file as"},
	{"a device's name", with(member{name: "press/aux.py"}), "device"},
	{"a device's name with blanks", with(member{name: "press/con .txt"}), "device"},
	{"a dot at the end", with(member{name: "press/a."}), "ends in a dot"},
	{"another stream", with(member{name: "press/a.py:hidden"}), "does not store"},
	{"encrypted", with(member{name: "press/a.py", flags: 1}), "encrypted"},
	{"unknown packing", with(member{name: "press/a.py", method: 12}), "method 12"},
	{"RECORD lists twice, with another hash", func(c *craft) { c.recordMore = line("press/__init__.py", "x = 3\n") }, "twice"},
	{"no RECORD", func(c *craft) { c.noRecord = true }, "RECORD is missing"},
	{"RECORD leaves a file out", with(member{name: "press/a.py", record: "-"}), "does not list"},
	{"wrong size in RECORD", func(c *craft) {
		c.members[0].record = strings.Replace(line("press/__init__.py", "x = 1\n"), ",6\n", ",7\n", 1)
	}, "size"},
	{"wrong hash in RECORD", func(c *craft) { c.members[0].record = line("press/__init__.py", "x = 2\n") }, "hash"},
	{"no hash in RECORD", func(c *craft) { c.members[0].record = "press/__init__.py,,6\n" }, "no hash"},
	{"a weak hash in RECORD", func(c *craft) { c.members[0].record = "press/__init__.py,md5=1B2M2Y8AsgTpgAmY7PhCfg,6\n" }, "md5"},
	{"a hash that is none", func(c *craft) { c.members[0].record = "press/__init__.py,sha256=short,6\n" }, "not one"},
	{"RECORD is not CSV", func(c *craft) { c.recordMore = "\"open\n" }, "RECORD"},
	{"another name in METADATA", func(c *craft) { c.metadata = strings.Replace(c.metadata, "press", "cider", 1) }, "describes cider"},
	{"another version in METADATA", func(c *craft) { c.metadata = strings.Replace(c.metadata, "Version: 1.0", "Version: 1.1", 1) }, "describes"},
	{"no METADATA", func(c *craft) { c.metadata = "" }, "METADATA is missing"},
	{"METADATA that does not read", func(c *craft) { c.metadata = "Name press\n" }, "METADATA"},
	{"no WHEEL", func(c *craft) { c.format = "" }, "WHEEL is missing"},
	{"a higher major version of the format", func(c *craft) { c.format = strings.Replace(c.format, "1.0", "2.0", 1) }, "major"},
	{"two .dist-info folders", with(member{name: "cider-1.0.dist-info/METADATA"}), "two .dist-info"},
	{"a .dist-info of another name", func(c *craft) { c.info = "cider-1.0.dist-info/" }, "not those of the file"},
	{"a .dist-info of another version", func(c *craft) { c.info = "press-2.0.dist-info/" }, "not those of the file"},
	{"no .dist-info", func(c *craft) { c.info = "press/" }, "no .dist-info"},
	{"a file name that is none", func(c *craft) { c.file = "press.whl" }, "not the name of a wheel"},
	{"a scheme that is none", with(member{name: "press-1.0.data/system/a.py"}), "not a scheme"},
	{"a data file without a scheme", with(member{name: "press-1.0.data/a.py"}), "no scheme"},
	{"a script in a subfolder", with(member{name: "press-1.0.data/scripts/deep/run"}), "below the scripts"},
	{"two roots with the same file", with(member{name: "press-1.0.data/purelib/press/__init__.py"}), "same place"},
	{"a size that is a lie", with(member{name: "press/a.py", data: "x = 1\n", size: 600, record: line("press/a.py", strings.Repeat("x", 600))}), ""},
	{"a bomb", with(member{name: "press/a.txt", data: strings.Repeat("\x00", 3<<20), method: zip.Deflate}), "times its size"},
	{"more bytes than the limit", with(member{name: "press/a.txt", data: strings.Repeat("0123456789", 500_000)}), "limit of"},
	{"more files than the limit", func(c *craft) {
		for n := range 60 {
			c.members = append(c.members, member{name: fmt.Sprintf("press/f%d.py", n)})
		}
	}, "limit of 50"},
}

// odd are wheels with something that does no harm: it is told, and no script is made.
var odd = []struct {
	name  string
	spoil func(*craft)
	says  string
}{
	{"RECORD lists what is not there", func(c *craft) { c.recordMore = line("press/ghost.py", "x") }, "not in the archive"},
	{"RECORD lists twice", func(c *craft) { c.recordMore = line("press/__init__.py", "x = 1\n") }, "twice"},
	{"a script that leaves its folder", func(c *craft) { c.entry = "[console_scripts]\n../run = press:main\n" }, "plain file name"},
	{"a script that calls nothing", func(c *craft) { c.entry = "[console_scripts]\nrun = press\n" }, "no function"},
	{"a script with code in its name", func(c *craft) { c.entry = "[gui_scripts]\nrun;rm = press:main\n" }, "plain file name"},
	{"entry points that do not read", func(c *craft) { c.entry = "run = press:main\n" }, "entry_points"},
}

func TestOddWheelsAreTakenWithAWarning(t *testing.T) {
	for _, c := range odd {
		w := good()
		c.spoil(w)
		data := w.bytes(t)
		opened, err := wheel.Open(bytes.NewReader(data), int64(len(data)), w.file, small)
		require.NoError(t, err, c.name)
		require.Len(t, opened.Warnings, 1, c.name)
		assert.Contains(t, opened.Warnings[0], c.says)
		assert.Contains(t, opened.Warnings[0], w.file)
		for _, e := range opened.EntryPoints {
			_, err := e.Script()
			assert.Error(t, err, c.name)
		}
		for _, e := range opened.Entries {
			assert.NotContains(t, e.Path, "ghost", c.name)
		}
	}
}

// small are limits for which a test need not make gigabytes, with the rules of
// every system.
var small = wheel.Limits{Files: 50, Bytes: 4 << 20, Ratio: 250, RatioFrom: 1 << 20, FoldCase: true, WindowsNames: true}

// unpack opens a wheel and unpacks all of it below a folder, as an installer
// does.
func unpack(data []byte, file, into string) error {
	w, err := wheel.Open(bytes.NewReader(data), int64(len(data)), file, small)
	if err != nil {
		return err
	}
	for _, e := range w.Entries {
		target := filepath.Join(into, e.Scheme, filepath.FromSlash(e.Path))
		if err := os.MkdirAll(filepath.Dir(target), 0o755); err != nil {
			return err
		}
		f, err := os.Create(target)
		if err != nil {
			return err
		}
		err = w.Copy(f, e)
		f.Close()
		if err2 := appends(w, e); err == nil && err2 != nil {
			return err2
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// appends unpacks an entry in memory, behind something, and compares its hash.
func appends(w *wheel.Wheel, e wheel.Entry) error {
	all, err := w.Append([]byte("before"), e)
	if err != nil {
		return err
	}
	content, ok := bytes.CutPrefix(all, []byte("before"))
	if sum := sha256.Sum256(content); !ok || e.SHA256() != "" && hex.EncodeToString(sum[:]) != e.SHA256() {
		return errors.New("another content was unpacked in memory")
	}
	return nil
}

func TestHostileWheelsAreRefused(t *testing.T) {
	require.GreaterOrEqual(t, len(hostile), 40)
	for _, c := range hostile {
		t.Run(c.name, func(t *testing.T) {
			top := t.TempDir()
			staging := filepath.Join(top, "a", "b", "staging")
			require.NoError(t, os.MkdirAll(staging, 0o755))
			w := good()
			c.spoil(w)
			err := unpack(w.bytes(t), w.file, staging)
			var refused *wheel.Refusal
			require.ErrorAs(t, err, &refused)
			assert.Equal(t, w.file, refused.File)
			assert.Contains(t, err.Error(), c.why)
			// Whatever was written stayed in the staging folder.
			require.NoError(t, filepath.WalkDir(top, func(p string, e fs.DirEntry, err error) error {
				if err == nil && !e.IsDir() {
					assert.True(t, strings.HasPrefix(p, staging), p)
				}
				return err
			}))
		})
	}
}

func TestCutAndAlteredArchivesAreRefused(t *testing.T) {
	whole := good().bytes(t)
	dir := t.TempDir()
	for cut := range len(whole) {
		if err := unpack(whole[:cut], "press-1.0-py3-none-any.whl", dir); err == nil {
			t.Fatalf("%d of %d bytes were taken for a wheel", cut, len(whole))
		}
	}
	// Every byte that is changed is noticed or does not matter: the contents
	// are those that RECORD has hashes of.
	for at := range whole {
		data := bytes.Clone(whole)
		data[at] ^= 0x20
		into := filepath.Join(dir, fmt.Sprint(at))
		if unpack(data, "press-1.0-py3-none-any.whl", into) == nil {
			have, err := os.ReadFile(filepath.Join(into, "purelib", "press", "__init__.py"))
			require.NoError(t, err, "byte %d", at)
			require.Equal(t, "x = 1\n", string(have), "byte %d", at)
		}
	}
}

func FuzzOpen(f *testing.F) {
	f.Add(good().bytes(f))
	f.Fuzz(func(t *testing.T, data []byte) {
		w, err := wheel.Open(bytes.NewReader(data), int64(len(data)), "press-1.0-py3-none-any.whl", small)
		if err != nil {
			return
		}
		for _, e := range w.Entries {
			require.Empty(t, wheel.PathFault(e.Path, small), e.Path)
			if err := appends(w, e); w.Copy(io.Discard, e) == nil {
				require.NoError(t, err)
			}
		}
	})
}
