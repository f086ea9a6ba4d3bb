#!/bin/bash
# On arm64, under emulation, the unit tests of every package of the core. What cannot hold there
# is in named.txt, with its reason.
set -u
cd "$(dirname "$0")/../.." || exit 2
. e2e/arm64/setup.sh
. e2e/units.sh
git ls-files core sample | tar -c -T - | tar -x -C "$R/src"
built=$R/src/test
build() { for_arm64 test -c -o "$built" "./$1"; }
started() { within "/src/$1" timeout 600 /src/test "${@:2}"; }
units "on arm64" e2e/arm64/named.txt $(git ls-files 'core/*_test.go' | xargs -n1 dirname | sort -u)
