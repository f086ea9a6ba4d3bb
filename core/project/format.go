package project

import (
	"bytes"
	"fmt"
	"strings"
	"time"

	"glassjar/core/internal/lazy"
	"glassjar/core/tomltext"
)

// Format writes the record. Equal records give equal bytes: no date, no path
// of a machine, every key in a fixed order and every file on its own line.
func (r *Record) Format() []byte {
	var b bytes.Buffer
	b.WriteString("# The record: the exact contents, from which the same jar is made anywhere.\n")
	b.WriteString("# It is written by a program; the spec is where wishes go.\n")
	b.WriteString("lock-version = \"1.0\"\n")
	if len(r.Environments) > 0 {
		b.WriteString("environments = [\n")
		for _, m := range r.Environments {
			fmt.Fprintf(&b, "    %s,\n", tomltext.String(m.String()))
		}
		b.WriteString("]\n")
	}
	if len(r.RequiresPython) > 0 {
		fmt.Fprintf(&b, "requires-python = %s\n", tomltext.String(r.RequiresPython.String()))
	}
	for _, l := range []struct {
		key  string
		list []string
	}{{"extras", r.Extras}, {"dependency-groups", r.Groups}, {"default-groups", r.DefaultGroups}} {
		if len(l.list) > 0 {
			fmt.Fprintf(&b, "%s = %s\n", l.key, tomltext.Strings(l.list))
		}
	}
	fmt.Fprintf(&b, "created-by = %s\n", tomltext.String(r.CreatedBy))
	if len(r.Packages) == 0 {
		b.WriteString("packages = []\n")
	}
	for _, p := range r.Packages {
		p.format(&b)
	}
	b.WriteString("\n[tool.glassjar]\nasked = [\n")
	for _, a := range r.Asked {
		fmt.Fprintf(&b, "    %s,\n", tomltext.String(a))
	}
	b.WriteString("]\n")
	if r.SeeSystem {
		b.WriteString("see-system = true\n")
	}
	if len(r.Left) > 0 {
		b.WriteString("left-out = [\n")
		for _, l := range r.Left {
			fmt.Fprintf(&b, "    { targets = %s, why = %s },\n", tomltext.Strings(l.Targets), tomltext.String(l.Why))
		}
		b.WriteString("]\n")
	}
	for _, one := range r.Pythons {
		one.format(&b)
	}
	for _, one := range r.Built {
		one.format(&b)
	}
	return b.Bytes()
}

func (p PinnedPython) format(b *bytes.Buffer) {
	b.WriteString("\n[[tool.glassjar.pythons]]\n")
	for _, f := range [][2]string{{"for", p.For}, {"version", p.Version}, {"file", p.File}, {"url", p.URL}, {"path", p.Path}} {
		if f[1] != "" {
			fmt.Fprintf(b, "%s = %s\n", f[0], tomltext.String(f[1]))
		}
	}
	if p.Size > 0 {
		fmt.Fprintf(b, "size = %d\n", p.Size)
	}
	fmt.Fprintf(b, "sha256 = %s\n", tomltext.String(p.SHA256))
}

func (one Built) format(b *bytes.Buffer) {
	fmt.Fprintf(b, "\n[[tool.glassjar.built]]\nname = %s\n", tomltext.String(one.Name))
	if one.Version != "" {
		fmt.Fprintf(b, "version = %s\n", tomltext.String(one.Version))
	}
	if one.Wheel != "" {
		fmt.Fprintf(b, "wheel = %s\nlibraries = %s\n", tomltext.String(one.Wheel), tomltext.Strings(one.Libraries))
	}
	if len(one.With) == 0 {
		b.WriteString("with = []\n")
		return
	}
	b.WriteString("with = [\n")
	for _, w := range one.With {
		parts := []string{}
		for _, f := range [][2]string{{"name", w.Name}, {"version", w.Version}, {"file", w.File}, {"url", w.URL}, {"index", w.Index}, {"sha256", w.SHA256}} {
			if f[1] != "" {
				parts = append(parts, f[0]+" = "+tomltext.String(f[1]))
			}
		}
		fmt.Fprintf(b, "    { %s },\n", strings.Join(parts, ", "))
	}
	b.WriteString("]\n")
}

var bareKey = lazy.Pattern(`^[A-Za-z0-9_-]+$`)

func tomlKey(key string) string {
	if bareKey().MatchString(key) {
		return key
	}
	return tomltext.String(key)
}

func (p Package) format(b *bytes.Buffer) {
	fmt.Fprintf(b, "\n[[packages]]\nname = %s\n", tomltext.String(p.Name))
	if !p.Version.IsZero() {
		fmt.Fprintf(b, "version = %s\n", tomltext.String(p.Version.String()))
	}
	if !p.Marker.IsZero() {
		fmt.Fprintf(b, "marker = %s\n", tomltext.String(p.Marker.String()))
	}
	if len(p.RequiresPython) > 0 {
		fmt.Fprintf(b, "requires-python = %s\n", tomltext.String(p.RequiresPython.String()))
	}
	if len(p.Dependencies) > 0 {
		parts := make([]string, len(p.Dependencies))
		for i, d := range p.Dependencies {
			parts[i] = "{ name = " + tomltext.String(d.Name) + " }"
			if !d.Version.IsZero() {
				parts[i] = "{ name = " + tomltext.String(d.Name) + ", version = " + tomltext.String(d.Version.String()) + " }"
			}
		}
		fmt.Fprintf(b, "dependencies = [%s]\n", strings.Join(parts, ", "))
	}
	if p.Index != "" {
		fmt.Fprintf(b, "index = %s\n", tomltext.String(p.Index))
	}
	if len(p.Wheels) > 0 {
		b.WriteString("wheels = [\n")
		for _, w := range p.Wheels {
			fmt.Fprintf(b, "    %s,\n", w.format())
		}
		b.WriteString("]\n")
	}
	if p.Sdist != nil {
		fmt.Fprintf(b, "sdist = %s\n", p.Sdist.format())
	}
	if p.Archive != nil {
		fmt.Fprintf(b, "archive = %s\n", p.Archive.format())
	}
	if d := p.Directory; d != nil {
		table(b, "directory", [][2]string{{"path", tomltext.String(d.Path)}, {"editable", flag(d.Editable)}, {"subdirectory", quoted(d.Subdirectory)}})
	}
	if v := p.VCS; v != nil {
		table(b, "vcs", [][2]string{{"type", quoted(v.Type)}, {"url", quoted(v.URL)}, {"path", quoted(v.Path)}, {"requested-revision", quoted(v.Requested)}, {"commit-id", quoted(v.Commit)}, {"subdirectory", quoted(v.Subdirectory)}})
	}
	if len(p.Publishers) > 0 {
		b.WriteString("attestation-identities = [\n")
		for _, one := range p.Publishers {
			parts := []string{"kind = " + tomltext.String(one["kind"])}
			for _, key := range sortedKeys(one) {
				if key != "kind" {
					parts = append(parts, tomlKey(key)+" = "+tomltext.String(one[key]))
				}
			}
			fmt.Fprintf(b, "    { %s },\n", strings.Join(parts, ", "))
		}
		b.WriteString("]\n")
	}
	if p.NeedsOf != "" {
		fmt.Fprintf(b, "tool.glassjar = { needs-of = %s }\n", tomltext.String(p.NeedsOf))
	}
}

// table writes an inline table of the values that are not empty.
func table(b *bytes.Buffer, key string, fields [][2]string) {
	var parts []string
	for _, f := range fields {
		if f[1] != "" {
			parts = append(parts, f[0]+" = "+f[1])
		}
	}
	fmt.Fprintf(b, "%s = { %s }\n", key, strings.Join(parts, ", "))
}

func quoted(text string) string {
	if text == "" {
		return ""
	}
	return tomltext.String(text)
}

func flag(yes bool) string {
	if yes {
		return "true"
	}
	return ""
}

func (f PackageFile) format() string {
	var parts []string
	add := func(key, value string) { parts = append(parts, key+" = "+value) }
	if f.Name != "" {
		add("name", tomltext.String(f.Name))
	}
	if !f.Uploaded.IsZero() {
		add("upload-time", f.Uploaded.UTC().Format(time.RFC3339Nano))
	}
	if f.URL != "" {
		add("url", tomltext.String(f.URL))
	}
	if f.Path != "" {
		add("path", tomltext.String(f.Path))
	}
	if f.Size >= 0 {
		add("size", fmt.Sprint(f.Size))
	}
	var sums []string
	for _, algorithm := range sortedKeys(f.Hashes) {
		sums = append(sums, algorithm+" = "+tomltext.String(f.Hashes[algorithm]))
	}
	add("hashes", "{ "+strings.Join(sums, ", ")+" }")
	if f.Subdirectory != "" {
		add("subdirectory", tomltext.String(f.Subdirectory))
	}
	return "{ " + strings.Join(parts, ", ") + " }"
}

// Creator is this program as records name it (PEP 751, "created-by").
const Creator = "glassjar"

// Ours reports whether this program wrote the record.
func (r *Record) Ours() bool { return r.CreatedBy == Creator }
