package jar

import _ "embed"

//go:embed launcher/console-amd64.exe.gz
var packedConsole []byte

//go:embed launcher/windowed-amd64.exe.gz
var packedWindowed []byte
