package cli

import "os"

// endSignal ends a command: Windows has no other.
var endSignal = os.Kill
