package cli

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
	"dappertally/internal/wholefile"
)

// kitFile is the outcome for one test file.
type kitFile struct {
	Name   string `json:"name"`
	Size   int64  `json:"size"`
	SHA256 string `json:"sha256"`
	State  string `json:"state"`
	Note   string `json:"note,omitempty"`
}

func (s *session) kitCommand() *cobra.Command {
	var folder, upload string
	cmd := &cobra.Command{
		Use:   "test-files KEY@VERSION",
		Short: "Download and verify the test files, or upload one",
		Long: "Download the test files of a checklist version into a folder and verify each by its hash. " +
			"Files that exist and match are not downloaded again; a file that differs is reported and " +
			"left alone. Files that the service does not store are listed with their source. --upload " +
			"FILE uploads a test file to the service (up to 64 MiB).",
		Example: "  dtally checklist test-files workshop@2 --folder test-files\n  dtally checklist test-files workshop@2 --upload menu-tasks.txt",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			return s.onChecklist(cmd, a[0], func(c *client.Client, x client.Got[contract.Checklist]) error {
				if upload != "" {
					return s.uploadKit(cmd, c, upload, &x.Value)
				}
				return s.fetchKit(cmd, c, folder, x.Value.Kit)
			})
		},
	}
	cmd.Flags().StringVar(&folder, "folder", "test-files", "folder for the files")
	cmd.Flags().StringVar(&upload, "upload", "", "a test file to upload to the service")
	return cmd
}

var testFilesTable = tables.Define("testFiles", "a test file of a checklist",
	tables.Text("file", "File", "its name"),
	tables.Integer("bytes", "Bytes", "its size"),
	tables.Text("state", "State", "fetched, there, missing or damaged"),
	tables.Text("note", "Note", ""),
	tables.Text("sha256", "SHA-256", "of its content").YieldsFirst(),
)

func (s *session) fetchKit(cmd *cobra.Command, c *client.Client, folder string, kit []checklist.KitFile) error {
	root, err := below(folder)
	if err != nil {
		return err
	}
	defer root.Close()
	var files []kitFile
	unsound := 0
	for _, f := range kit {
		state, err := fetchFile(cmd, c, root, f)
		if err != nil {
			return fmt.Errorf("%s: %w", f.Name, err)
		}
		if state != kitFetched && state != kitThere {
			unsound++
		}
		files = append(files, kitFile{f.Name, f.Size, f.SHA256, state, f.Note})
	}
	t := sheetOf(testFilesTable)
	t.heading = numerals.Count(len(kit), "file") + " in " + folder
	for _, f := range files {
		t.Add(f.Name, f.Size, f.State, f.Note, f.SHA256)
	}
	if err := s.print(cmd, map[string]any{"folder": folder, "files": files}, t); err != nil {
		return err
	}
	if unsound > 0 {
		return fmt.Errorf("%d of %d files are missing or damaged", unsound, len(kit))
	}
	return nil
}

// below opens a folder, which is created if needed, to write inside it and nowhere else.
func below(folder string) (*os.Root, error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	return os.OpenRoot(folder)
}

// The possible outcomes for a test file.
const (
	kitFetched  = "downloaded and verified"
	kitThere    = "exists and is verified"
	kitDiffers  = "differs: another file has this name; move it away"
	kitNotKept  = "not stored by the service: see the note for its source"
	kitUnlisted = "not a test file of this checklist"
)

// fetchFile downloads a test file into a folder. A name from the service cannot lead outside of it.
func fetchFile(cmd *cobra.Command, c *client.Client, root *os.Root, f checklist.KitFile) (string, error) {
	sum, _, err := hashOf(root.Open(f.Name))
	switch {
	case err == nil && sum == f.SHA256:
		return kitThere, nil
	case err == nil:
		return kitDiffers, nil
	case !errors.Is(err, os.ErrNotExist):
		return "", err
	}
	body, err := client.Download(cmd.Context(), c, f.SHA256)
	var refused *client.Refusal
	if errors.As(err, &refused) && refused.Status == http.StatusNotFound {
		return kitNotKept, nil
	}
	if err != nil {
		return "", err
	}
	defer body.Close()
	return kitFetched, wholefile.Within(root, f.Name, func(w io.Writer) error {
		hash := sha256.New()
		bar := progress(cmd, f.Size, f.Name)
		if _, err := io.Copy(io.MultiWriter(w, hash, bar), io.LimitReader(body, f.Size+1)); err != nil {
			return fmt.Errorf("the download was interrupted: %w", err)
		}
		if got := hex.EncodeToString(hash.Sum(nil)); got != f.SHA256 {
			return fmt.Errorf("the download has the SHA-256 %s, not %s; download it again", got, f.SHA256)
		}
		return nil
	})
}

// progress draws a bar on standard error, if that is a terminal and the work takes long enough.
func progress(cmd *cobra.Command, size int64, what string) io.Writer {
	const worthABar = 8 << 20
	if size < worthABar || !isTerminal(cmd.ErrOrStderr()) {
		return io.Discard
	}
	return progressbar.NewOptions64(
		size,
		progressbar.OptionSetWriter(bare(cmd.ErrOrStderr())),
		progressbar.OptionSetDescription(what),
		progressbar.OptionShowBytes(true),
		progressbar.OptionClearOnFinish(),
	)
}

func hashFile(name string) (sum string, size int64, err error) { return hashOf(os.Open(name)) }

func hashOf(f *os.File, err error) (sum string, size int64, _ error) {
	if err != nil {
		return "", 0, err
	}
	defer f.Close()
	hash := sha256.New()
	size, err = io.Copy(hash, f)
	return hex.EncodeToString(hash.Sum(nil)), size, err
}

func (s *session) uploadKit(cmd *cobra.Command, c *client.Client, name string, list *checklist.Checklist) error {
	sum, size, err := hashFile(name)
	if err != nil {
		return err
	}
	listed := false
	for _, f := range list.Kit {
		listed = listed || f.SHA256 == sum
	}
	if !listed && list.State != checklist.Draft {
		return fmt.Errorf(
			"%s has the SHA-256 %s, which is not among the test files of %s; that version is fixed, so "+
				"add the file to the next version",
			name,
			sum,
			list.Name(),
		)
	}
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	if err := client.Upload(cmd.Context(), c, sum, size, io.TeeReader(f, progress(cmd, size, filepath.Base(name)))); err != nil {
		return err
	}
	state := kitThere
	if !listed {
		state = kitUnlisted + " yet: add it to the draft with this hash"
	}
	t := sheetOf(testFilesTable)
	t.Add(filepath.Base(name), size, state, "", sum)
	return s.print(cmd, kitFile{filepath.Base(name), size, sum, state, ""}, t)
}
