package measure

import (
	"errors"
	"fmt"
	"time"

	"github.com/jezek/xgb"
	"github.com/jezek/xgb/xproto"
	"golang.org/x/sys/unix"
)

// windowWatch waits for the first window of a process to appear on an X server, Xwayland included.
type windowWatch struct {
	x       *xgb.Conn
	root    xproto.Window
	pid     xproto.Atom
	reached chan time.Time
}

// watchWindows starts to listen to an X server, before the process is started.
func watchWindows() (*windowWatch, error) {
	x, err := display()
	if err != nil {
		return nil, fmt.Errorf(
			"an X server is needed, and none can be reached; under Wayland, Xwayland is one: %w", err,
		)
	}
	w := &windowWatch{x: x, root: xproto.Setup(x).DefaultScreen(x).Root, reached: make(chan time.Time, 1)}
	name := "_NET_WM_PID"
	atom, err := xproto.InternAtom(x, false, uint16(len(name)), name).Reply()
	if err == nil {
		w.pid = atom.Atom
		err = xproto.ChangeWindowAttributesChecked(
			x, w.root, xproto.CwEventMask, []uint32{xproto.EventMaskSubstructureNotify},
		).Check()
	}
	if err != nil {
		x.Close()
		return nil, fmt.Errorf("listening to the X server: %w", err)
	}
	return w, nil
}

// follow reports when a window of the process group appears. It ends when the watch is closed.
func (w *windowWatch) follow(group int) {
	seen := map[xproto.Window]bool{}
	for {
		event, fault := w.x.WaitForEvent()
		at := time.Now()
		if event == nil && fault == nil { // closed
			return
		}
		switch e := event.(type) {
		case xproto.CreateNotifyEvent:
			if !e.OverrideRedirect && e.Parent == w.root {
				seen[e.Window] = true
				// Once a window manager has put it into a frame, the root window reports nothing about it.
				xproto.ChangeWindowAttributes(
					w.x, e.Window, xproto.CwEventMask, []uint32{xproto.EventMaskStructureNotify},
				)
			}
		case xproto.DestroyNotifyEvent:
			delete(seen, e.Window)
		case xproto.MapNotifyEvent, xproto.ReparentNotifyEvent:
			for window := range seen {
				if w.appeared(window, group) {
					w.reached <- at
					return
				}
			}
		}
	}
}

// appeared reports whether a window is visible and belongs to a process group.
func (w *windowWatch) appeared(window xproto.Window, group int) bool {
	attributes, err := xproto.GetWindowAttributes(w.x, window).Reply()
	if err != nil || attributes.MapState != xproto.MapStateViewable ||
		attributes.Class != xproto.WindowClassInputOutput {
		return false
	}
	owner, err := xproto.GetProperty(w.x, false, window, w.pid, xproto.AtomCardinal, 0, 1).Reply()
	if err != nil || owner.Format != 32 || len(owner.Value) < 4 {
		return false
	}
	of, err := unix.Getpgid(int(xgb.Get32(owner.Value)))
	return err == nil && of == group
}

func (w *windowWatch) close() { w.x.Close() }

var errNoWindow = errors.New("no window of it appeared on the X server; native Wayland windows cannot be seen")
