package jar

import _ "embed"

//go:embed launcher/launcher-arm64.exe
var consoleLauncher []byte
