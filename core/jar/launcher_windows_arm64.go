package jar

import _ "embed"

//go:embed launcher/console-arm64.exe.gz
var packedConsole []byte

//go:embed launcher/windowed-arm64.exe.gz
var packedWindowed []byte
