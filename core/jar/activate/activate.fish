# Makes this shell use the jar that holds this file:
#     source .jar/@SCRIPTS@/activate.fish
# and back again: deactivate

functions -q deactivate; and deactivate

function deactivate -d "Leave the jar"
    # What else was done to PATH meanwhile stays.
    set -l rest
    for dir in $PATH
        test "$dir" = "$_glassjar_bin"; or set -a rest $dir
    end
    set -gx PATH $rest
    if set -q _glassjar_home
        set -gx PYTHONHOME $_glassjar_home
    end
    if functions -q _glassjar_prompt
        functions -e fish_prompt
        functions -c _glassjar_prompt fish_prompt
        functions -e _glassjar_prompt
    end
    set -e VIRTUAL_ENV
    set -e VIRTUAL_ENV_PROMPT
    set -e _glassjar_bin
    set -e _glassjar_home
    functions -e deactivate
end

set -gx VIRTUAL_ENV (command realpath (dirname (status filename))/..)
set -gx VIRTUAL_ENV_PROMPT (string replace -f -r '^prompt = ' '' < $VIRTUAL_ENV/pyvenv.cfg | head -n 1 | string replace -a -r '[^\w. -]' '-')
set -g _glassjar_bin $VIRTUAL_ENV/@SCRIPTS@
test "$PATH[1]" = "$_glassjar_bin"; or set -gx PATH $_glassjar_bin $PATH
if set -q PYTHONHOME
    set -g _glassjar_home $PYTHONHOME
    set -e PYTHONHOME
end
if functions -q fish_prompt
    functions -c fish_prompt _glassjar_prompt
    function fish_prompt
        set -l _glassjar_last $status
        printf '<%s> ' $VIRTUAL_ENV_PROMPT
        # What the prompt tells of the last command is to stay true.
        sh -c "exit $_glassjar_last"
        _glassjar_prompt
    end
end
