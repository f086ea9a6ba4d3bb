package interpreter

import (
	"path/filepath"
	"strings"

	"golang.org/x/sys/windows"
	"golang.org/x/sys/windows/registry"
)

// registered are the Pythons that their installers wrote into the registry (PEP 514), the
// user's first.
func registered() (out []string) {
	for _, top := range []struct {
		key  registry.Key
		view uint32
	}{{registry.CURRENT_USER, 0}, {registry.LOCAL_MACHINE, registry.WOW64_64KEY}, {registry.LOCAL_MACHINE, registry.WOW64_32KEY}} {
		companies := children(top.key, `Software\Python`, top.view)
		for _, company := range companies {
			if company == "PyLauncher" {
				continue // the PEP reserves it for another purpose
			}
			for _, tag := range children(top.key, `Software\Python\`+company, top.view) {
				at := `Software\Python\` + company + `\` + tag + `\InstallPath`
				key, err := registry.OpenKey(top.key, at, registry.QUERY_VALUE|top.view)
				if err != nil {
					continue
				}
				program, _, err := key.GetStringValue("ExecutablePath")
				if folder, _, folderErr := key.GetStringValue(""); (err != nil || program == "") && folderErr == nil {
					program = filepath.Join(folder, "python.exe")
				}
				key.Close()
				if filepath.IsAbs(program) {
					out = append(out, program)
				}
			}
		}
	}
	return out
}

// children are the names of the keys below one.
func children(top registry.Key, path string, view uint32) []string {
	key, err := registry.OpenKey(top, path, registry.ENUMERATE_SUB_KEYS|view)
	if err != nil {
		return nil
	}
	defer key.Close()
	names, err := key.ReadSubKeyNames(-1)
	if err != nil {
		return nil
	}
	return names
}

// opensWindow reports whether a program only opens the Store.
func opensWindow(path string) bool {
	if !strings.Contains(strings.ToLower(path), `\microsoft\windowsapps\`) {
		return false
	}
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return false
	}
	h, err := windows.CreateFile(name, 0, windows.FILE_SHARE_READ|windows.FILE_SHARE_WRITE|windows.FILE_SHARE_DELETE, nil, windows.OPEN_EXISTING, windows.FILE_FLAG_OPEN_REPARSE_POINT|windows.FILE_FLAG_BACKUP_SEMANTICS, 0)
	if err != nil {
		return false
	}
	defer func() { _ = windows.CloseHandle(h) }() // it was read only
	data := make([]byte, windows.MAXIMUM_REPARSE_DATA_BUFFER_SIZE)
	var n uint32
	if err := windows.DeviceIoControl(h, windows.FSCTL_GET_REPARSE_POINT, nil, 0, &data[0], uint32(len(data)), &n, nil); err != nil {
		return false
	}
	return opensStore(data[:n])
}
