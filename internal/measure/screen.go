package measure

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"github.com/jezek/xgb"
	"github.com/jezek/xgb/randr"
	"github.com/jezek/xgb/xproto"
)

// screen returns the size and refresh rate of the screens, such as "1920x1080 at 60.00 Hz": from the X server, or
// else the sizes from the kernel. It is empty if neither is available.
func (m Machine) screen() string {
	if says := screenOfX(); says != "" {
		return says
	}
	var found []string
	for _, file := range m.glob("sys/class/drm/card*-*/enabled") {
		if m.text(file) == "enabled" {
			mode, _, _ := strings.Cut(m.text(filepath.Dir(file)+"/modes"), "\n")
			if mode != "" {
				found = append(found, mode)
			}
		}
	}
	return strings.Join(found, " and ")
}

// display connects to the X server of the environment.
func display() (*xgb.Conn, error) {
	quiet()
	return xgb.NewConn()
}

// quiet keeps the library from writing to standard error.
var quiet = sync.OnceFunc(func() { xgb.Logger.SetOutput(io.Discard) })

func screenOfX() string {
	if os.Getenv("DISPLAY") == "" {
		return ""
	}
	x, err := display()
	if err != nil {
		return ""
	}
	defer x.Close()
	if err := randr.Init(x); err != nil {
		return ""
	}
	have, err := randr.GetScreenResourcesCurrent(x, xproto.Setup(x).DefaultScreen(x).Root).Reply()
	if err != nil {
		return ""
	}
	var found []string
	for _, crtc := range have.Crtcs {
		info, err := randr.GetCrtcInfo(x, crtc, have.ConfigTimestamp).Reply()
		if err != nil || info.Mode == 0 {
			continue
		}
		says := fmt.Sprintf("%dx%d", info.Width, info.Height)
		for _, mode := range have.Modes {
			if lines := float64(mode.Htotal) * float64(mode.Vtotal); mode.Id == uint32(info.Mode) && lines > 0 &&
				mode.DotClock > 0 {
				says += fmt.Sprintf(" at %.2f Hz", float64(mode.DotClock)/lines)
			}
		}
		found = append(found, says)
	}
	return strings.Join(found, " and ")
}
