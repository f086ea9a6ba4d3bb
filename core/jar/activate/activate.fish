# Makes this shell use the jar that holds this file:
#     source .jar/@SCRIPTS@/activate.fish
# and back again: deactivate

functions -q deactivate; and deactivate

function deactivate -d "Leave the jar"
    set -gx PATH $_glassjar_path
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
    set -e _glassjar_path
    set -e _glassjar_home
    functions -e deactivate
end

set -gx VIRTUAL_ENV (realpath (dirname (status filename))/..)
set -gx VIRTUAL_ENV_PROMPT (string replace -f -r '^prompt = ' '' < $VIRTUAL_ENV/pyvenv.cfg)
set -g _glassjar_path $PATH
set -gx PATH $VIRTUAL_ENV/@SCRIPTS@ $PATH
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
