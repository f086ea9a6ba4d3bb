#!/bin/bash
# Under Wine, the unit tests of the packages of the core that have to do with the system; with
# --all those of every package. What cannot hold there is in named.txt, with its reason. Last
# line: how many packages pass.
set -u
cd "$(dirname "$0")/../.." || exit 2
. e2e/wine/setup.sh
packages="atomicfile durable interpreter lock place shelf shell settings store apply fetch index catalog wheel operation jar"
packages=$(printf 'core/%s\n' $packages)
if [ "${1-}" = --all ]; then
    packages=$(find core cli sample -name '*_test.go' -printf '%h\n' | sort -u)
fi
passed=0 all=0
for dir in $packages; do
    all=$((all + 1))
    for_windows test -c -o "$T/test.exe" "./$dir" || continue
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
