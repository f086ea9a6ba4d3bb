#!/bin/bash
# The unit tests of every package of the core under Wine. Last line: how many packages pass.
set -u
cd "$(dirname "$0")/../.." || exit 2
. e2e/wine/setup.sh
passed=0 all=0
for dir in $(find core cli sample -name '*_test.go' -printf '%h\n' | sort -u); do
    all=$((all + 1))
    for_windows test -c -o "$T/test.exe" "./$dir" || continue
    (cd "$dir" && timeout 300 wine "$T/test.exe" -test.v </dev/null) >"$T/log" 2>&1
    code=$?
    if [ $code = 0 ]; then
        passed=$((passed + 1))
    else
        echo "$dir: exit $code, $(grep -c -- '^--- PASS' "$T/log") passed; failed: $(grep -- '^--- FAIL' "$T/log" | awk '{print $3}' | tr '\n' ' ')"
        cp "$T/log" "$T/log-$(echo "$dir" | tr / -)"
    fi
done
wineserver -k
echo "$passed of $all packages pass"
[ $passed = $all ]
