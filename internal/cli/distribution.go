package cli

import (
	"net/http"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
)

func (s *session) distributionCommand() *cobra.Command {
	return noun("distribution", "Distributions of the catalogue", s.listDistributions(), s.showDistribution(), s.addDistribution())
}

func (s *session) listDistributions() *cobra.Command {
	var family, model string
	cmd := &cobra.Command{
		Use:     "list",
		Short:   "List distributions, alphabetically",
		Example: "  dtally distribution list\n  dtally distribution list --family fenbase --output csv",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			ds, err := all(func(cursor string) (*http.Response, error) {
				return c.ListDistributions(cmd.Context(), &client.ListDistributionsParams{Cursor: cursor, Family: family, Model: client.Model(model)})
			}, func(l *client.DistributionList) ([]client.Distribution, string) { return l.Distributions, l.Next })
			if err != nil {
				return err
			}
			return s.print(cmd, client.DistributionList{Distributions: ds}, distributionSheet(ds...))
		},
	}
	cmd.Flags().StringVar(&family, "family", "", "only those built on this one")
	cmd.Flags().StringVar(&model, "model", "", "fixed, rolling or semi-rolling")
	return cmd
}

func distributionSheet(ds ...client.Distribution) *sheet {
	t := &sheet{columns: []string{"Key", "Name", "Model", "Family", "Aim"}}
	for _, d := range ds {
		t.add(d.Key, d.Name, string(d.Model), list(d.Family), d.Aim)
	}
	return t
}

func (s *session) showDistribution() *cobra.Command {
	return &cobra.Command{
		Use:     "show KEY",
		Short:   "Show a distribution and its releases",
		Example: "  dtally distribution show bramblewick\n  dtally distribution show cinderfen --output yaml",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			d, err := client.Read[client.Distribution](c.ShowDistribution(cmd.Context(), a[0]))
			if err != nil {
				return err
			}
			rs, err := s.releases(cmd, c, a[0])
			if err != nil {
				return err
			}
			return s.print(cmd, d.Value, distributionSheet(d.Value), releaseSheet(rs...))
		},
	}
}

func (s *session) addDistribution() *cobra.Command {
	var d client.Distribution
	var model string
	cmd := &cobra.Command{
		Use:     "add KEY",
		Short:   "Add a distribution",
		Example: "  dtally distribution add harrowgate --name Harrowgate --model fixed --family heathbase\n  dtally distribution add saltmarsh --name Saltmarsh --model rolling --aim 'Small and new'",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			d.Key, d.Model = a[0], client.Model(model)
			added, err := client.Read[client.Distribution](c.AddDistribution(cmd.Context(), d))
			if err != nil {
				return err
			}
			return s.print(cmd, added.Value, distributionSheet(added.Value))
		},
	}
	f := cmd.Flags()
	f.StringVar(&d.Name, "name", "", "how it is called")
	f.StringVar(&model, "model", "fixed", "fixed, rolling or semi-rolling")
	f.StringSliceVar(&d.Family, "family", nil, "what it is built on, nearest first")
	f.StringVar(&d.Aim, "aim", "", "what its makers want it to be")
	return cmd
}
