package measure

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jezek/xgb"
	"github.com/jezek/xgb/xproto"

	"dappertally/core/checklist"
)

// TestMain acts as a program that opens a window if a test starts this program as one.
func TestMain(m *testing.M) {
	if after := os.Getenv("TEST_OPENS_WINDOW_AFTER"); after != "" {
		openWindow(after)
	}
	os.Exit(m.Run())
}

// openWindow opens a hidden helper of one pixel at once, as toolkits do, and its window after a while.
func openWindow(after string) {
	pause, err := time.ParseDuration(after)
	if err != nil {
		panic(err)
	}
	x, err := xgb.NewConn()
	if err != nil {
		panic(err)
	}
	screen := xproto.Setup(x).DefaultScreen(x)
	open := func() xproto.Window {
		window, err := xproto.NewWindowId(x)
		if err != nil {
			panic(err)
		}
		xproto.CreateWindow(x, screen.RootDepth, window, screen.Root, 0, 0, 200, 100, 0, xproto.WindowClassInputOutput,
			screen.RootVisual, 0, nil)
		name := "_NET_WM_PID"
		atom, err := xproto.InternAtom(x, false, uint16(len(name)), name).Reply()
		if err != nil {
			panic(err)
		}
		pid := make([]byte, 4)
		xgb.Put32(pid, uint32(os.Getpid()))
		xproto.ChangeProperty(x, xproto.PropModeReplace, window, atom.Atom, xproto.AtomCardinal, 32, 1, pid)
		return window
	}
	open() // is never shown
	time.Sleep(pause)
	xproto.MapWindow(x, open())
	x.Sync()
	time.Sleep(time.Minute) // it is ended from outside
}

// xServer starts an X server without a screen, and makes this process use it.
func xServer(t *testing.T) {
	t.Helper()
	server, err := exec.LookPath("Xvfb")
	if err != nil {
		t.Fatal("Xvfb is missing; on Debian: apt-get install xvfb")
	}
	read, write, err := os.Pipe()
	if err != nil {
		t.Fatal(err)
	}
	var says bytes.Buffer
	x := exec.Command(server, "-displayfd", "3", "-screen", "0", "1280x800x24", "-nolisten", "tcp")
	x.ExtraFiles, x.Stderr = []*os.File{write}, &says
	if err := x.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = x.Process.Kill()
		_ = x.Wait()
	})
	write.Close()
	number := make([]byte, 16)
	n, err := read.Read(number)
	if err != nil {
		t.Fatalf("Xvfb did not start: %v: %s", err, says.String())
	}
	t.Setenv("DISPLAY", ":"+strings.TrimSpace(string(number[:n])))
}

// TestWindow measures the time until a window of the program appears; the program is then ended.
func TestWindow(t *testing.T) {
	xServer(t)
	if says := (Machine{Root: "/"}).screen(); !strings.HasPrefix(says, "1280x800") {
		t.Errorf("the screen is %q", says)
	}
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	of := func(key, line string, more checklist.Procedure) *checklist.Criterion {
		more.Read = checklist.Read{Figure: checklist.WindowTime}
		more.Sampling = checklist.Sampling{Least: 2, Most: 2}
		return criterion(key, line, more)
	}
	m := machine(t)
	b := bench(t, m, filepath.Join(m.Root, "journal"),
		of("opens", self, checklist.Procedure{Environment: map[string]string{"TEST_OPENS_WINDOW_AFTER": "300ms"}}),
		of("by-a-child", "sleep 0.2; "+self+" & wait", checklist.Procedure{
			Environment: map[string]string{"TEST_OPENS_WINDOW_AFTER": "10ms"},
		}),
		of("ends", "sleep 0.01", checklist.Procedure{}),
		of("never", "sleep 60", checklist.Procedure{Limit: 0.3}))
	b.Tasks[1].Rules, b.Tasks[0].Rules = nil, nil // the tests keep this machine busy
	// Windows of other programs do not count.
	other := exec.Command(self)
	other.Env = append(os.Environ(), "TEST_OPENS_WINDOW_AFTER=50ms")
	if err := other.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() {
		_ = other.Process.Kill()
		_ = other.Wait()
	}()
	if err := b.Run(t.Context()); err != nil {
		t.Fatal(err)
	}
	for i, least := range []float64{0.3, 0.2} {
		task := b.Tasks[i]
		if len(task.Values) != 2 {
			t.Fatalf("%s: %v, failed: %v", task.Criterion.Key, task.Values, task.Failures)
		}
		for _, v := range task.Values {
			if v < least || v > least+2 {
				t.Errorf("%s: a window after %v s", task.Criterion.Key, v)
			}
		}
	}
	for _, task := range b.Tasks[2:] {
		if !strings.Contains(task.GivenUp, "no window of it appeared") {
			t.Errorf("%s: %+v", task.Criterion.Key, task)
		}
	}
	t.Setenv("DISPLAY", ":987")
	if _, err := watchWindows(); err == nil || !strings.Contains(err.Error(), "Xwayland") {
		t.Errorf("without an X server: %v", err)
	}
}
