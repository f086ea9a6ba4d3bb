#!/bin/bash
# The ordinary story of the program on arm64, under emulation, with Debian's Python of that
# processor, in a world from nothing. Ends with how many steps hold.
set -u
cd "$(dirname "$0")/../.." || exit 2
. e2e/arm64/setup.sh
. e2e/steps.sh
for_arm64 build -trimpath -ldflags "-s -w" -o "$R/usr/bin/glassjar" ./cmd/glassjar || exit 2

# says COMMAND... runs a command in the project's folder; what it said and its exit code are kept.
says() {
    said=$(within /work timeout 120 "$@" 2>&1 </dev/null)
    code=$?
}

says glassjar version
holds "the program is of this processor" has linux/arm64
says glassjar demo
holds "the demo runs" ends 0
says glassjar create
holds "a jar is made with Debian's Python" has /usr/bin/python3
says glassjar install press-schedule orchard-map --yes
holds "packages are installed" has '5 added'
says glassjar run python -c 'import platform, sys; print(platform.machine(), sys.prefix)'
holds "the jar's Python runs" has 'aarch64 /work/.jar'
says .jar/bin/press-schedule
holds "a script runs by its path" ends 0
says glassjar run python -c 'import sys; sys.exit(7)'
holds "exit codes come back" ends 7
says glassjar here
holds "what is in effect is told" has 'in step with spec and jar'
says glassjar contents
holds "what was asked for is told" has 'asked for'
says glassjar check
holds "check finds nothing" has 'nothing wrong'
says grep -c aarch64 pylock.toml
holds "the record serves this processor and others" ends 0
says sh -c 'was=$(glassjar label) && mv .jar gone && glassjar recreate --yes && [ "$(glassjar label)" = "$was" ]'
holds "a jar that is made again is the same" ends 0
says glassjar seal press.zip
holds "it is sealed" ends 0
says glassjar seal press.zip --check
holds "and what is sealed is whole" ends 0
says glassjar clone .jar scratch
holds "it is cloned" ends 0
says glassjar --jar scratch run python -c 'import brixmeter'
holds "the clone works" ends 0
says glassjar shelf
holds "the shelf has both" has scratch
says glassjar uninstall orchard-map --yes
holds "packages are taken out" ends 0
says glassjar rewind --yes
holds "and come back" ends 0
printf '# /// script\n# dependencies = ["brixmeter"]\n# ///\nimport brixmeter\nprint("pressed")\n' >"$R/work/tally.py"
says glassjar run tally.py
holds "a script that says what it needs runs" has pressed
says glassjar discard scratch --yes
holds "a jar is discarded" ends 0
says glassjar store verify
holds "the store is as it was written" ends 0

told "on arm64"
