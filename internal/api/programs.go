package api

import (
	"fmt"
	"net/http"
	"os"
	"regexp"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dappertally/internal/contract"
	"dappertally/internal/problem"
	"dappertally/internal/programs"
	"dappertally/internal/shell"
)

// getPath is where a machine under review downloads the client: a script for its shell, and the programs below it.
const getPath = "/get"

// clients returns the programs as the contract defines them.
func clients(folder *programs.Folder) ([]contract.ClientProgram, error) {
	if folder == nil {
		return nil, nil
	}
	found, err := folder.List()
	var out []contract.ClientProgram
	for _, p := range found {
		out = append(out, contract.ClientProgram{
			Architecture: p.Architecture, Size: p.Size, Sha256: p.SHA256, Path: getPath + "/" + p.Architecture,
		})
	}
	return out, err
}

// getProgram answers with the client for an architecture.
func (h *handlers) getProgram(c *gin.Context) {
	arch := c.Param("architecture")
	var p programs.Program
	found := false
	if h.programs != nil {
		var err error
		if p, found, err = h.programs.Find(arch); err != nil {
			refuse(c, err)
			return
		}
	}
	if !found {
		refuse(
			c,
			problem.New(
				problem.NotFound,
				"the service has no client for %.40q; %s lists the available ones",
				arch,
				base+"/about",
			),
		)
		return
	}
	f, err := os.Open(p.File)
	if err != nil {
		refuse(c, err)
		return
	}
	defer f.Close()
	if err := http.NewResponseController(c.Writer).SetWriteDeadline(time.Now().Add(archiveTime)); err != nil {
		refuse(c, err)
		return
	}
	c.Header("Content-Type", "application/octet-stream")
	c.Header("Content-Disposition", `attachment; filename="dtally"`)
	c.Header("ETag", `"`+p.SHA256+`"`)
	c.Header("Cache-Control", "no-cache")
	http.ServeContent(c.Writer, c.Request, "", p.Changed, f)
}

// plainOrigin matches an address that a script can contain safely.
var plainOrigin = regexp.MustCompile(`^https?://[A-Za-z0-9.\-\[\]:]+$`)

// getScript answers with a script that downloads the client for the machine that runs it, or, in a browser, with the
// page about it.
func (h *handlers) getScript(c *gin.Context) {
	if strings.Contains(c.GetHeader("Accept"), "text/html") {
		c.Redirect(http.StatusSeeOther, "/client")
		return
	}
	found, err := clients(h.programs)
	if err != nil {
		refuse(c, err)
		return
	}
	origin := h.origin(c)
	if !plainOrigin.MatchString(origin) {
		refuse(c, problem.New(problem.Invalid, "%.70q cannot be used as an address in a script", origin))
		return
	}
	var cases strings.Builder
	for _, p := range found {
		names := p.Architecture
		switch p.Architecture {
		case "amd64":
			names = "x86_64 | amd64"
		case "arm64":
			names = "aarch64 | arm64"
		}
		fmt.Fprintf(&cases, "%s) arch=%s sum=%s ;;\n", names, p.Architecture, p.Sha256)
	}
	c.Header("Cache-Control", "no-cache")
	c.Data(
		http.StatusOK,
		"text/x-shellscript; charset=utf-8",
		fmt.Appendf(nil, script, shell.Quoted(origin), cases.String()),
	)
}

// script downloads the client into the current folder. It runs completely or not at all, since its last line calls
// it.
const script = "#!/bin/sh\n" +
	"# Downloads dtally for this machine, checks it, and puts it into this folder.\n" +
	"set -eu\n" +
	"fetch() {\n" +
	"server=%s\n" +
	"case $(uname -m) in\n" +
	"%s*) echo \"The service has no dtally for $(uname -m).\" >&2; exit 1 ;;\n" +
	"esac\n" +
	"if command -v curl >/dev/null; then curl -fsSo dtally.part \"$server/get/$arch\"\n" +
	"elif command -v wget >/dev/null; then wget -qO dtally.part \"$server/get/$arch\"\n" +
	`else echo "Neither curl nor wget is installed. Download $server/get/$arch with a browser." ` +
	">&2; exit 1\n" +
	"fi\n" +
	"if ! echo \"$sum  dtally.part\" | sha256sum -c - >/dev/null 2>&1; then\n" +
	"  rm -f dtally.part\n" +
	"  echo \"The download is damaged: try again.\" >&2; exit 1\n" +
	"fi\n" +
	"chmod +x dtally.part\n" +
	"mv dtally.part dtally\n" +
	"echo \"./dtally is ready. Sign this machine in with: ./dtally login --server $server\"\n" +
	"}\n" +
	"fetch\n"
