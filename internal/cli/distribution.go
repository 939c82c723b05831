package cli

import (
	"context"

	"github.com/spf13/cobra"

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
		distributionKept.addVerb(s,
			"  dtally distribution add harrowgate --name Harrowgate --model fixed --family heathbase\n"+
				"  dtally distribution add saltmarsh --name Saltmarsh --model rolling --aim 'Small and new'"),
		distributionKept.editVerb(s, ": fields without a flag stay as they are",
			"  dtally distribution edit mossgate --aim 'Looks familiar to anybody'\n"+
				"  dtally distribution edit thistledown --retired"),
		s.renameVerb("distribution", "mossgate", "mossgrove"),
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
				cmd, c, contract.ListDistributionsParams{Family: family, Model: contract.Model(model)},
			)
			if err != nil {
				return err
			}
			return s.print(cmd, contract.DistributionList{Distributions: ds}, distributionSheet(ds...))
		}),
	}
	cmd.Flags().StringVar(&family, "family", "", "only those based on this one")
	choiceVar(cmd.Flags(), &model, "model", "", "", catalogue.Models)
	return cmd
}

var distributionsTable = tables.Define("distributions", "a distribution",
	tables.Text("key", "Key", ""),
	tables.Text("name", "Name", ""),
	tables.Text("model", "Model", "fixed, rolling or semi-rolling"),
	tables.List("family", "Family", "what it is based on"),
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

// retired formats whether something is retired.
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

var distributionKept = kept[contract.Distribution]{
	noun:   "distribution",
	usage:  "KEY",
	fields: distributionFields,
	blank: func(key string) (contract.Distribution, error) {
		return contract.Distribution{Key: key, Name: key, Model: "fixed"}, nil
	},
	sheet: distributionSheet,
	get:   (*client.Client).ShowDistribution,
	add:   (*client.Client).AddDistribution,
	edit: func(c *client.Client, ctx context.Context, tag string, d contract.Distribution) (got[contract.Distribution], error) {
		return c.EditDistribution(ctx, d.Key, contract.EditDistributionParams{IfMatch: tag}, d)
	},
}

func distributionFields(s *fields[contract.Distribution]) {
	s.text("name", "name", func(d *contract.Distribution) *string { return &d.Name })
	s.choice("model", "", catalogue.Models, func(d *contract.Distribution) *string { return (*string)(&d.Model) })
	s.lines("family", "what it is based on, nearest first",
		func(d *contract.Distribution) *[]string { return &d.Family })
	s.text("aim", "stated aim of its makers", func(d *contract.Distribution) *string { return &d.Aim })
	s.retired(func(d *contract.Distribution) *bool { return &d.Retired })
}
