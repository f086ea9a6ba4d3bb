package jar

import _ "embed"

//go:embed launcher/launcher-arm64.exe.xz
var packedLauncher []byte
