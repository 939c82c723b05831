package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/internal/measure"
	"dappertally/internal/slip"
	"dappertally/internal/wholefile"
)

// beforeRestart is how long a restart of the machine can still be stopped.
const beforeRestart = 5 * time.Second

// entry returns the folder for programs that this machine starts automatically.
func (f *measureFlags) entry() measure.StartEntry {
	home, err := os.UserHomeDir()
	if err != nil {
		home = ""
	}
	return measure.StartEntry{Root: f.machine.Root, Home: home}
}

// beside returns the path of a file next to the journal, with another extension.
func (f *measureFlags) beside(ending string) string {
	return strings.TrimSuffix(f.journal, filepath.Ext(f.journal)) + ending
}

// goOnAfterRestart makes the machine continue the bench after its next start, and restarts it. A start in which
// nothing was run does not lead to another.
func (f *measureFlags) goOnAfterRestart(cmd *cobra.Command, sheet *measure.Sheet, b *measure.Bench) error {
	all := b.Journal.Entries
	if len(all) == 0 || all[len(all)-1].Boot != f.machine.Boot() {
		return errors.New("no run was possible in this start of the machine, so another start would not help")
	}
	a, err := f.again(sheet, b)
	if err != nil {
		return err
	}
	file, err := f.entry().Write(a)
	if err != nil {
		return err
	}
	how := ""
	if a.Graphics {
		how = " when somebody signs in"
	}
	fmt.Fprintf(
		cmd.ErrOrStderr(),
		"The machine restarts in %s and continues%s by %s; its output goes to %s. Ctrl+C cancels the "+
			"restart.\n",
		beforeRestart,
		how,
		file,
		a.Log,
	)
	select {
	case <-cmd.Context().Done():
		err = errors.New("stopped before the restart; continue with --resume")
	case <-time.After(beforeRestart):
		err = measure.Restart(cmd.Context())
	}
	if err != nil {
		_, left := f.entry().Remove()
		return errors.Join(err, left)
	}
	return nil
}

// again returns this command as it continues after a restart, with a run sheet of its own: there may be no network
// then.
func (f *measureFlags) again(sheet *measure.Sheet, b *measure.Bench) (a measure.Again, err error) {
	if a.Folder, err = os.Getwd(); err != nil {
		return a, err
	}
	program, err := os.Executable()
	if err != nil {
		return a, err
	}
	if f.sheet == "" {
		f.sheet = f.beside(".sheet")
		if err := wholefile.Write(f.sheet, func(w io.Writer) error { return sheet.Write(w, f.kit) }); err != nil {
			return a, err
		}
	}
	if a.Log, err = filepath.Abs(f.beside(".log")); err != nil {
		return a, err
	}
	a.Args = []string{program, "measure"}
	for _, t := range b.Tasks {
		a.Args = append(a.Args, t.Criterion.Key)
		a.Graphics = a.Graphics || t.Criterion.Procedure.Requires(checklist.NeedsGraphics)
	}
	a.Args = append(
		a.Args, "--resume", "--restart", "--yes", "--sheet", f.sheet, "--rig", f.rig, "--journal", f.journal,
		"--slip", f.slip, "--root", f.machine.Root, "--rest", f.rest.String(),
	)
	if f.machine.Scratch != "" {
		a.Args = append(a.Args, "--scratch", f.machine.Scratch)
	}
	return a, nil
}

// tellOfEntry adds a system state to a slip, which records that the machine started the measurement automatically.
func (f *measureFlags) tellOfEntry(x *slip.Slip, j *measure.Journal) {
	if f.started == "" {
		return
	}
	at := j.Entries[len(j.Entries)-1].At.Truncate(time.Second)
	key := "measured-" + uuid.NewSHA1(readingSpace, fmt.Appendf(nil, "%d %s", j.Header.Seed, j.Header.Began)).String()[:8]
	x.States = append(x.States, slip.State{
		Key: key, At: at, Rig: j.Header.Rig, Phase: j.Header.Phase, Facts: map[string]any{},
		Note: "restarted by dtally measure, which the machine started automatically: " + f.started + ", removed since",
	})
	for i := range x.Readings {
		x.Readings[i].State = key
	}
}
