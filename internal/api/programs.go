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

// getPath is where a machine under review gets the client: a script for its shell, and the programs below it.
const getPath = "/get"

// clients are the programs as the contract has them.
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
				"the service has no client for %.40q; %s tells which it has",
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

// plainOrigin is an address that a script can name without harm.
var plainOrigin = regexp.MustCompile(`^https?://[A-Za-z0-9.\-\[\]:]+$`)

// getScript answers with a script that fetches the client for the machine that runs it, and a browser with the page
// about it.
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
		refuse(c, problem.New(problem.Invalid, "%.70q is no address that a script can name", origin))
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

// script fetches the client into the present folder. It runs as a whole or not at all, since its last line calls it.
const script = `#!/bin/sh
# Fetches dtally for this machine, checks it, and puts it into this folder.
set -eu
fetch() {
server=%s
case $(uname -m) in
%s*) echo "The service has no dtally for $(uname -m)." >&2; exit 1 ;;
esac
if command -v curl >/dev/null; then curl -fsSo dtally.part "$server/get/$arch"
elif command -v wget >/dev/null; then wget -qO dtally.part "$server/get/$arch"
else echo "Neither curl nor wget is here. Fetch $server/get/$arch with a browser." >&2; exit 1
fi
if ! echo "$sum  dtally.part" | sha256sum -c - >/dev/null 2>&1; then
  rm -f dtally.part
  echo "What was fetched is not what the service has: try again." >&2; exit 1
fi
chmod +x dtally.part
mv dtally.part dtally
echo "./dtally is here. Sign this machine in with: ./dtally login --server $server"
}
fetch
`
