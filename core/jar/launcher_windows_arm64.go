package jar

import _ "embed"

//go:embed launcher/console-arm64.exe.xz
var packedConsole []byte

//go:embed launcher/windowed-arm64.exe.xz
var packedWindowed []byte
