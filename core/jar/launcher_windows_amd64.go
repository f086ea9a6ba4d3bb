package jar

import _ "embed"

//go:embed launcher/launcher-amd64.exe
var consoleLauncher []byte
