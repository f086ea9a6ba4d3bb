package jar

// launcherProgram is the program that starts a script's text, or the jar's Python: launcher/launcher.c
// for this machine. One that is windowed opens no console.
func launcherProgram(windowed bool) ([]byte, error) {
	if windowed {
		return withoutConsole(consoleLauncher), nil
	}
	return consoleLauncher, nil
}

// Launcher is the program that starts what the text beside it names (launcher/launcher.c).
func Launcher(windowed bool) ([]byte, error) { return launcherProgram(windowed) }
