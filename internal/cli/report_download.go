package cli

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/wholefile"
)

// reportForms names the file of a report for each form.
var reportForms = map[string]string{
	"html":   "report.html",
	"json":   "report.json",
	"md":     "report.md",
	"csv":    "tables.zip",
	"xlsx":   "report.xlsx",
	"bundle": "bundle.json",
}

func (s *session) previewReport() *cobra.Command {
	var file string
	cmd := &cobra.Command{
		Use:   "preview REPORT --file FILE",
		Short: "Write the page of a draft as it would be published now",
		Example: "  dtally report preview radio-winter --file draft.html\n  dtally report preview radio-winter --file - > " +
			"draft.html",
		Args: args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			body, err := client.DraftPage(cmd.Context(), c, a[0])
			if err != nil {
				return err
			}
			defer body.Close()
			if file == "-" {
				_, err = io.Copy(cmd.OutOrStdout(), body)
				return err
			}
			return wholefile.Write(file, func(w io.Writer) error {
				_, err := io.Copy(w, body)
				return err
			})
		}),
	}
	cmd.Flags().StringVar(&file, "file", "", "output file; - is standard output")
	_ = cmd.MarkFlagRequired("file") // the flag exists
	return cmd
}

func (s *session) downloadReport() *cobra.Command {
	var form, folder string
	var revision int
	cmd := &cobra.Command{
		Use:   "download REPORT",
		Short: "Download a published report in one form or all, and verify its hashes",
		Example: "  dtally report download spring-pensioners --form xlsx\n  dtally report download spring-pensioners --form all " +
			"--folder spring --revision 1",
		Args: args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			if _, ok := reportForms[form]; !ok && form != "all" && form != "figures" {
				return wrongUsage("--form must be html, json, md, csv, xlsx, bundle, figures or all, not %q", form)
			}
			r, err := c.ShowReport(cmd.Context(), a[0])
			if err != nil {
				return err
			}
			files, err := filesOf(&r.Value, revision, form)
			if err != nil {
				return err
			}
			root, err := below(folder)
			if err != nil {
				return err
			}
			defer root.Close()
			t := sheetOf(fileTable)
			for i := range files {
				name := filepath.FromSlash(files[i].Name)
				if len(files) == 1 {
					name = a[0] + filepath.Ext(files[i].Name)
				}
				if err := fetchPublished(cmd, c, &files[i], root, name); err != nil {
					return fmt.Errorf("%s: %w", files[i].Name, err)
				}
				t.Add(filepath.Join(folder, name), files[i].Size, files[i].Sha256)
			}
			return s.print(cmd, map[string]any{"files": files}, t)
		}),
	}
	f := cmd.Flags()
	choiceVar(
		f,
		&form,
		"form",
		"html",
		"csv is a zip of tables",
		[]string{"html", "json", "md", "csv", "xlsx", "bundle", "figures", "all"},
	)
	f.StringVar(&folder, "folder", ".", "folder for the files")
	f.IntVar(&revision, "revision", 0, "an earlier revision (default: the newest)")
	return cmd
}

// filesOf returns the files of a revision for a form.
func filesOf(r *contract.Report, revision int, form string) ([]contract.ReportFile, error) {
	i := 0
	if revision != 0 {
		i = slices.IndexFunc(r.Revisions, func(x contract.ReportRevision) bool { return x.Revision == revision })
	}
	if i < 0 || len(r.Revisions) == 0 {
		return nil, fmt.Errorf("%w: %s has no revision %d", errNotFound, r.Key, revision)
	}
	return slices.DeleteFunc(slices.Clone(r.Revisions[i].Files), func(f contract.ReportFile) bool {
		return form != "all" && f.Name != reportForms[form] &&
			!(form == "figures" && strings.HasPrefix(f.Name, "figures/"))
	}), nil
}

// fetchPublished downloads a file of a report into a folder. A name from the service cannot lead outside of it.
func fetchPublished(cmd *cobra.Command, c *client.Client, f *contract.ReportFile, root *os.Root, name string) error {
	body, err := client.Published(cmd.Context(), c, f)
	if err != nil {
		return err
	}
	defer body.Close()
	return wholefile.Within(root, name, func(w io.Writer) error {
		hash := sha256.New()
		if _, err := io.Copy(io.MultiWriter(w, hash), io.LimitReader(body, f.Size+1)); err != nil {
			return fmt.Errorf("the download was interrupted: %w", err)
		}
		if got := hex.EncodeToString(hash.Sum(nil)); got != f.Sha256 {
			return fmt.Errorf("the download has the SHA-256 %s, not %s; download it again", got, f.Sha256)
		}
		return nil
	})
}
