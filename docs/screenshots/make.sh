#!/usr/bin/env bash
# Makes the pictures of this folder anew, from the sample: a real terminal on a
# virtual screen. Needs Xvfb, xterm, ImageMagick, chromium and Go.
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd)
work=/tmp/orchard # it stands in some pictures
rm -rf "$work"
mkdir "$work"
trap 'kill $screen 2>/dev/null || :; rm -rf "$work"' EXIT
(cd "$here/../.." && CGO_ENABLED=0 go build -o "$work/bin/glassjar" ./cmd/glassjar)
cp -r "$here/../../sample/projects" "$work/projects"
# The system's own Python is used: its place is the same on most machines.
export PATH="$work/bin:/usr/bin:/bin" HOME="$work/home"
mkdir "$HOME"
unset "${!GLASSJAR@}" "${!PYTHON@}" "${!XDG@}" VIRTUAL_ENV
Xvfb :87 -screen 0 1280x800x24 >/dev/null 2>&1 &
screen=$!
export DISPLAY=:87
sleep 1

# shot NAME FOLDER COMMANDS [ANSWER]: types the commands, one a line, and the answer to what
# is asked, and takes the picture when all have ended.
shot() {
    local name=$1 folder=$2 script=$work/script run=(bash "$work/script")
    [ -z "${4:-}" ] || run=(sh -c "(sleep 2; echo '$4'; sleep 40) | script -qec 'stty rows 38 cols 104; bash $work/script' /dev/null")
    {
        echo "cd '$work/projects/$folder'"
        echo 'printf "\033[2J\033[H"'
        while IFS= read -r line; do
            [ -n "$line" ] || continue
            printf 'printf "\\033[36m$\\033[0m %%s\\n" %q\n%s\n' "$line" "$line"
        done <<<"$3"
        echo "touch '$work/ended'; sleep 30"
    } >"$script"
    rm -f "$work/ended"
    xterm -geometry 104x38+0+0 -fa 'DejaVu Sans Mono' -fs 14 -bg '#14181c' -fg '#d8dee4' -b 18 +sb -e "${run[@]}" &
    local terminal=$!
    for _ in $(seq 200); do [ -e "$work/ended" ] && break; sleep 0.1; done
    sleep 0.7
    import -window root "$work/shot.png"
    kill $terminal 2>/dev/null || { echo "$name: the terminal has ended early" >&2; exit 1; }
    mv "$work/shot.png" "$here/$name.png"
    wait $terminal 2>/dev/null || :
}

# report FOLDER: the pages of a jar and of all jars, side by side, in a browser without a window.
report() {
    (cd "$work/projects/$1" && glassjar report --quiet --to "$work/report.html" && glassjar report --shelf --quiet --to "$work/shelf.html")
    for page in report shelf; do
        chromium --headless --no-sandbox --disable-gpu --hide-scrollbars --user-data-dir="$work/browser" --virtual-time-budget=5000 --window-size=1100,1500 \
            --screenshot="$work/$page.png" "file://$work/$page.html" >/dev/null 2>&1
    done
    convert "$work/report.png" "$work/shelf.png" +append "$here/report.png"
}

quiet() { (cd "$work/projects/$1" && shift && "$@" >/dev/null 2>&1) || :; }
. "$here/shots.sh"
