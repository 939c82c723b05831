// Package manual writes the manual pages of a program's commands.
package manual

import (
	"os"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"

	"dappertally/internal/build"
)

// Command returns the command that writes the manual pages of its program.
func Command(example string) *cobra.Command {
	return &cobra.Command{
		Use:   "manual FOLDER",
		Short: "Write the manual pages of all commands to a folder",
		Long: "Write a manual page for each command to a folder, which is created if needed; existing " +
			"pages are replaced. If the folder is man1 below a folder of the manual path, man finds the " +
			"pages, for example with man dtally-rank.",
		Example: example,
		Args:    cobra.ExactArgs(1),
		RunE:    func(cmd *cobra.Command, args []string) error { return write(cmd.Root(), args[0]) },
	}
}

func write(root *cobra.Command, folder string) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	root.DisableAutoGenTag = true
	return doc.GenManTree(root, &doc.GenManHeader{
		Title: strings.ToUpper(root.Name()), Section: "1", Source: "Dapper Tally " + build.Version(), Manual: "Dapper Tally",
	}, folder)
}
