package cli

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"

	"github.com/spf13/cobra"

	"glassjar/cli/wire"
	"glassjar/core/interpreter/portable"
	"glassjar/core/operation"
	"glassjar/sample"
)

func (a *app) demoCommand() *cobra.Command {
	var keep bool
	cmd := &cobra.Command{
		Use: "demo", GroupID: "keep", Short: "the whole story on the sample, in a temporary folder",
		Long: `Plays the whole story on the built-in sample, in a temporary folder and without
a network: each command as you would type it, and its true output.`,
		Example: "  glassjar demo\n  glassjar demo --keep",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			d, err := a.newDemo(cmd.Context())
			if err != nil {
				return err
			}
			if keep {
				defer func() { a.screen.Say("\nthe folder stays: %s", d.top) }()
			} else {
				defer os.RemoveAll(d.top)
			}
			err = d.play()
			if err == nil && a.json {
				a.screen.Data(wire.DemoResult{Steps: d.steps, Folder: d.top, Kept: keep})
			}
			return err
		},
	}
	cmd.Flags().BoolVar(&keep, "keep", false, "leave the folder, to look into it")
	return cmd
}

// demo plays commands in a folder of its own; store, shelf and settings are in
// it too, so that nothing of the user's is touched.
type demo struct {
	app          *app
	ctx          context.Context
	top, dir     string
	self, python string
	env          []string
	steps        []wire.DemoStep
}

func (a *app) newDemo(ctx context.Context) (*demo, error) {
	d := &demo{app: a, ctx: ctx}
	var err error
	if d.self, err = operation.OwnProgram(); err != nil {
		return nil, err
	}
	if d.python, err = a.machine.DefaultPython(ctx); err != nil {
		return nil, err
	}
	if d.top, err = os.MkdirTemp("", "glassjar-demo-"); err != nil {
		return nil, err
	}
	// On some systems the temporary folder is a link, and jars name real paths.
	if d.top, err = filepath.EvalSymlinks(d.top); err != nil {
		return nil, err
	}
	d.dir = d.top
	for _, v := range os.Environ() {
		name, _, _ := strings.Cut(v, "=")
		switch name {
		case "VIRTUAL_ENV", "GLASSJAR_HOME", "PYTHONPATH", "PYTHONHOME":
		default:
			d.env = append(d.env, v)
		}
	}
	d.env = append(d.env, "GLASSJAR_HOME="+filepath.Join(d.top, ".glassjar"), "PYTHONDONTWRITEBYTECODE=1")
	return d, d.unpack(sample.Projects(), "")
}

// unpack writes sample projects below the demo's folder.
func (d *demo) unpack(from fs.FS, into string) error {
	return fs.WalkDir(from, ".", func(path string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		target := filepath.Join(d.top, into, filepath.FromSlash(path))
		if e.IsDir() {
			return os.MkdirAll(target, 0o755)
		}
		data, err := fs.ReadFile(from, path)
		if err != nil {
			return err
		}
		return os.WriteFile(target, data, 0o644)
	})
}

// play tells the story. A command that does not end as it should ends it.
func (d *demo) play() error {
	for _, step := range []func() error{d.pressHouse, d.survey, d.outsideAndInside, d.mistakes, d.source, d.teammate, d.otherPython, d.end} {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

func (d *demo) pressHouse() error {
	d.tell("The press house has an old schedule, which wants brixmeter 1. It gets a jar, and\nwhat comes into it is written down at the same moment.")
	return d.do("cd press-house", "glassjar create", "glassjar install press-schedule", "glassjar run press-schedule")
}

func (d *demo) survey() error {
	d.tell("The survey of the orchard needs brixmeter 2. It has a jar of its own, so the\ntwo do not get in each other's way.")
	return d.do("cd ../orchard-survey", "glassjar create", "glassjar install sugar-curve", "glassjar contents", "glassjar run walk.py")
}

func (d *demo) outsideAndInside() error {
	d.tell("Outside of a jar the same import fails: nothing was installed anywhere else.")
	if err := d.fails(`python3 -c "import brixmeter"`); err != nil {
		return err
	}
	d.tell("Inside it works, in each project with its own version.")
	return d.do(`glassjar run python -c "import brixmeter; print(brixmeter.__version__)"`, "cd ../press-house",
		`glassjar run python -c "import brixmeter; print(brixmeter.__version__)"`, "glassjar record")
}

func (d *demo) mistakes() error {
	d.tell("An import fails, since its distribution has another name. The reason is told,\nand the command that mends it.")
	if err := d.fails("glassjar diagnose scionbook"); err != nil {
		return err
	}
	if err := d.do("glassjar install graft-notes", "glassjar why graft-notes"); err != nil {
		return err
	}
	d.tell("It was not needed after all. Every change is a state, and one goes back to any.")
	return d.do("glassjar history", "glassjar rewind", "glassjar check")
}

func (d *demo) source() error {
	d.tell("Some packages are published as source only. To make a wheel of one runs its code,\nso that it needs a yes; it happens in a closed room.")
	if err := d.fails("glassjar install pomace-compost"); err != nil {
		return err
	}
	return d.do("glassjar install pomace-compost --build pomace-compost", `glassjar run python -c "import pomace_compost; print(pomace_compost.weeks(200), 'weeks')"`,
		"glassjar uninstall pomace-compost")
}

func (d *demo) teammate() error {
	d.tell("A teammate has the project's files in another folder, and makes the same jar\nfrom the record. The labels prove it: they are equal only for equal contents.")
	if err := d.copyProject("press-house", "teammate"); err != nil {
		return err
	}
	before := len(d.steps)
	if err := d.do("glassjar label", "cd ../teammate", "glassjar recreate", "glassjar label"); err != nil {
		return err
	}
	ours, theirs := strings.Fields(d.steps[before].Output), strings.Fields(d.steps[len(d.steps)-1].Output)
	if len(ours) < 2 || len(theirs) < 2 || ours[1] != theirs[1] {
		return fmt.Errorf("the labels differ: %v and %v", ours, theirs)
	}
	return nil
}

// otherPython packs the Python of the demo, and makes a jar of what is fetched back. Where it
// cannot be packed, the rest is left out.
func (d *demo) otherPython() error {
	if runtime.GOOS != "linux" {
		return nil
	}
	d.tell("A Python that a machine lacks is fetched from wherever somebody put it, into the store\nalone. Here it is packed first, out of the one that the jars above have.")
	packed, err := d.run("glassjar pythons pack " + d.python + " --to ../pythons")
	if err != nil {
		return err
	}
	words := strings.Fields(packed.Output)
	if packed.Exit != 0 || len(words) < 2 {
		d.tell("This one cannot be packed: the rest of this step is left out.")
		return nil
	}
	name, ok := portable.Parse(filepath.Base(words[1]))
	if !ok {
		return fmt.Errorf("%s is no name of a Python", words[1])
	}
	if err := d.do("glassjar index add pythons ../pythons --holds pythons", "glassjar pythons fetch "+name.Version.String(), "cd ../orchard-survey", "glassjar discard .jar"); err != nil {
		return err
	}
	all, err := filepath.Glob(filepath.Join(d.top, ".glassjar", "store", "pythons", "*", "bin", "python"))
	if err != nil || len(all) != 1 {
		return fmt.Errorf("%d Pythons were fetched, and not one: %v", len(all), err)
	}
	return d.do("glassjar recreate --python "+all[0], `glassjar run python -c "import sys; print(sys.base_prefix)"`, "glassjar run walk.py", "cd ../teammate")
}

func (d *demo) end() error {
	d.tell("A jar is never precious: it goes, and the record brings it back.")
	if err := d.do("glassjar discard .jar", "glassjar recreate --quiet", "glassjar here", "glassjar shelf"); err != nil {
		return err
	}
	d.tell("Now yours: stand in a folder of your own, and type")
	for _, line := range []string{"glassjar create", "glassjar index add public ADDRESS     # once: where packages come from", "glassjar install NAME"} {
		d.app.screen.Say("  %s", line)
	}
	return nil
}

// copyProject copies what version control would hold: all but the jar.
func (d *demo) copyProject(from, to string) error {
	entries, err := os.ReadDir(filepath.Join(d.top, from))
	if err != nil {
		return err
	}
	if err := os.Mkdir(filepath.Join(d.top, to), 0o755); err != nil {
		return err
	}
	for _, e := range entries {
		if e.IsDir() {
			continue
		}
		data, err := os.ReadFile(filepath.Join(d.top, from, e.Name()))
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(d.top, to, e.Name()), data, 0o644); err != nil {
			return err
		}
	}
	d.app.screen.Say("$ git clone press-house teammate   # here: a copy of its files")
	return nil
}

func (d *demo) tell(text string) {
	lines := strings.Split(text, "\n")
	d.app.screen.Say("")
	for _, l := range lines {
		d.app.screen.Say("# %s", l)
	}
}

func (d *demo) do(lines ...string) error {
	for _, line := range lines {
		step, err := d.run(line)
		if err != nil {
			return err
		}
		if step.Exit != 0 {
			return fmt.Errorf("%s ended with %d: %s", line, step.Exit, step.Output)
		}
	}
	return nil
}

func (d *demo) fails(line string) error {
	step, err := d.run(line)
	if err == nil && step.Exit == 0 {
		err = fmt.Errorf("%s did not fail: %s", line, step.Output)
	}
	return err
}

// run types one line and prints what comes back.
func (d *demo) run(line string) (wire.DemoStep, error) {
	d.app.screen.Say("$ %s", line)
	words := splitLine(line)
	step := wire.DemoStep{Command: line}
	if words[0] == "cd" {
		d.dir = filepath.Join(d.dir, words[1])
		d.steps = append(d.steps, step)
		return step, nil
	}
	program := map[string]string{"glassjar": d.self, "python3": d.python}[words[0]]
	cmd := exec.CommandContext(d.ctx, program, words[1:]...)
	cmd.Dir, cmd.Env = d.dir, d.env
	out, err := cmd.CombinedOutput()
	if _, failed := err.(*exec.ExitError); err != nil && !failed {
		return step, err
	}
	step.Output, step.Exit = strings.TrimRight(string(out), "\n"), cmd.ProcessState.ExitCode()
	if step.Output != "" {
		d.app.screen.Say("%s", step.Output)
	}
	d.steps = append(d.steps, step)
	return step, d.ctx.Err()
}

// splitLine splits at blanks outside of double quotes: all the demo types.
func splitLine(line string) []string {
	var words []string
	for i, part := range strings.Split(line, `"`) {
		if i%2 == 1 {
			words = append(words, part)
		} else {
			words = append(words, strings.Fields(part)...)
		}
	}
	return words
}
