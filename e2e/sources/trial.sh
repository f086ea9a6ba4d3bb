#!/bin/sh
# Builds the sources of list.txt with real interpreters, and writes a table of what came of
# it: trial.sh WORK PYTHON...
# WORK is a folder that keeps what was fetched. The program is $GLASSJAR, or what is found.
set -eu
here=$(cd "$(dirname "$0")" && pwd)
work=$1
shift
g=${GLASSJAR:-glassjar}
mkdir -p "$work/sources" "$work/index" "$work/out"
list() { grep -v '^#' "$here/list.txt"; }
"$here/fetch.sh" "$work/sources" $(list | cut -d' ' -f1) >"$work/out/missing"
[ -f "$work/index/done" ] || "$here/backends.sh" "$work/index"
touch "$work/index/done"
# As an index names them: Debian's names of archives are its own.
list | while read -r source name module; do
    for file in "$work/sources/$source"_*.orig.tar.*; do
        [ -f "$file" ] || continue
        version=$(basename "$file" | sed 's/^[^_]*_//; s/\.orig\.tar\..*//; s/+.*//; s/~.*//')
        ln -sf "$file" "$work/index/$(echo "$name" | tr '-' '_')-$version.tar.${file##*.}"
    done
done
export HOME="$work/home"
mkdir -p "$HOME"
"$g" index add sources "$work/index" --quiet
"$g" settings build-consent $(list | cut -d' ' -f2) --quiet
{
    printf '| distribution |'
    for python; do printf ' %s |' "$python"; done
    printf '\n| --- |'
    for python; do printf ' --- |'; done
    printf '\n'
} >"$work/out/table.md"
list | while read -r source name module; do
    if grep -qx "$source" "$work/out/missing"; then
        continue
    fi
    row="| $name |"
    for python; do
        dir="$work/jars/$name-$python"
        rm -rf "$dir"
        mkdir -p "$dir"
        cd "$dir"
        printf '[project]\nname = "trial"\nversion = "0"\nrequires-python = ">=3.8"\n[tool.glassjar]\ntargets = ["linux-x86_64"]\n' >pyproject.toml
        log="$work/out/$name-$python.log"
        start=$(date +%s%N)
        if ! "$g" create --python "$python" --quiet >"$log" 2>&1; then
            row="$row no such Python |"
        elif ! "$g" install "$name" </dev/null >>"$log" 2>&1; then
            why=$(sed -n 's/.*and \([^ ]*\) is not to be had.*/no \1/p' "$log" | head -1)
            row="$row ${why:-$(sed -n 's/^  - //p' "$log" | grep -v '^|\|^room' | head -1 | cut -c1-60 | tr '|' '/')} |"
        elif "$g" run python -c "import $module" >>"$log" 2>&1; then
            row="$row $(($(date +%s%N) / 100000000 - start / 100000000))00 ms |"
        else
            row="$row built; $(tail -1 "$log" | cut -c1-60 | tr '|' '/') |"
        fi
        cd "$work"
    done
    echo "$row"
    echo "$row" >>"$work/out/table.md"
done
