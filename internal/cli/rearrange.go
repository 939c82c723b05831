package cli

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

var renamedTable = tables.Define("renamed", "a key that was changed",
	tables.Text("was", "Was", ""),
	tables.Text("is", "Is", ""),
)

var movesTable = tables.Define("moves", "what a merge moves",
	tables.Text("what", "Moves", ""),
)

// renameVerb and mergeVerb are the same for all kinds of catalogue entry.
func (s *session) renameVerb(sort contract.CatalogueSort, key, to string) *cobra.Command {
	return &cobra.Command{
		Use:     "rename KEY TO",
		Short:   "Change its key; the old key redirects",
		Example: fmt.Sprintf("  dtally %s rename %s %s\n  dtally %s show %s", sort, key, to, sort, key),
		Args:    args(2, 2),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			now, err := c.Rename(cmd.Context(), contract.Renaming{Sort: sort, Key: a[0], To: a[1]})
			if err != nil {
				return err
			}
			t := sheetOf(renamedTable)
			t.Add(a[0], now.Value.Key)
			return s.print(cmd, now.Value, t)
		}),
	}
}

// mergeVerb returns the command that merges entries of a sort. Its examples merge key, a duplicate that was added with
// the flags in first, into another entry.
func (s *session) mergeVerb(sort contract.CatalogueSort, first, key, into string) *cobra.Command {
	var trial, yes bool
	cmd := &cobra.Command{
		Use:   "merge DUPLICATE INTO",
		Short: "Merge a duplicate into another entry, with everything that belongs to it",
		Example: fmt.Sprintf(
			"  dtally %s add %s %s\n  dtally %s merge %s %s --dry-run\n  dtally %s merge %s %s --yes",
			sort,
			key,
			first,
			sort,
			key,
			into,
			sort,
			key,
			into,
		),
		Args: args(2, 2),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			merge := func(trial bool) error {
				m, err := c.Merge(cmd.Context(), contract.Merging{Sort: sort, Key: a[0], Into: a[1], Trial: trial})
				if err != nil {
					return err
				}
				t := sheetOf(movesTable)
				for _, x := range m.Value.Moves {
					t.Add(x)
				}
				return s.print(cmd, m.Value, t)
			}
			if !trial && !yes {
				if err := merge(true); err != nil {
					return err
				}
				if err := sure(cmd, "This cannot be undone. Merge?"); err != nil {
					return err
				}
			}
			return merge(trial)
		}),
	}
	cmd.Flags().BoolVar(&trial, "dry-run", false, "only show what would be moved")
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return cmd
}

// sure asks before what cannot be undone; without a terminal, it refuses.
func sure(cmd *cobra.Command, question string) error {
	if in, ok := cmd.InOrStdin().(*os.File); ok && !term.IsTerminal(int(in.Fd())) {
		return wrongUsage("%s No terminal: pass --yes", question)
	}
	fmt.Fprintf(cmd.ErrOrStderr(), "%s [y/N] ", question)
	var answer string
	_, _ = fmt.Fscanln(cmd.InOrStdin(), &answer) // no answer means no
	if answer != "y" && answer != "Y" && answer != "yes" {
		return fmt.Errorf("nothing was changed")
	}
	return nil
}
