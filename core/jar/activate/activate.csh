# Makes this shell use the jar that holds this file:
#     source .jar/@SCRIPTS@/activate.csh
# and back again: deactivate

set _glassjar_said = ($_)
if ($?_glassjar_path) then
    deactivate
endif

# At a prompt the shell tells the line that it is reading. In a script it does
# not, but holds the file open. Paths go to sh by the environment: no blank in
# them is lost on the way.
setenv _GLASSJAR_AT ""
if ($#_glassjar_said >= 2) then
    setenv _GLASSJAR_AT "$_glassjar_said[2-]"
endif
if ($?GLASSJAR_ACTIVATE) then
    setenv _GLASSJAR_AT "$GLASSJAR_ACTIVATE"
endif
setenv _GLASSJAR_PID $$
setenv _GLASSJAR_SH 'IFS=; set -f; at=$_GLASSJAR_AT; if [ x$at = x ] || [ ! -f $at ]; then set +f; at=; for fd in /proc/$_GLASSJAR_PID/fd/*; do to=$(readlink $fd); case $to in */@SCRIPTS@/activate.csh) at=$to;; esac; done; set -f; fi; [ x$at != x ] && cd -- ${at%/*}/.. 2>/dev/null && [ -f pyvenv.cfg ] && pwd -P'
set _glassjar_root = "`printenv _GLASSJAR_SH | sh`"
unsetenv _GLASSJAR_AT
unsetenv _GLASSJAR_PID

if ("$_glassjar_root" == "") then
    sh -c 'echo "glassjar: cannot tell where this jar is in this shell" >&2; echo "try: setenv GLASSJAR_ACTIVATE /path/to/.jar/@SCRIPTS@/activate.csh, then source it again" >&2'
else
    setenv VIRTUAL_ENV "$_glassjar_root"
    setenv _GLASSJAR_SH 'IFS=; set -f; sed -n s/^prompt\ =\ //p $VIRTUAL_ENV/pyvenv.cfg | sed -e s/[^[:alnum:]_.\ -]/-/g -e q'
    setenv VIRTUAL_ENV_PROMPT "`printenv _GLASSJAR_SH | sh`"
    set _glassjar_path = "$VIRTUAL_ENV/@SCRIPTS@"
    setenv PATH "${VIRTUAL_ENV}/@SCRIPTS@:${PATH}"
    set _glassjar_had = 0
    set _glassjar_home = ""
    if ($?PYTHONHOME) then
        set _glassjar_had = 1
        set _glassjar_home = "$PYTHONHOME"
        unsetenv PYTHONHOME
    endif
    # What else was done to PATH meanwhile stays. A theme may set the prompt anew each
    # time, by the alias precmd: then the sign is put before it each time.
    set _glassjar_drop = 'IFS=; set -f; p=:$PATH:; while :; do case $p in *:$_GLASSJAR_BIN:*) p=${p%%:$_GLASSJAR_BIN:*}:${p#*:$_GLASSJAR_BIN:};; *) break;; esac; done; p=${p#:}; printf %s ${p%:}'
    set _glassjar_strip = 'IFS=; set -f; printf %s "${_GLASSJAR_PROMPT#"$_GLASSJAR_SIGN"}"'
    set _glassjar_precmd = "`alias precmd`"
    alias _glassjar_unsign ':'
    if ($?prompt) then
        alias _glassjar_unsign 'setenv _GLASSJAR_SIGN "<${VIRTUAL_ENV_PROMPT}> "; setenv _GLASSJAR_PROMPT "$prompt:q"; setenv _GLASSJAR_SH "$_glassjar_strip:q"; set prompt = "`printenv _GLASSJAR_SH | sh`"; unsetenv _GLASSJAR_SIGN; unsetenv _GLASSJAR_PROMPT'
        set prompt = "<${VIRTUAL_ENV_PROMPT}> $prompt:q"
        alias _glassjar_sign '@ _glassjar_shown = ("$prompt:q" =~ "<${VIRTUAL_ENV_PROMPT}> *"); if ($_glassjar_shown == 0) set prompt = "<${VIRTUAL_ENV_PROMPT}> $prompt:q"'
        if ("$_glassjar_precmd:q" != "") alias precmd "$_glassjar_precmd:q ; _glassjar_sign"
    endif
    alias deactivate 'setenv _GLASSJAR_BIN "$_glassjar_path"; setenv _GLASSJAR_SH "$_glassjar_drop:q"; setenv PATH "`printenv _GLASSJAR_SH | sh`"; unsetenv _GLASSJAR_BIN; if ($_glassjar_had) setenv PYTHONHOME "$_glassjar_home"; _glassjar_unsign; if ("$_glassjar_precmd:q" != "") alias precmd "$_glassjar_precmd:q"; unset _glassjar_path _glassjar_had _glassjar_home _glassjar_drop _glassjar_strip _glassjar_precmd; unsetenv _GLASSJAR_SH; unsetenv VIRTUAL_ENV; unsetenv VIRTUAL_ENV_PROMPT; rehash; unalias _glassjar_sign; unalias _glassjar_unsign; unalias deactivate'
    rehash
endif
unset _glassjar_root _glassjar_said
unsetenv _GLASSJAR_SH
