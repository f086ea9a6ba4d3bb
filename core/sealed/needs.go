package sealed

import (
	"context"
	"fmt"
	"strings"

	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/project"
	"glassjar/core/source"
)

// LackingError says that a wheel which was built on another machine needs what this one
// lacks: its tag promises nothing.
type LackingError struct {
	Name string
	// Lacking are shared libraries, and versions of the C library such as GLIBC_2.36.
	Lacking []string
}

func (e *LackingError) Error() string {
	return e.Name + " was built on a machine that has " + strings.Join(e.Lacking, ", ")
}

// CheckNeeds compares what a wheel needs that was built elsewhere with what is here.
func CheckNeeds(ctx context.Context, record *project.Record, f index.File, in interpreter.Interpreter) error {
	for _, one := range record.Built {
		if one.Wheel != f.Name || one.Wheel == "" || in.OS() != "linux" {
			continue
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		e := &LackingError{Name: one.Name}
		for _, name := range one.Libraries {
			var major, minor int
			if n, _ := fmt.Sscanf(name, "GLIBC_%d.%d", &major, &minor); n == 2 {
				if in.Libc == "glibc" && (in.LibcMajor > major || in.LibcMajor == major && in.LibcMinor >= minor) {
					continue
				}
			} else if source.HasLibrary(name) {
				continue
			}
			e.Lacking = append(e.Lacking, name)
		}
		if len(e.Lacking) > 0 {
			return e
		}
	}
	return nil
}
