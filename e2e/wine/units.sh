#!/bin/bash
# Under Wine, the unit tests of every package of the core; with --all those of the interface and
# the sample too. What cannot hold there is in named.txt, with its reason.
set -u
cd "$(dirname "$0")/../.." || exit 2
. e2e/wine/setup.sh
. e2e/units.sh
built=$T/test.exe
build() { for_windows test -c -o "$built" "./$1"; }
started() { (cd "$1" && timeout 400 wine "$built" "${@:2}"); }
where=core
[ "${1-}" != --all ] || where="core cli sample"
units "under Wine" e2e/wine/named.txt $(find $where -name '*_test.go' -printf '%h\n' | sort -u)
passed=$?
wineserver -k
exit $passed
