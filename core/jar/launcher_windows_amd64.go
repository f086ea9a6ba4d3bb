package jar

import _ "embed"

//go:embed launcher/console-amd64.exe.xz
var packedConsole []byte

//go:embed launcher/windowed-amd64.exe.xz
var packedWindowed []byte
