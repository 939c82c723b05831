package cli

import (
	"os"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"

	"dappertally/internal/build"
)

func (s *session) manualCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "manual FOLDER",
		Short: "Write the manual pages of all commands into a folder",
		Long: "Write a manual page for each command into a folder, which is made where it is missing; pages that are there are written anew. " +
			"Put into a folder man1 of the manual's path, man dtally-rank finds them.",
		Example: "  dtally manual ~/.local/share/man/man1\n  dtally manual pages",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			if err := os.MkdirAll(a[0], 0o755); err != nil {
				return err
			}
			root := cmd.Root()
			root.DisableAutoGenTag = true
			return doc.GenManTree(
				root,
				&doc.GenManHeader{
					Title:   "DTALLY",
					Section: "1",
					Source:  "Dapper Tally " + build.Version(),
					Manual:  "Dapper Tally",
				},
				a[0],
			)
		},
	}
}
