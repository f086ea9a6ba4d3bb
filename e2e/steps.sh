# Sourced. The steps of a story: who tells it sets $said and $code, what a command said and its
# exit code.
held=0 steps=0 said='' code=0

# holds WHAT CONDITION... tells whether a step holds.
holds() {
    steps=$((steps + 1))
    if "${@:2}"; then
        held=$((held + 1))
    else
        echo "does not hold: $1"
        echo "$said" | sed 's/^/    /' | head -12
    fi
}
has() { [[ $said == *"$1"* ]]; }
ends() { [ "$code" = "$1" ]; }

# told WHERE tells how many steps hold; it fails where not all do.
told() {
    echo "$held of $steps steps hold $1"
    [ "$held" = "$steps" ]
}
