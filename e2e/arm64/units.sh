#!/bin/bash
# On arm64, under emulation, the unit tests of every package of the core. What cannot hold there
# is in named.txt, with its reason. Last line: how many packages pass.
set -u
cd "$(dirname "$0")/../.." || exit 2
. e2e/arm64/setup.sh
git ls-files core sample | tar -c -T - | tar -x -C "$R/src"
passed=0 all=0
for dir in $(git ls-files 'core/*_test.go' | xargs -n1 dirname | sort -u); do
    all=$((all + 1))
    for_arm64 test -c -o "$R/src/test" "./$dir" || continue
    skip=$(sed -n "s#^$dir \\([A-Za-z0-9]*\\):.*#^\\1\$#p" e2e/arm64/named.txt | paste -sd '|')
    within "/src/$dir" timeout 600 /src/test -test.v ${skip:+"-test.skip=$skip"} </dev/null >"$T/log" 2>&1
    code=$?
    if [ $code = 0 ]; then
        passed=$((passed + 1))
    else
        echo "$dir: exit $code; failed: $(grep -- '^--- FAIL' "$T/log" | awk '{print $3}' | tr '\n' ' ')"
        grep -E 'Error:|_test.go:' "$T/log" | head -6
    fi
done
echo "$passed of $all packages pass on arm64"
[ "$passed" = "$all" ]
