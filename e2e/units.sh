# Sourced. units WHERE NAMED PACKAGE... runs the unit tests of packages on another system, but for
# those that the file NAMED leaves out with their reasons, and tells how many packages pass; it
# fails where not all do. Who calls it has made build DIR, which makes the program $built of a
# package's tests, and started DIR ARGUMENT..., which runs that in its folder.
units() {
    local where=$1 named=$2 dir skip code passed=0 all=0
    for dir in "${@:3}"; do
        rm -f "$built"
        all=$((all + 1))
        build "$dir" >"$T/log" 2>&1 || { cat "$T/log"; continue; }
        # Tests of what there is on other systems only make no program.
        [ -e "$built" ] || { all=$((all - 1)); continue; }
        skip=$(sed -n "s#^$dir \\([A-Za-z0-9]*\\):.*#^\\1\$#p" "$named" | paste -sd '|')
        started "$dir" -test.v ${skip:+"-test.skip=$skip"} </dev/null >"$T/log" 2>&1
        code=$?
        if [ $code = 0 ]; then
            passed=$((passed + 1))
        else
            echo "$dir: exit $code; failed: $(grep -- '^--- FAIL' "$T/log" | awk '{print $3}' | tr '\n' ' ')"
            grep -E 'Error:|_test.go:' "$T/log" | head -6
        fi
    done
    echo "$passed of $all packages pass $where"
    [ "$passed" = "$all" ]
}
