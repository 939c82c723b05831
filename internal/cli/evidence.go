package cli

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/reading"
	"dappertally/internal/client"
	"dappertally/internal/tables"
)

var evidenceTable = entries("evidence",
	tables.Text("caption", "Caption", ""),
	tables.Text("of", "Of", "id of the reading or entry that it belongs to"),
	tables.Text("screenshot", "Screenshot", "key of the standard screenshot"),
	tables.Text("where", "File or link", "the file's name, or an address with a time code"),
	tables.Text("type", "Type", "media type of the file"),
	tables.Integer("bytes", "Bytes", "its size"),
)

// evidencePart is pictures, logs and links; add uploads the file first.
func evidencePart() *part {
	return &part{
		noun: "evidence", name: "evidence", short: "Pictures, logs and links that show a result", main: "[CAPTION]",
		empty: func() noted { return noted{Evidence: &reading.Evidence{}} },
		words: func(e *noted, w string) { e.Evidence.Caption = w },
		define: func(s *fields[noted]) {
			s.text("of", "id of the reading or entry that it belongs to",
				func(e *noted) *string { return &e.Evidence.Of })
			s.text("screenshot", "key of the standard screenshot", func(e *noted) *string { return &e.Evidence.Shot })
			s.text("link", "an address instead of a file", func(e *noted) *string { return &e.Evidence.Link })
			s.text("time-code", "time in the recording, as 12:40 or 1:02:03",
				func(e *noted) *string { return &e.Evidence.TimeCode })
		},
		table: evidenceTable,
		row: func(e *noted) []any {
			x := e.Evidence
			where := x.Link + " " + x.TimeCode
			if x.SHA256 != "" {
				where = x.Name
			}
			return []any{x.Caption, x.Of, x.Shot, strings.TrimSpace(where), x.Type, orNone(x.Size)}
		},
		examples: [2]string{
			"dtally evidence add 'The menu as it first opens' --file menu.png --screenshot menu-open --review quaymark/22.1/latchwork",
			"dtally evidence add 'Where the sound drops' --link https://example.org/recording --time-code 12:40 --of 01a1cfee-dbe0-787f-b0e0-302cb845d0b0 --review quaymark/22.1/latchwork",
		},
	}
}

// mostEvidence is the largest file that the service accepts.
const mostEvidence = 8 << 20

func (s *session) evidenceCommand() *cobra.Command {
	p := evidencePart()
	add := s.addEntry(p)
	var file string
	add.Flags().StringVar(&file, "file", "", "a picture or log of at most 8 MiB")
	plain := add.RunE
	add.RunE = func(cmd *cobra.Command, a []string) error {
		if file == "" {
			return plain(cmd, a)
		}
		sum, err := s.upload(cmd, file)
		if err != nil {
			return err
		}
		p.empty = func() noted { return noted{Evidence: &reading.Evidence{SHA256: sum, Name: filepath.Base(file)}} }
		return plain(cmd, a)
	}
	return noun(p.noun, p.short, s.listEntries(p), add, s.removeEntry(p))
}

// upload uploads a file and returns its hash.
func (s *session) upload(cmd *cobra.Command, file string) (string, error) {
	info, err := os.Stat(file)
	if err != nil {
		return "", err
	}
	if info.Size() > mostEvidence {
		return "", wrongUsage(
			"%s has %d MiB; evidence can have 8 MiB. Shorten it, or give a link with --link and "+
				"--time-code",
			file,
			info.Size()>>20,
		)
	}
	content, err := os.ReadFile(file)
	if err != nil {
		return "", err
	}
	c, err := s.connect()
	if err != nil {
		return "", err
	}
	sum := fmt.Sprintf("%x", sha256.Sum256(content))
	return sum, client.Upload(cmd.Context(), c, sum, int64(len(content)), bytes.NewReader(content))
}
