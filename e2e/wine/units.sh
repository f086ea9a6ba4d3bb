#!/bin/bash
# Under Wine, the unit tests of every package of the core; with --all those of the interface and
# the sample too. What cannot hold there is in named.txt, with its reason. Last line: how many
# packages pass.
set -u
cd "$(dirname "$0")/../.." || exit 2
. e2e/wine/setup.sh
where=core
[ "${1-}" != --all ] || where="core cli sample"
packages=$(find $where -name '*_test.go' -printf '%h\n' | sort -u)
passed=0 all=0
for dir in $packages; do
    all=$((all + 1))
    rm -f "$T/test.exe"
    for_windows test -c -o "$T/test.exe" "./$dir" >"$T/log" 2>&1 || { cat "$T/log"; continue; }
    # Tests of what there is on other systems only make no program.
    [ -e "$T/test.exe" ] || { all=$((all - 1)); continue; }
    skip=$(sed -n "s#^$dir \\([A-Za-z0-9]*\\):.*#^\\1\$#p" e2e/wine/named.txt | paste -sd '|')
    (cd "$dir" && timeout 400 wine "$T/test.exe" -test.v ${skip:+"-test.skip=$skip"} </dev/null) >"$T/log" 2>&1
    code=$?
    if [ $code = 0 ]; then
        passed=$((passed + 1))
    else
        echo "$dir: exit $code; failed: $(grep -- '^--- FAIL' "$T/log" | awk '{print $3}' | tr '\n' ' ')"
        grep -E 'Error:|_test.go:' "$T/log" | head -6
    fi
done
wineserver -k
echo "$passed of $all packages pass under Wine"
[ $passed = $all ]
