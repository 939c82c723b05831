package cli

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/tables"
	"dappertally/internal/wholefile"
)

func (s *session) archiveCommand() *cobra.Command {
	return noun(
		"archive",
		"All results of all releases and all published reports in one file",
		s.exportArchive(),
		s.importArchive(),
	)
}

var fileTable = tables.Define("files", "a file that was written or downloaded",
	tables.Text("file", "File", "its name"),
	tables.Integer("bytes", "Bytes", "its size"),
	tables.Text("sha256", "SHA-256", "of its content"),
)

var restoredTable = tables.Define("restored", "how much an archive imported",
	tables.Integer("reviews", "Reviews", ""),
	tables.Integer("readings", "Readings", ""),
	tables.Integer("reports", "Reports", ""),
	tables.Integer("revisions", "Revisions", "of reports"),
	tables.Integer("files", "Files", ""),
)

func (s *session) exportArchive() *cobra.Command {
	return &cobra.Command{
		Use:   "export FILE",
		Short: "Write the archive to a file",
		Long: "Write the archive: a tar file with a bundle of all records, all forms of all published " +
			"reports, and the files that belong to them, each under its SHA-256. The same records give " +
			"the same bytes.",
		Example: "  dtally archive export second-wind.tar\n  dtally archive export second-wind.tar --output json",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			body, size, err := client.ExportArchive(cmd.Context(), c)
			if err != nil {
				return err
			}
			defer body.Close()
			sum := sha256.New()
			err = wholefile.Write(a[0], func(w io.Writer) error {
				n, err := io.Copy(io.MultiWriter(w, sum, progress(cmd, size, a[0])), body)
				if err != nil || n != size {
					return fmt.Errorf("%w: the connection was lost after %d of %d bytes of the archive", client.ErrUnreachable, n, size)
				}
				return nil
			})
			if err != nil {
				return err
			}
			t := sheetOf(fileTable)
			hash := hex.EncodeToString(sum.Sum(nil))
			t.Add(a[0], size, hash)
			return s.print(cmd, map[string]any{"file": a[0], "size": size, "sha256": hash}, t)
		}),
	}
}

func (s *session) importArchive() *cobra.Command {
	var yes, trial bool
	cmd := &cobra.Command{
		Use:     "import FILE",
		Short:   "Import an archive into a service that has no records yet, all of it or nothing",
		Example: "  dtally archive import second-wind.tar --dry-run\n  dtally archive import second-wind.tar --yes",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			file, err := os.Open(a[0])
			if err != nil {
				return err
			}
			defer file.Close()
			info, err := file.Stat()
			if err != nil {
				return err
			}
			if !yes && !trial {
				if err := ask(cmd, fmt.Sprintf("Import %s into this service?", a[0])); err != nil {
					return err
				}
			}
			done, err := client.ImportArchive(
				cmd.Context(), c, io.TeeReader(file, progress(cmd, info.Size(), "sending "+a[0])), info.Size(), trial,
			)
			if err != nil {
				return err
			}
			t := sheetOf(restoredTable)
			t.Add(done.Reviews, done.Readings, done.Reports, done.Revisions, done.Files)
			if len(done.Differing) > 0 {
				t.note = "Different from what this version draws from their own data: " + strings.Join(done.Differing, "; ") + ". They were drawn by another version, or altered."
			}
			if trial {
				t.note = "Nothing was written. Run it without --dry-run to import."
			}
			return s.print(cmd, done, t)
		}),
	}
	cmd.Flags().BoolVar(&trial, "dry-run", false, "read all of it and show what would be imported")
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return cmd
}
