#!/bin/sh
# Fetches real archives of source from Debian's source packages into a folder:
#   fetch.sh FOLDER NAME...
# The system's own list of package servers is copied, with the sources asked for too; what
# is signed there is what is trusted. Only the .orig archives are kept: what the authors
# published. Prints the names that could not be had.
set -eu
to=$1
shift
mkdir -p "$to/apt/lists/partial" "$to/apt/archives/partial" "$to/apt/parts"
: >"$to/apt/status"
# Either form of the list may be there.
for list in /etc/apt/sources.list /etc/apt/sources.list.d/*.list; do
    [ -f "$list" ] && sed -n 's/^deb /deb-src /p' "$list"
done >"$to/apt/parts/copy.list"
for list in /etc/apt/sources.list.d/*.sources; do
    [ -f "$list" ] && sed 's/^Types:.*/Types: deb-src/' "$list" && echo
done >"$to/apt/parts/copy.sources"
apt() {
    apt-get -qq -o Dir::Etc::SourceList=/dev/null -o Dir::Etc::SourceParts="$to/apt/parts" -o Dir::State::Lists="$to/apt/lists" \
        -o Dir::Cache="$to/apt" -o Dir::Cache::Archives="$to/apt/archives" -o APT::Sandbox::User=root "$@"
}
apt update
cd "$to"
for name; do
    # The rest of a source package may be gone where the archive is not.
    ls "$name"_*.orig.tar.* >/dev/null 2>&1 || apt source --download-only "$name" >/dev/null 2>&1 || true
    ls "$name"_*.orig.tar.* >/dev/null 2>&1 || echo "$name"
done
