package place

import (
	"path/filepath"
	"strings"

	"golang.org/x/sys/windows"
)

// spelled is a path as its folders have it: letter case is not told apart, and a short name
// ("PROGRA~1") is another name of the same.
func spelled(path string) string {
	volume := filepath.VolumeName(path)
	if len(volume) == 2 {
		volume = strings.ToUpper(volume)
	}
	out, parts := volume+`\`, strings.Split(strings.TrimLeft(path[len(filepath.VolumeName(path)):], `\`), `\`)
	for i, part := range parts {
		name, err := nameOf(filepath.Join(out, part))
		if err != nil { // new, or not to be seen
			return filepath.Join(append([]string{out}, parts[i:]...)...)
		}
		out = filepath.Join(out, name)
	}
	return out
}

// nameOf is the last part of a path as its folder has it.
func nameOf(path string) (string, error) {
	if strings.ContainsAny(filepath.Base(path), "*?") { // this would be a pattern
		return "", windows.ERROR_INVALID_NAME
	}
	if len(path) >= windows.MAX_PATH && filepath.VolumeName(path)[0] != '\\' {
		path = `\\?\` + path
	}
	p, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return "", err
	}
	var found windows.Win32finddata
	h, err := windows.FindFirstFile(p, &found)
	if err != nil {
		return "", err
	}
	return windows.UTF16ToString(found.FileName[:]), windows.FindClose(h)
}
