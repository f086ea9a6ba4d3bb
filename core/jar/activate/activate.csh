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
    setenv _GLASSJAR_SH 'IFS=; set -f; sed -n s/^prompt\ =\ //p $VIRTUAL_ENV/pyvenv.cfg'
    setenv VIRTUAL_ENV_PROMPT "`printenv _GLASSJAR_SH | sh`"
    set _glassjar_path = "$PATH"
    setenv PATH "${VIRTUAL_ENV}/@SCRIPTS@:${PATH}"
    set _glassjar_had = 0
    set _glassjar_home = ""
    if ($?PYTHONHOME) then
        set _glassjar_had = 1
        set _glassjar_home = "$PYTHONHOME"
        unsetenv PYTHONHOME
    endif
    set _glassjar_prompt = ""
    if ($?prompt) then
        set _glassjar_prompt = "$prompt:q"
        set prompt = "<${VIRTUAL_ENV_PROMPT}> $prompt:q"
    endif
    alias deactivate 'setenv PATH "$_glassjar_path"; if ($_glassjar_had) setenv PYTHONHOME "$_glassjar_home"; if ($?prompt) set prompt = "$_glassjar_prompt:q"; unset _glassjar_path _glassjar_had _glassjar_home _glassjar_prompt; unsetenv VIRTUAL_ENV; unsetenv VIRTUAL_ENV_PROMPT; rehash; unalias deactivate'
    rehash
endif
unset _glassjar_root _glassjar_said
unsetenv _GLASSJAR_SH
