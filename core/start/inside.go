package start

import "os"

// Inside is what a command finds around it in a jar.
type Inside struct {
	// Jar and Bin are the jar's folder and that of its programs; Prompt is the jar's
	// name in prompts.
	Jar, Bin, Prompt string
	// SealedOff shuts out what Python takes from elsewhere: PYTHONPATH, and the user's own
	// packages.
	SealedOff bool
	// Libraries are folders in which the system's loader is to look as well.
	Libraries []string
}

// Environment is an environment, NAME=VALUE each, as activation would make it.
func (in Inside) Environment(environ []string) []string {
	env := make([]string, 0, len(environ)+5)
	if in.SealedOff {
		env = append(env, "PYTHONNOUSERSITE=1")
	}
	path := ""
	for _, v := range environ {
		name, value := cut(v)
		switch upper(name) {
		case "PATH":
			path = string(os.PathListSeparator) + value
		case "VIRTUAL_ENV", "VIRTUAL_ENV_PROMPT", "PYTHONHOME":
		case "PYTHONPATH", "PYTHONNOUSERSITE", "PYTHONUSERBASE", "PYTHONSTARTUP":
			if !in.SealedOff {
				env = append(env, v)
			}
		default:
			env = append(env, v)
		}
	}
	if path == string(os.PathListSeparator) {
		path = ""
	}
	return append(in.withLibraries(env), "PATH="+in.Bin+path, "VIRTUAL_ENV="+in.Jar, "VIRTUAL_ENV_PROMPT="+in.Prompt)
}

// withLibraries has the system's loader look in further folders, after those of the shell.
func (in Inside) withLibraries(env []string) []string {
	more := ""
	for _, dir := range in.Libraries {
		more += ":" + dir
	}
	if more == "" {
		return env
	}
	for i, v := range env {
		if name, value := cut(v); name == "LD_LIBRARY_PATH" && value != "" {
			env[i] = v + more
			return env
		}
	}
	return append(env, "LD_LIBRARY_PATH="+more[1:])
}

// upper is a variable's name as systems that know no case have it.
func upper(name string) string {
	b := []byte(name)
	for i, c := range b {
		if c >= 'a' && c <= 'z' {
			b[i] = c - 'a' + 'A'
		}
	}
	return string(b)
}

// Find is the path of a program in a jar's folder of programs, or empty. A name with a
// folder in it is not looked for.
func Find(bin, name string) string {
	for i := range len(name) {
		if name[i] == '/' || name[i] == '\\' {
			return ""
		}
	}
	for _, ending := range endings {
		file := bin + string(os.PathSeparator) + name + ending
		if info, err := os.Stat(file); err == nil && info.Mode().IsRegular() && (len(endings) > 1 || info.Mode()&0o111 != 0) {
			return file
		}
	}
	return ""
}

// onPath is the path of a program in the folders of PATH, or empty. Behind a folder that depends on
// where one stands nothing is looked for: whether that is wanted the whole program decides.
func onPath(environ []string, name string) string {
	path := ""
	for _, v := range environ {
		if n, value := cut(v); n == "PATH" {
			path = value
		}
	}
	for from := 0; from < len(path); {
		to := from
		for to < len(path) && path[to] != os.PathListSeparator {
			to++
		}
		if path[from] != '/' {
			return ""
		}
		if file := Find(path[from:to], name); file != "" {
			return file
		}
		from = to + 1
	}
	return ""
}
