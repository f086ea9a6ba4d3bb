# Sourced. A Wine prefix in the folder $T, with what Go's programs need there, and a stand-in for
# Windows's Python where its installer puts it for one user.
# Needs wine, wine64, gcc-mingw-w64-x86-64-win32, python3 and Go.
here=$(cd "$(dirname "${BASH_SOURCE[0]}")" && pwd)
T=${T:-$(mktemp -d)}
modules=$(go env GOMODCACHE) cache=$(go env GOCACHE) root=$(go env GOROOT)/src
export GOMODCACHE=$modules GOCACHE=$cache
export WINEPREFIX=$T/prefix WINEDEBUG=-all HOME=$T/home
mkdir -p "$HOME"
unset SHELL VIRTUAL_ENV
C=$WINEPREFIX/drive_c
wineboot -i >/dev/null 2>&1
wine winecfg -v win10 >/dev/null 2>&1

# Wine 8 lacks a library that Go needs. Its symbolic links claim success and are none, and it
# does not know one way of deleting: both are put right in Go's standard library, not in the
# program. An ordinary user of Windows may make no symbolic links either.
x86_64-w64-mingw32-gcc -O2 -shared -o "$C/windows/system32/bcryptprimitives.dll" "$here/bcryptprimitives.c" -ladvapi32
python3 - "$root" "$T" <<'P'
import json, sys
root, to = sys.argv[1:]
at, file = root + "/internal/syscall/windows/at_windows.go", root + "/os/file_windows.go"
text = open(at).read().replace("case STATUS_INVALID_INFO_CLASS, //", "case NTStatus(0xC0000002), STATUS_INVALID_INFO_CLASS, //", 1)
open(to + "/at.go", "w").write(text)
head = "func Symlink(oldname, newname string) error {\n"
text = open(file).read().replace(head, head + "\tif true {\n\t\treturn &LinkError{\"symlink\", oldname, newname, syscall.Errno(1314)}\n\t}\n", 1)
open(to + "/file.go", "w").write(text)
json.dump({"Replace": {at: to + "/at.go", file: to + "/file.go"}}, open(to + "/overlay.json", "w"))
P

user=$(basename "$(dirname "$(find "$C/users" -maxdepth 2 -name AppData | grep -v Public | head -1)")")
python=$C/users/$user/AppData/Local/Programs/Python/Python312
mkdir -p "$python"
x86_64-w64-mingw32-gcc -O2 -shared -DVER='"3.12.4"' -o "$python/python312.dll" "$here/python-dll.c" -Wl,--out-implib,"$T/libpython.a"
x86_64-w64-mingw32-gcc -O2 -municode -o "$python/python.exe" "$here/python-exe.c" "$T/libpython.a"
x86_64-w64-mingw32-gcc -O2 -municode -mwindows -o "$python/pythonw.exe" "$here/python-exe.c" "$T/libpython.a"

# for_windows builds for Windows, as this Wine needs it.
for_windows() { GOOS=windows GOARCH=amd64 CGO_ENABLED=0 go "$1" -overlay "$T/overlay.json" "${@:2}"; }
