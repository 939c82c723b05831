package cli

import (
	"context"

	"github.com/spf13/cobra"

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
		editionKept.showVerb(s,
			"  dtally edition show bramblewick/7.0/hearthside\n"+
				"  dtally edition show driftmoor/9.3/awning --output yaml"),
		editionKept.addVerb(s,
			"  dtally edition add quaymark/22.1/awning --desktop Awning --architecture amd64 --profile full\n"+
				"  dtally edition add mossgate/12/minimal --line hearthside --profile minimal --memory 512"),
		editionKept.editVerb(s, ": fields without a flag stay as they are",
			"  dtally edition edit mossgate/12/hearthside --memory 2048\n"+
				"  dtally edition edit ivybeck/5.4/hearthside --retired"),
		s.renameVerb("edition", "mossgate/12/hearthside", "hearth"),
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
	tables.Integer("memoryMiB", "Memory MiB", "required").In("MiB"),
	tables.Integer("diskGiB", "Disk GiB", "required").In("GiB"),
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

// orNone returns nil if the number is 0.
func orNone(n int64) any {
	if n == 0 {
		return nil
	}
	return n
}

// splitEdition splits distribution/release/edition.
func splitEdition(key string) (distribution, version, edition string, err error) {
	distribution, version, edition, ok := catalogue.SplitEdition(key)
	if !ok {
		return "", "", "", wrongUsage(
			"%q is not an edition; write distribution/release/edition, such as bramblewick/7.0/hearthside", key,
		)
	}
	return distribution, version, edition, nil
}

var editionKept = kept[contract.Edition]{
	noun:   "edition",
	usage:  "DISTRIBUTION/RELEASE/EDITION",
	fields: editionFields,
	blank: func(key string) (e contract.Edition, err error) {
		e.Distribution, e.Release, e.Key, err = splitEdition(key)
		return e, err
	},
	sheet: editionSheet,
	get: func(c *client.Client, ctx context.Context, key string) (found got[contract.Edition], err error) {
		distribution, version, edition, err := splitEdition(key)
		if err != nil {
			return found, err
		}
		return c.ShowEdition(ctx, distribution, version, edition)
	},
	add: (*client.Client).AddEdition,
	edit: func(c *client.Client, ctx context.Context, tag string, e contract.Edition) (got[contract.Edition], error) {
		return c.EditEdition(ctx, e.Distribution, e.Release, e.Key, contract.EditEditionParams{IfMatch: tag}, e)
	},
}

func editionFields(s *fields[contract.Edition]) {
	s.text("line", "the edition line that it continues (default: its key)",
		func(e *contract.Edition) *string { return &e.Line })
	s.text("desktop", "its desktop", func(e *contract.Edition) *string { return &e.Desktop })
	s.text("architecture", "such as amd64", func(e *contract.Edition) *string { return &e.Architecture })
	s.text("profile", "such as full or minimal", func(e *contract.Edition) *string { return &e.Profile })
	s.text("purpose", "such as classroom", func(e *contract.Edition) *string { return &e.Purpose })
	s.long("memory", "memory that its makers require, in MiB", func(e *contract.Edition) *int64 { return &e.MemoryMiB })
	s.long("disk", "disk that its makers require, in GiB", func(e *contract.Edition) *int64 { return &e.DiskGiB })
	s.retired(func(e *contract.Edition) *bool { return &e.Retired })
}
