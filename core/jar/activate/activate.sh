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
unset GLASSJAR_ACTIVATE
# Another shell finds the folder: here cd may be a function, print, or look elsewhere.
_glassjar_at=$(_GLASSJAR_AT=$_glassjar_at CDPATH= BASH_ENV= ENV= command sh -c 'cd -- "$(dirname -- "$_GLASSJAR_AT")/.." 2>/dev/null && pwd -P') || _glassjar_at=

if [ -z "$_glassjar_at" ] || [ ! -f "$_glassjar_at/pyvenv.cfg" ]; then
    echo "glassjar: cannot tell where this jar is in this shell" >&2
    echo "try: GLASSJAR_ACTIVATE=/path/to/.jar/@SCRIPTS@/activate, then source it again" >&2
    unset _glassjar_at
else
    # What else was done to PATH and to the prompt meanwhile stays.
    deactivate() {
        _glassjar_rest=:$PATH:
        while :; do
            case $_glassjar_rest in
            *":$_glassjar_bin:"*) _glassjar_rest=${_glassjar_rest%%":$_glassjar_bin:"*}:${_glassjar_rest#*":$_glassjar_bin:"} ;;
            *) break ;;
            esac
        done
        _glassjar_rest=${_glassjar_rest#:}
        PATH=${_glassjar_rest%:}
        export PATH
        if [ -n "${_glassjar_home+set}" ]; then
            PYTHONHOME=$_glassjar_home
            export PYTHONHOME
        fi
        case ${PS1-} in "<$VIRTUAL_ENV_PROMPT> "*) PS1=${PS1#"<$VIRTUAL_ENV_PROMPT> "} ;; esac
        _glassjar_sign() { return "$?"; }
        if [ -n "${BASH_VERSION:-}" ] && [ -n "${PROMPT_COMMAND-}" ]; then
            PROMPT_COMMAND=${PROMPT_COMMAND%_glassjar_sign}
            PROMPT_COMMAND=${PROMPT_COMMAND%; }
        elif [ -n "${ZSH_VERSION:-}" ] && [ -n "${PS1+set}" ]; then
            add-zsh-hook -d precmd _glassjar_sign
        fi
        unset VIRTUAL_ENV VIRTUAL_ENV_PROMPT _glassjar_bin _glassjar_home _glassjar_rest
        unset -f deactivate
        hash -r 2>/dev/null || :
    }

    VIRTUAL_ENV=$_glassjar_at
    export VIRTUAL_ENV
    unset _glassjar_at
    # Shells evaluate what stands in a prompt.
    VIRTUAL_ENV_PROMPT=$(command sed -n '/^prompt = /{s///;s/[^[:alnum:]_. -]/-/g;p;q;}' "$VIRTUAL_ENV/pyvenv.cfg")
    export VIRTUAL_ENV_PROMPT
    _glassjar_bin=$VIRTUAL_ENV/@SCRIPTS@
    case $PATH in "$_glassjar_bin:"*) ;; *) PATH=$_glassjar_bin:$PATH ;; esac
    export PATH
    if [ -n "${PYTHONHOME+set}" ]; then
        _glassjar_home=$PYTHONHOME
        unset PYTHONHOME
    fi
    if [ -n "${PS1+set}" ]; then
        # Themes set the prompt anew each time: so the sign is put before it each time.
        _glassjar_sign() {
            _glassjar_last=$?
            case $PS1 in "<$VIRTUAL_ENV_PROMPT> "*) ;; *) PS1="<$VIRTUAL_ENV_PROMPT> $PS1" ;; esac
            return "$_glassjar_last"
        }
        _glassjar_sign || :
        if [ -n "${BASH_VERSION:-}" ]; then
            if [ -n "${PROMPT_COMMAND-}" ] && eval '[ "${#PROMPT_COMMAND[@]}" -gt 1 ]'; then
                eval 'PROMPT_COMMAND+=(_glassjar_sign)'
            else
                PROMPT_COMMAND=${PROMPT_COMMAND:+$PROMPT_COMMAND; }_glassjar_sign
            fi
        elif [ -n "${ZSH_VERSION:-}" ]; then
            autoload -Uz add-zsh-hook
            add-zsh-hook precmd _glassjar_sign
        fi
    fi
    hash -r 2>/dev/null || :
fi
