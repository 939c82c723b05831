package measure

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"dappertally/internal/shell"
	"dappertally/internal/wholefile"
)

// Again is the command that continues a bench after a restart of the machine.
type Again struct {
	Args     []string // the program, by its absolute path, and its arguments
	Folder   string   // its working folder
	Log      string   // the file that its output is appended to
	Graphics bool     // it needs a graphical session
}

// StartEntry is where a machine stores what it starts automatically.
type StartEntry struct {
	Root string // "/", or a folder with the same structure
	Home string // home folder of the person who measures; empty: there is none
}

// The names of the entries: a unit of systemd, which needs root, and a desktop entry for a session's autostart.
const (
	unitName    = "dtally-measure.service"
	unitFile    = "etc/systemd/system/" + unitName
	wantedFile  = "etc/systemd/system/multi-user.target.wants/" + unitName
	desktopFile = ".config/autostart/dtally-measure.desktop"
)

func (s StartEntry) unit() string    { return filepath.Join(s.Root, unitFile) }
func (s StartEntry) wanted() string  { return filepath.Join(s.Root, wantedFile) }
func (s StartEntry) session() string { return filepath.Join(s.Home, desktopFile) }

// Write makes the machine run a command once after its next start, and returns the file of that entry. It fails if
// the machine has no such place, or this person cannot write there.
func (s StartEntry) Write(a Again) (file string, err error) {
	_, noSystemd := os.Stat(filepath.Join(s.Root, "run/systemd/system"))
	switch {
	case !a.Graphics && noSystemd == nil && os.Geteuid() == 0:
		return s.unit(), s.writeUnit(a)
	case s.Home != "" && (a.Graphics || noSystemd == nil):
		return s.session(), s.writeSession(a)
	}
	return "", errors.New(
		"nothing can start automatically here: that needs systemd and root, or a desktop session; " +
			"restart by hand, without --restart",
	)
}

func (s StartEntry) writeUnit(a Again) error {
	var unit strings.Builder
	fmt.Fprintf(&unit, "# Written by dtally measure --restart, which removes it when it runs.\n")
	fmt.Fprintf(&unit, "[Unit]\n"+
		"Description=dtally measure continues after a restart\n"+
		"After=multi-user.target\n\n")
	fmt.Fprintf(&unit, "[Service]\nType=exec\nWorkingDirectory=%s\nExecStart=", percents(a.Folder))
	for i, arg := range a.Args {
		if i > 0 {
			unit.WriteByte(' ')
		}
		unit.WriteString(strings.ReplaceAll(quotedForUnit(arg), "$", "$$"))
	}
	unit.WriteByte('\n')
	for _, name := range []string{"HOME", "USER", "LOGNAME", "LANG", "PATH", "XDG_CONFIG_HOME"} {
		if value, ok := os.LookupEnv(name); ok {
			fmt.Fprintf(&unit, "Environment=%s\n", quotedForUnit(name+"="+value))
		}
	}
	fmt.Fprintf(&unit, "StandardOutput=append:%s\nStandardError=append:%s\n", percents(a.Log), percents(a.Log))
	if err := writeEntry(s.unit(), unit.String()); err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(s.wanted()), 0o755); err != nil {
		return err
	}
	if err := os.Symlink("/"+unitFile, s.wanted()); err != nil && !errors.Is(err, os.ErrExist) {
		return err
	}
	return nil
}

func (s StartEntry) writeSession(a Again) error {
	line := fmt.Sprintf(
		"cd %s && exec %s >>%s 2>&1",
		shell.Quoted(a.Folder),
		shell.Line(a.Args...),
		shell.Quoted(a.Log),
	)
	return writeEntry(s.session(), "[Desktop Entry]\n"+
		"Type=Application\n"+
		"Name=dtally measure continues after a restart\n"+
		"Exec=sh -c "+quotedForDesktop(line)+"\n"+
		"Terminal=false\n")
}

func writeEntry(file, text string) error {
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return err
	}
	return wholefile.Write(file, func(w io.Writer) error {
		_, err := io.WriteString(w, text)
		return err
	})
}

// Remove removes the entry, and returns its file; empty if there was none.
func (s StartEntry) Remove() (file string, err error) {
	for _, name := range []string{s.wanted(), s.unit(), s.session()} {
		switch gone := os.Remove(name); {
		case gone == nil:
			file = name
		case !errors.Is(gone, os.ErrNotExist):
			err = errors.Join(err, gone)
		}
	}
	return file, err
}

// Restart restarts the machine.
func Restart(ctx context.Context) error {
	var says bytes.Buffer
	cmd := exec.CommandContext(ctx, "systemctl", "reboot")
	cmd.Stdout, cmd.Stderr = &says, &says
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("systemctl reboot: %w: %s", err, strings.TrimSpace(says.String()))
	}
	return nil
}

func percents(text string) string { return strings.ReplaceAll(text, "%", "%%") }

// quotedForUnit quotes a text for a unit of systemd (systemd.syntax(7)).
func quotedForUnit(text string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\n", `\n`, "\t", `\t`).Replace(percents(text)) + `"`
}

// quotedForDesktop quotes an argument for the key Exec of a desktop entry, and then escapes it like every text of
// such a file.
func quotedForDesktop(text string) string {
	quoted := strings.NewReplacer(`\`, `\\`, `"`, `\"`, "`", "\\`", "$", `\$`).Replace(percents(text))
	return `"` + strings.NewReplacer(`\`, `\\`, "\n", `\n`, "\t", `\t`).Replace(quoted) + `"`
}
