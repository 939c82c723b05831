package api_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"dappertally/internal/dbtest"
	"dappertally/internal/localdb"
)

// large are the tables that grow with a team's records; fewRows is how many rows may be read without an index.
var large = regexp.MustCompile(
	`\b(readings|review_entries|changes|audit\w*|writes|touched|acceptances|files|drafts|sessions|notices)\b`)

const fewRows = 20

// No read operation, except for exports, reads a large table from beginning to end. The database itself reports the
// statements that do.
func TestNoFullScans(t *testing.T) {
	dir := dbtest.Folder(t)
	log := filepath.Join(dir, "server", "data", "scans.log")
	server, err := localdb.Start(t.Context(), dir, "--slow-query-log=1", "--log-output=FILE",
		"--slow-query-log-file=scans.log", "--long-query-time=0", "--log-slow-filter=full_scan,full_join",
		"--min-examined-row-limit="+strconv.Itoa(fewRows))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(server.Stop)
	t.Setenv(dbtest.Variable, server.DSN(localdb.Schema))
	records := dbtest.Filled{Name: "scanned", Fill: filled.Fill} // others are copied from another server
	w := newWorldOn(t, records.Open(t))
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	reads := w.everyRead(review)
	before, err := os.ReadFile(log)
	if err != nil {
		t.Fatal(err)
	}
	if !large.Match(before) {
		t.Fatal("the log does not tell of the reading of all records at the start")
	}
	for _, path := range reads {
		for _, who := range []string{"marit", "ines", ""} {
			w.call(who, "GET", path, nil)
		}
		after, err := os.ReadFile(log)
		if err != nil {
			t.Fatal(err)
		}
		if strings.HasPrefix(path, "/api/v1/exports/") || path == "/api/v1/archive" {
			before = after // exports read everything
			continue
		}
		for said := range strings.SplitSeq(string(after[len(before):]), "# User@Host") {
			statement := said
			if at := strings.Index(said, "SET timestamp"); at >= 0 {
				_, statement, _ = strings.Cut(said[at:], ";\n")
			}
			if large.MatchString(statement) {
				t.Errorf("%s: %s", path, said)
			}
		}
		before = after
	}
}
