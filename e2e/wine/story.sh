#!/bin/bash
# The ordinary story of glassjar.exe under Wine, with a stand-in for Windows's Python in the
# place of its installer. Ends with how many steps hold.
set -u
cd "$(dirname "$0")/../.." || exit 2
. e2e/wine/setup.sh
. e2e/steps.sh
for_windows build -trimpath -ldflags "-s -w" -o "$C/glassjar.exe" ./cmd/glassjar || exit 2
mkdir -p "$C/work"
cd "$C/work" || exit 2
program='C:\glassjar.exe'

# says COMMAND... runs a command; what it said and its exit code are kept.
says() {
    said=$(timeout 120 wine "$@" 2>&1 </dev/null | tr -d '\r'; exit "${PIPESTATUS[0]}")
    code=$?
}

says "$program" create
holds "a jar is made with the installer's Python" has 'Programs\Python\Python312\python.exe'
says "$program" install press-schedule orchard-map --yes
holds "packages are installed" has '5 added'
says "$program" run python one "two words" 'a"b' 'back\'
holds "the jar's Python starts, and knows whose it is" has '"prefix":"C:\\work\\.jar"'
holds "arguments come as they were given" has '"one","two words","a\"b","back\\"'
says "$program" run python --exit 7
holds "exit codes come back" ends 7
says '.jar\Scripts\python.exe' --exit 9
holds "also from the jar's own program" ends 9
says '.jar\Scripts\press-schedule.exe' a b
holds "a script runs" has 'Scripts\\launch\\press-schedule","a","b"'
says '.jar\Scripts\PRESS-SCHEDULE.EXE' --exit 5
holds "in any case of its name" ends 5
holds "a script takes no more than a launcher" test "$(stat -c %s .jar/Scripts/press-schedule.exe)" -lt 16384
says "$program" check
holds "check finds nothing" has 'nothing wrong'
mkdir -p "$WINEPREFIX/dosdevices/unc/orchard"
ln -s "$C/work" "$WINEPREFIX/dosdevices/unc/orchard/share"
says '\\orchard\share\.jar\Scripts\press-schedule.exe' a
holds "a script starts from a share" has '"prefix":"\\\\orchard\\share\\.jar"'
says "$program" --jar '\\orchard\share\.jar' run python one
holds "a jar on a share is used" has '"prefix":"\\\\orchard\\share\\.jar"'

mv "$python/python312.dll" "$T/"
says "$program" check
holds "check starts the Python, and says that it does not" has 'does not start'
mv "$T/python312.dll" "$python/"

# A program that runs can be removed by nobody; nothing hangs on it.
wine '.jar\Scripts\press-schedule.exe' --sleep 12 </dev/null >"$T/sleeper" 2>&1 &
sleeper=$!
for _ in $(seq 50); do grep -q sleeping "$T/sleeper" && break; sleep 0.2; done
says "$program" uninstall press-schedule --yes
holds "a script that runs is taken out" has '3 removed'
says "$program" install press-schedule --yes
holds "and comes again" has '3 added'
says "$program" recreate --yes
holds "and the jar is recreated" ends 0
wait $sleeper
holds "what ran goes on to its end" grep -q woke "$T/sleeper"
says "$program" uninstall orchard-map --yes
holds "the next change goes on" ends 0
holds "and removes what was left" test ! -e .jar/glassjar/trash

# One place has one name, however it is written.
mkdir -p "$C/Größe/wheels"
cd "$C/Größe" || exit 2
printf '[project]\r\nname = "press"\r\nversion = "1"\r\ndependencies = []\r\n' >pyproject.toml
says "$program" create
says "$program" install brixmeter --yes --jar 'c:\gRÖßE\.JAR'
holds "a jar in another letter case is the project's" has pyproject.toml
holds "a spec keeps its line ends" test "$(grep -c $'\r$' pyproject.toml)" = "$(wc -l <pyproject.toml)"
says "$program" index add near 'file:///C:/Gr%C3%B6%C3%9Fe/wheels' --project
says "$program" index add drive 'C:wheels' --project
says "$program" index add top '\Größe\wheels' --project
holds "folders are found by address, from a drive and from its top" test "$(grep -c 'at = "wheels"' pyproject.toml)" = 3
file=.jar/Lib/site-packages/brixmeter/__init__.py
for_windows build -o "$C/hold.exe" "$here/hold.go"
wine 'C:\hold.exe' "${file//\//\\}" </dev/null >"$T/holder" 2>&1 &
holder=$!
for _ in $(seq 50); do grep -q open "$T/holder" && break; sleep 0.2; done
says "$program" uninstall brixmeter --yes
holds "a file that another program has open is named" has '.jar\Lib\site-packages\brixmeter\__init__.py: '
holds "with what helps" has 'another program has that file open'
wait $holder
says "$program" check
holds "and nothing was changed" has 'nothing wrong'
deep=$(printf 'x%.0s' {1..120})
mkdir -p "$C/$deep/$deep"
cd "$C/$deep/$deep" || exit 2
says "$program" create
holds "no jar is made where Windows starts no program" has 'Windows starts none of more than 259'
cd "$C/work" || exit 2

says "$program" clone .jar 'C:\other place' --yes
holds "a jar is cloned" ends 0
says "$program" discard .jar --yes
holds "a jar is discarded" ends 0
says "$program" discard --undo
holds "and comes back" test -d .jar
says "$program" label
holds "both labels are told" has 'the same on every system'

# A Python that was not installed: python.exe at some depth of an archive.
archive=cpython-3.12.4-x86_64-pc-windows-msvc.zip
(cd "$T" && rm -rf tools && cp -r "$python" tools && python3 -c "import shutil; shutil.make_archive('${archive%.zip}', 'zip', '.', 'tools')" && cp "$archive" "$C/")
says "$program" pythons fetch "C:\\$archive" --sha256 "$(sha256sum "$C/$archive" | cut -d' ' -f1)"
holds "a Python is fetched out of an archive" has 'CPython 3.12.4  cpython-3.12.4-'
fetched=$(cd "$C" && find . -path '*store/pythons/*/python.exe' | sed 's#^\./##; s#/#\\#g')
mkdir -p "$C/fetched"
cd "$C/fetched" || exit 2
says "$program" create --python "C:\\$fetched"
says "$program" run python one
holds "and is a jar's" has '"prefix":"C:\\fetched\\.jar"'
says "$program" pythons list
holds "and is listed so" has 'used by fetched'
says "$program" pythons drop 3.12 --yes
holds "and goes again" test ! -e "$C/${fetched//\\//}"
cd "$C/work" || exit 2

# Commands are lent as launchers, which follow their jar; a script has a jar of its own.
says "$program" lend press-schedule --new --yes
holds "a command is lent" has 'lent'
lent=$(find "$C/users" -path '*glassjar/commands/press-schedule.exe' | head -1)
says "$lent" one "two words" --exit 6
holds "and starts in its jar" ends 6
says "$program" shelf rename press-schedule press
says "$lent" one "two words"
holds "and follows it" has 'shelf\\press\\Scripts\\launch\\press-schedule","one","two words"'
says "$program" lend --back press
holds "and is taken back" test ! -e "$lent"
printf '# /// script\r\n# dependencies = ["must-core"]\r\n# ///\r\n' >tally.py
says "$program" run tally.py a "b c"
holds "a script is run in its own jar" has '"tally.py","a","b c"'
says "$program" run --plus orchard-map -- python one
holds "a throwaway jar is made, and its Python starts" has 'once.new-'
holds "and is gone" test -z "$(find "$C/users" -name 'once.new-*')"

# Interrupts are Python's business: the launcher stays until it has ended. Who ends the launcher
# ends its Python, and not what that started.
mkdir -p "$C/interrupts/base" "$C/interrupts/jar/Scripts"
for_windows build -o "$C/interrupts/base/python.exe" "$here/interrupted.go"
for_windows build -o "$C/interrupts/interrupt.exe" "$here/interrupt.go"
cp "$C/work/.jar/Scripts/python.exe" "$C/interrupts/jar/Scripts/"
printf 'base-executable = C:\\interrupts\\base\\python.exe\r\n' >"$C/interrupts/jar/pyvenv.cfg"
cd "$C/interrupts" || exit 2
# Wine sends no interrupts without a terminal.
said=$(timeout 60 script -qc "wine interrupt.exe interrupt 'jar\\Scripts\\python.exe'" /dev/null 2>&1 | tr -d '\r')
holds "Python is interrupted" has 'cleaned up'
holds "and the launcher waits for it" has 'ended with 7 after more than a second: true'
says interrupt.exe kill 'jar\Scripts\python.exe' serve 'C:\interrupts\served'
sleep 5
holds "a server outlives the launcher" test -e "$C/interrupts/served"
holds "its Python does not" test "$(pgrep -f 'base.python.exe serve' | wc -l)" = 0
cd "$C/work" || exit 2

# Whatever stands in a path, nothing of it is a command.
for folder in 'plain' 'a&echo PWNED&b' 'Prog (x86)'; do
    mkdir -p "$C/enter/$folder"
    cd "$C/enter/$folder" || exit 2
    says "$program" create -q
    printf 'echo IN [%%VIRTUAL_ENV%%]\r\npython hello\r\ncall deactivate\r\necho OUT [%%VIRTUAL_ENV%%]\r\nexit\r\n' >"$C/enter/typed"
    said=$(timeout 60 wine cmd /c 'C:\glassjar.exe enter' <"$C/enter/typed" 2>&1 | tr -d '\r')
    holds "enter in $folder" has "IN [C:\\enter\\$folder\\.jar]"
    holds "its Python in $folder" has '"hello"'
    holds "deactivate in a command file, in $folder" has 'OUT [%VIRTUAL_ENV%]'
    if [[ $(grep -c '^PWNED' <<<"$said") != 0 ]]; then holds "no command in $folder" false; fi
done
wineserver -k
told "under Wine"
