package cli

import (
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappertally/core/catalogue"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

func (s *session) editionCommand() *cobra.Command {
	return noun(
		"edition",
		"Editions of releases: what is reviewed and scored",
		s.listEditions(),
		s.showEdition(),
		s.addEdition(),
		s.editEdition(),
		s.renameVerb(
			"edition",
			"mossgate/12/hearthside",
			"hearth",
		),
		s.mergeVerb("edition", "--desktop Hearthside", "mossgate/12/hearth", "mossgate/12/hearthside"),
	)
}

func (s *session) editions(
	cmd *cobra.Command,
	c *client.Client,
	p contract.ListEditionsParams,
) ([]contract.Edition, error) {
	return all(func(cursor string) (client.Got[contract.EditionList], error) {
		p.Cursor = cursor
		return c.ListEditions(cmd.Context(), p)
	}, func(l *contract.EditionList) ([]contract.Edition, string) { return l.Editions, l.Next })
}

func (s *session) listEditions() *cobra.Command {
	var p contract.ListEditionsParams
	cmd := &cobra.Command{
		Use:     "list",
		Short:   "List editions, by distribution and release",
		Example: "  dtally edition list --distribution gullhaven\n  dtally edition list --desktop Latchwork --output csv",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			es, err := s.editions(cmd, c, p)
			if err != nil {
				return err
			}
			return s.print(cmd, contract.EditionList{Editions: es}, editionSheet(es...))
		}),
	}
	cmd.Flags().StringVar(&p.Distribution, "distribution", "", "only of this distribution")
	cmd.Flags().StringVar(&p.Release, "release", "", "only of this version")
	cmd.Flags().StringVar(&p.Desktop, "desktop", "", "only with this desktop")
	return cmd
}

var editionsTable = tables.Define("editions", "an edition",
	tables.Text("edition", "Edition", "its key"),
	tables.Text("line", "Line", "of editions through the releases"),
	tables.Text("desktop", "Desktop", ""),
	tables.Text("purpose", "Purpose", ""),
	tables.Text("profile", "Profile", "of the install"),
	tables.Text("architecture", "Architecture", ""),
	tables.Integer("memoryMiB", "Memory MiB", "that it needs").In("MiB"),
	tables.Integer("diskGiB", "Disk GiB", "that it needs").In("GiB"),
	tables.Truth("retired", "Retired", ""),
)

func editionSheet(es ...contract.Edition) *sheet {
	t := sheetOf(editionsTable)
	for _, e := range es {
		t.Add(
			catalogue.EditionKey(e.Distribution, e.Release, e.Key),
			e.Line,
			e.Desktop,
			e.Purpose,
			e.Profile,
			e.Architecture,
			orNone(e.MemoryMiB),
			orNone(e.DiskGiB),
			retired(e.Retired),
		)
	}
	return t
}

// orNone is a number that is none where it is 0.
func orNone(n int64) any {
	if n == 0 {
		return nil
	}
	return n
}

// splitEdition takes distribution/release/edition apart.
func splitEdition(key string) (distribution, version, edition string, err error) {
	distribution, version, edition, ok := catalogue.SplitEdition(key)
	if !ok {
		return "", "", "", wrongUsage(
			"%q names no edition; write it distribution/release/edition, such as bramblewick/7.0/hearthside",
			key,
		)
	}
	return distribution, version, edition, nil
}

func (s *session) showEdition() *cobra.Command {
	return &cobra.Command{
		Use:     "show DISTRIBUTION/RELEASE/EDITION",
		Short:   "Show an edition",
		Example: "  dtally edition show bramblewick/7.0/hearthside\n  dtally edition show driftmoor/9.3/awning --output yaml",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			distribution, version, key, err := splitEdition(a[0])
			if err != nil {
				return err
			}
			return show(s, cmd, each(editionSheet))(c.ShowEdition(cmd.Context(), distribution, version, key))
		}),
	}
}

func editionFlags(f *pflag.FlagSet) setters[contract.Edition] {
	s := setters[contract.Edition]{}
	s.text(
		f,
		"line",
		"the edition line that it continues (default: its key)",
		func(e *contract.Edition) *string { return &e.Line },
	)
	s.text(f, "desktop", "its desktop", func(e *contract.Edition) *string { return &e.Desktop })
	s.text(f, "architecture", "such as amd64", func(e *contract.Edition) *string { return &e.Architecture })
	s.text(f, "profile", "such as full or minimal", func(e *contract.Edition) *string { return &e.Profile })
	s.text(f, "purpose", "such as classroom", func(e *contract.Edition) *string { return &e.Purpose })
	s.long(
		f,
		"memory",
		"memory that its makers ask for, in MiB",
		func(e *contract.Edition) *int64 { return &e.MemoryMiB },
	)
	s.long(f, "disk", "disk that its makers ask for, in GiB", func(e *contract.Edition) *int64 { return &e.DiskGiB })
	s.yes(
		f,
		"retired",
		"kept and no longer offered; --retired=false brings it back",
		func(e *contract.Edition) *bool { return &e.Retired },
	)
	return s
}

func (s *session) addEdition() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "add DISTRIBUTION/RELEASE/EDITION",
		Short:   "Add an edition",
		Example: "  dtally edition add quaymark/22.1/awning --desktop Awning --architecture amd64 --profile full\n  dtally edition add mossgate/12/minimal --line hearthside --profile minimal --memory 512",
		Args:    args(1, 1),
	}
	set := editionFlags(cmd.Flags())
	cmd.RunE = s.asking(func(cmd *cobra.Command, a []string, c *client.Client) (err error) {
		var e contract.Edition
		if e.Distribution, e.Release, e.Key, err = splitEdition(a[0]); err != nil {
			return err
		}
		set.apply(cmd, &e)
		return show(s, cmd, each(editionSheet))(c.AddEdition(cmd.Context(), e))
	})
	return cmd
}

func (s *session) editEdition() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "edit DISTRIBUTION/RELEASE/EDITION",
		Short:   "Correct an edition: what is not said stays",
		Example: "  dtally edition edit mossgate/12/hearthside --memory 2048\n  dtally edition edit ivybeck/5.4/hearthside --retired",
		Args:    args(1, 1),
	}
	set := editionFlags(cmd.Flags())
	cmd.RunE = s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
		distribution, version, key, err := splitEdition(a[0])
		if err != nil {
			return err
		}
		e, err := c.ShowEdition(cmd.Context(), distribution, version, key)
		if err != nil {
			return err
		}
		set.apply(cmd, &e.Value)
		return show(s, cmd, each(editionSheet))(c.EditEdition(
			cmd.Context(),
			e.Value.Distribution,
			e.Value.Release,
			e.Value.Key,
			contract.EditEditionParams{IfMatch: e.ETag},
			e.Value,
		))
	})
	return cmd
}
