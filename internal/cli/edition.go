package cli

import (
	"fmt"
	"net/http"

	"github.com/spf13/cobra"

	"dappertally/core/catalogue"
	"dappertally/internal/client"
)

func (s *session) editionCommand() *cobra.Command {
	return noun("edition", "Editions of releases: what is reviewed and scored", s.listEditions(), s.showEdition(), s.addEdition())
}

func (s *session) editions(cmd *cobra.Command, c *client.Client, p client.ListEditionsParams) ([]client.Edition, error) {
	return all(func(cursor string) (*http.Response, error) {
		p.Cursor = cursor
		return c.ListEditions(cmd.Context(), &p)
	}, func(l *client.EditionList) ([]client.Edition, string) { return l.Editions, l.Next })
}

func (s *session) listEditions() *cobra.Command {
	var p client.ListEditionsParams
	cmd := &cobra.Command{
		Use:     "list",
		Short:   "List editions, by distribution and release",
		Example: "  dtally edition list --distribution gullhaven\n  dtally edition list --desktop Latchwork --output csv",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			es, err := s.editions(cmd, c, p)
			if err != nil {
				return err
			}
			return s.print(cmd, client.EditionList{Editions: es}, editionSheet(es...))
		},
	}
	cmd.Flags().StringVar(&p.Distribution, "distribution", "", "only of this distribution")
	cmd.Flags().StringVar(&p.Release, "release", "", "only of this version")
	cmd.Flags().StringVar(&p.Desktop, "desktop", "", "only with this desktop")
	return cmd
}

func editionSheet(es ...client.Edition) *sheet {
	t := &sheet{columns: []string{"Edition", "Line", "Desktop", "Purpose", "Profile", "Architecture", ">Memory MiB", ">Disk GiB"}}
	for _, e := range es {
		t.add(catalogue.EditionKey(e.Distribution, e.Release, e.Key), e.Line, e.Desktop, e.Purpose, e.Profile, e.Architecture, orDash(e.MemoryMiB), orDash(e.DiskGiB))
	}
	return t
}

func orDash(n int64) string {
	if n == 0 {
		return "–"
	}
	return fmt.Sprint(n)
}

// splitEdition takes distribution/release/edition apart.
func splitEdition(key string) (distribution, version, edition string, err error) {
	distribution, version, edition, ok := catalogue.SplitEdition(key)
	if !ok {
		return "", "", "", wrongUsage("%q names no edition; write it distribution/release/edition, such as bramblewick/7.0/hearthside", key)
	}
	return distribution, version, edition, nil
}

func (s *session) showEdition() *cobra.Command {
	return &cobra.Command{
		Use:     "show DISTRIBUTION/RELEASE/EDITION",
		Short:   "Show an edition",
		Example: "  dtally edition show bramblewick/7.0/hearthside\n  dtally edition show driftmoor/9.3/awning --output yaml",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			distribution, version, key, err := splitEdition(a[0])
			if err != nil {
				return err
			}
			c, err := s.connect()
			if err != nil {
				return err
			}
			e, err := client.Read[client.Edition](c.ShowEdition(cmd.Context(), distribution, version, key))
			if err != nil {
				return err
			}
			return s.print(cmd, e.Value, editionSheet(e.Value))
		},
	}
}

func (s *session) addEdition() *cobra.Command {
	var e client.Edition
	cmd := &cobra.Command{
		Use:     "add DISTRIBUTION/RELEASE/EDITION",
		Short:   "Add an edition",
		Example: "  dtally edition add quaymark/22.1/awning --desktop Awning --architecture amd64 --profile full\n  dtally edition add mossgate/12/minimal --line hearthside --profile minimal --memory 512",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) (err error) {
			if e.Distribution, e.Release, e.Key, err = splitEdition(a[0]); err != nil {
				return err
			}
			c, err := s.connect()
			if err != nil {
				return err
			}
			added, err := client.Read[client.Edition](c.AddEdition(cmd.Context(), e))
			if err != nil {
				return err
			}
			return s.print(cmd, added.Value, editionSheet(added.Value))
		},
	}
	f := cmd.Flags()
	f.StringVar(&e.Line, "line", "", "the edition line that it continues (default: its key)")
	f.StringVar(&e.Desktop, "desktop", "", "its desktop")
	f.StringVar(&e.Architecture, "architecture", "", "such as amd64")
	f.StringVar(&e.Profile, "profile", "", "such as full or minimal")
	f.StringVar(&e.Purpose, "purpose", "", "such as classroom")
	f.Int64Var(&e.MemoryMiB, "memory", 0, "memory that its makers ask for, in MiB")
	f.Int64Var(&e.DiskGiB, "disk", 0, "disk that its makers ask for, in GiB")
	return cmd
}
