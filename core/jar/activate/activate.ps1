# Makes this shell use the jar that holds this file:
#     . .jar/@SCRIPTS@/activate.ps1
# and back again: deactivate

if (Test-Path function:global:deactivate) { deactivate }

function global:deactivate {
    # What else was done to PATH meanwhile stays.
    $separator = [System.IO.Path]::PathSeparator
    $env:PATH = ($env:PATH -split [regex]::Escape($separator) | Where-Object { $_ -ne $global:_glassjar_bin }) -join $separator
    if ($null -ne $global:_glassjar_home) { $env:PYTHONHOME = $global:_glassjar_home }
    if (Test-Path function:global:_glassjar_prompt) {
        Copy-Item function:global:_glassjar_prompt function:global:prompt
        Remove-Item function:global:_glassjar_prompt
    }
    Remove-Item env:VIRTUAL_ENV, env:VIRTUAL_ENV_PROMPT -ErrorAction SilentlyContinue
    Remove-Variable _glassjar_bin, _glassjar_home -Scope Global -ErrorAction SilentlyContinue
    Remove-Item function:global:deactivate
}

# Where it is read and not run, it has no place of its own.
$here = if ($PSScriptRoot) { $PSScriptRoot } else { Split-Path -LiteralPath $env:GLASSJAR_ENTER }
Remove-Item env:GLASSJAR_ENTER -ErrorAction SilentlyContinue
$env:VIRTUAL_ENV = (Get-Item -LiteralPath $here).Parent.FullName
$env:VIRTUAL_ENV_PROMPT = (Get-Content -LiteralPath (Join-Path $env:VIRTUAL_ENV "pyvenv.cfg") | Where-Object { $_ -like "prompt = *" }) -replace "^prompt = ", ""
$global:_glassjar_bin = $here
$global:_glassjar_home = $env:PYTHONHOME
$env:PATH = $here + [System.IO.Path]::PathSeparator + $env:PATH
Remove-Item env:PYTHONHOME -ErrorAction SilentlyContinue
if (Test-Path function:prompt) {
    Copy-Item function:prompt function:global:_glassjar_prompt
    function global:prompt { "<$env:VIRTUAL_ENV_PROMPT> " + (_glassjar_prompt) }
}
