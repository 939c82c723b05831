package cli

import (
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappertally/core/catalogue"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

func (s *session) distributionCommand() *cobra.Command {
	return noun(
		"distribution",
		"Distributions of the catalogue",
		s.listDistributions(),
		s.showDistribution(),
		s.addDistribution(),
		s.editDistribution(),
		s.renameVerb(
			"distribution",
			"mossgate",
			"mossgrove",
		),
		s.mergeVerb("distribution", "--model fixed", "moss-gate", "mossgate"),
	)
}

func (s *session) distributions(
	cmd *cobra.Command,
	c *client.Client,
	p contract.ListDistributionsParams,
) ([]contract.Distribution, error) {
	return all(func(cursor string) (client.Got[contract.DistributionList], error) {
		p.Cursor = cursor
		return c.ListDistributions(cmd.Context(), p)
	}, func(l *contract.DistributionList) ([]contract.Distribution, string) { return l.Distributions, l.Next })
}

func (s *session) listDistributions() *cobra.Command {
	var family, model string
	cmd := &cobra.Command{
		Use:     "list",
		Short:   "List distributions, alphabetically",
		Example: "  dtally distribution list\n  dtally distribution list --family fenbase --output csv",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			ds, err := s.distributions(
				cmd,
				c,
				contract.ListDistributionsParams{Family: family, Model: contract.Model(model)},
			)
			if err != nil {
				return err
			}
			return s.print(cmd, contract.DistributionList{Distributions: ds}, distributionSheet(ds...))
		}),
	}
	cmd.Flags().StringVar(&family, "family", "", "only those built on this one")
	choiceVar(cmd.Flags(), &model, "model", "", "", catalogue.Models)
	return cmd
}

var distributionsTable = tables.Define("distributions", "a distribution",
	tables.Text("key", "Key", ""),
	tables.Text("name", "Name", ""),
	tables.Text("model", "Model", "fixed, rolling or semi-rolling"),
	tables.List("family", "Family", "what it is built on"),
	tables.Text("aim", "Aim", ""),
	tables.Truth("retired", "Retired", ""),
)

func distributionSheet(ds ...contract.Distribution) *sheet {
	t := sheetOf(distributionsTable)
	for _, d := range ds {
		t.Add(d.Key, d.Name, string(d.Model), d.Family, d.Aim, retired(d.Retired))
	}
	return t
}

// retired is whether something is retired, in the word for it.
func retired(is bool) any { return tables.As{Data: is, Text: mark(is, "retired")} }

func (s *session) showDistribution() *cobra.Command {
	return &cobra.Command{
		Use:     "show KEY",
		Short:   "Show a distribution and its releases",
		Example: "  dtally distribution show bramblewick\n  dtally distribution show cinderfen --output yaml",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			d, err := c.ShowDistribution(cmd.Context(), a[0])
			if err != nil {
				return err
			}
			rs, err := s.releases(cmd, c, a[0])
			if err != nil {
				return err
			}
			return s.print(cmd, d.Value, distributionSheet(d.Value), releaseSheet(rs...))
		}),
	}
}

func distributionFlags(f *pflag.FlagSet) setters[contract.Distribution] {
	s := setters[contract.Distribution]{}
	s.text(f, "name", "how it is called", func(d *contract.Distribution) *string { return &d.Name })
	s.choice(f, "model", "", catalogue.Models, func(d *contract.Distribution) *string { return (*string)(&d.Model) })
	s.lines(
		f,
		"family",
		"what it is built on, nearest first",
		func(d *contract.Distribution) *[]string { return &d.Family },
	)
	s.text(f, "aim", "what its makers want it to be", func(d *contract.Distribution) *string { return &d.Aim })
	s.yes(
		f,
		"retired",
		"kept and no longer offered; --retired=false brings it back",
		func(d *contract.Distribution) *bool { return &d.Retired },
	)
	return s
}

func (s *session) addDistribution() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "add KEY",
		Short:   "Add a distribution",
		Example: "  dtally distribution add harrowgate --name Harrowgate --model fixed --family heathbase\n  dtally distribution add saltmarsh --name Saltmarsh --model rolling --aim 'Small and new'",
		Args:    args(1, 1),
	}
	set := distributionFlags(cmd.Flags())
	cmd.RunE = s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
		d := contract.Distribution{Key: a[0], Name: a[0], Model: "fixed"}
		set.apply(cmd, &d)
		return show(s, cmd, each(distributionSheet))(c.AddDistribution(cmd.Context(), d))
	})
	return cmd
}

func (s *session) editDistribution() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "edit KEY",
		Short:   "Correct a distribution: what is not said stays",
		Example: "  dtally distribution edit mossgate --aim 'Looks familiar to anybody'\n  dtally distribution edit thistledown --retired",
		Args:    args(1, 1),
	}
	set := distributionFlags(cmd.Flags())
	cmd.RunE = s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
		d, err := c.ShowDistribution(cmd.Context(), a[0])
		if err != nil {
			return err
		}
		set.apply(cmd, &d.Value)
		return show(
			s,
			cmd,
			each(distributionSheet),
		)(
			c.EditDistribution(cmd.Context(), d.Value.Key, contract.EditDistributionParams{IfMatch: d.ETag}, d.Value),
		)
	})
	return cmd
}
