# Makes this shell use the jar that holds this file:
#     . .jar/@SCRIPTS@/activate
# and back again: deactivate

if [ "$(command -v deactivate)" = deactivate ]; then
    deactivate
fi

if [ -n "${BASH_VERSION:-}" ]; then
    _glassjar_at=${BASH_SOURCE:-}
elif [ -n "${ZSH_VERSION:-}" ]; then
    eval '_glassjar_at=${(%):-%x}'
elif [ -n "${GLASSJAR_ACTIVATE:-}" ]; then
    _glassjar_at=$GLASSJAR_ACTIVATE
else
    # Other shells do not say which file they are reading, but hold it open.
    _glassjar_at=
    for _glassjar_fd in /proc/$$/fd/*; do
        _glassjar_file=$(readlink "$_glassjar_fd" 2>/dev/null) || continue
        case $_glassjar_file in */@SCRIPTS@/activate) _glassjar_at=$_glassjar_file ;; esac
    done
    unset _glassjar_fd _glassjar_file
fi
_glassjar_at=$(cd -- "$(dirname -- "$_glassjar_at")/.." 2>/dev/null && pwd -P) || _glassjar_at=

if [ -z "$_glassjar_at" ] || [ ! -f "$_glassjar_at/pyvenv.cfg" ]; then
    echo "glassjar: cannot tell where this jar is in this shell" >&2
    echo "try: GLASSJAR_ACTIVATE=/path/to/.jar/@SCRIPTS@/activate, then source it again" >&2
    unset _glassjar_at
else
    deactivate() {
        PATH=$_glassjar_path
        export PATH
        if [ -n "${_glassjar_home+set}" ]; then
            PYTHONHOME=$_glassjar_home
            export PYTHONHOME
        fi
        if [ -n "${_glassjar_ps1+set}" ]; then
            PS1=$_glassjar_ps1
        fi
        unset VIRTUAL_ENV VIRTUAL_ENV_PROMPT _glassjar_path _glassjar_home _glassjar_ps1
        unset -f deactivate
        hash -r 2>/dev/null || :
    }

    VIRTUAL_ENV=$_glassjar_at
    export VIRTUAL_ENV
    unset _glassjar_at
    VIRTUAL_ENV_PROMPT=$(sed -n 's/^prompt = //p' "$VIRTUAL_ENV/pyvenv.cfg")
    export VIRTUAL_ENV_PROMPT
    _glassjar_path=$PATH
    PATH=$VIRTUAL_ENV/@SCRIPTS@:$PATH
    export PATH
    if [ -n "${PYTHONHOME+set}" ]; then
        _glassjar_home=$PYTHONHOME
        unset PYTHONHOME
    fi
    if [ -n "${PS1+set}" ]; then
        _glassjar_ps1=$PS1
        PS1="<$VIRTUAL_ENV_PROMPT> $PS1"
    fi
    hash -r 2>/dev/null || :
fi
