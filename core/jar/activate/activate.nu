# Makes this shell use the jar that holds this file:
#     overlay use .jar/@SCRIPTS@/activate.nu
# and back again: deactivate

const here = path self

export-env {
    let root = ($here | path dirname | path dirname)
    let said = (open --raw ($root | path join "pyvenv.cfg") | lines | where {|l| $l starts-with "prompt = "} | get 0? | default "prompt = jar")
    let name = ($said | str replace "prompt = " "")
    let key = (if "Path" in $env { "Path" } else { "PATH" })
    let path = ($env | get $key)
    let list = (if ($path | describe) == "string" { $path | split row (char esep) } else { $path })
    load-env ({VIRTUAL_ENV: $root, VIRTUAL_ENV_PROMPT: $name} | insert $key ($list | prepend ($root | path join "@SCRIPTS@")))
    # Empty counts as unset for Python, and comes back when the overlay goes.
    if "PYTHONHOME" in $env { load-env {PYTHONHOME: ""} }
    let before = ($env.PROMPT_COMMAND? | default {|| pwd})
    $env.PROMPT_COMMAND = {|| $"<($name)> (if ($before | describe) == 'closure' { do $before } else { $before })" }
}

export alias deactivate = overlay hide activate
