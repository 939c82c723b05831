package cli

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"

	"github.com/spf13/cobra"

	"dappertally/internal/schema"
	"dappertally/internal/wholefile"
)

func (s *session) newChecklist() *cobra.Command {
	var example, starter bool
	cmd := &cobra.Command{
		Use:   "new [FILE]",
		Short: "Write a new checklist to start from, to a new file or standard output",
		Long: "Write a checklist to start from: a short one, with --starter one for a team's first " +
			"reviews, or with --example one with every kind, curve and option explained. Its first line " +
			"names the service's JSON Schema, so that an editor can complete and check the file. The " +
			"service is not contacted.",
		Example: "  dtally checklist new list.yaml\n  dtally checklist new --example | head -40",
		Args:    args(0, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			line, err := s.schemaLine()
			if err != nil {
				return err
			}
			text := line + schema.Start
			if example {
				text = line + schema.Example
			}
			if starter {
				text = line + schema.Starter
			}
			write := func(w io.Writer) error {
				_, err := io.WriteString(w, text)
				return err
			}
			if len(a) == 0 {
				return write(cmd.OutOrStdout())
			}
			if _, err := os.Lstat(a[0]); !errors.Is(err, fs.ErrNotExist) {
				return wrongUsage("%s exists already: name another file", a[0])
			}
			return wholefile.Write(a[0], write)
		},
	}
	cmd.Flags().BoolVar(&starter, "starter", false, "for first reviews: four sections and every kind of criterion")
	cmd.Flags().BoolVar(&example, "example", false, "with every kind, curve and option explained")
	cmd.MarkFlagsMutuallyExclusive("example", "starter")
	return cmd
}

// schemaLine is the comment that tells editors the schema of a checklist file.
func (s *session) schemaLine() (string, error) {
	kept, err := readLogin()
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("# yaml-language-server: $schema=%s/api/%s\n", s.address(kept), schema.ChecklistFile), nil
}
