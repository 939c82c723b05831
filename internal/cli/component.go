package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/comparing"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

func (s *session) componentCommand() *cobra.Command {
	return noun(
		"component",
		"Versions of components, to show how far behind the newest a release was",
		s.listComponents(),
		s.editComponent(),
		s.removeComponent(),
	)
}

var componentsTable = tables.Define("components", "a version of a component that facts are compared with",
	tables.Text("fact", "Fact", "key of the criterion"),
	tables.Text("version", "Version", ""),
	tables.Day("date", "Released", ""),
)

// onComponents reads the settings, which hold the components, changes them and shows them.
func (s *session) onComponents(
	cmd *cobra.Command,
	change func([]comparing.Component) ([]comparing.Component, error),
) error {
	c, err := s.connect()
	if err != nil {
		return err
	}
	rules, err := c.ShowPolicy(cmd.Context())
	if err != nil {
		return err
	}
	p := rules.Value
	if change != nil {
		changed, err := change(of(p))
		if err != nil {
			return err
		}
		p.Components = &changed
		if rules, err = c.SetPolicy(cmd.Context(), contract.SetPolicyParams{IfMatch: rules.ETag}, p); err != nil {
			return err
		}
	}
	components := of(rules.Value)
	t := sheetOf(componentsTable)
	for _, c := range components {
		for _, v := range c.Versions {
			t.Add(c.Fact, v.Version, v.Date)
		}
	}
	return s.print(cmd, map[string]any{"components": components}, t)
}

// of returns the components of the settings.
func of(p contract.Policy) []comparing.Component {
	if p.Components == nil {
		return []comparing.Component{}
	}
	return *p.Components
}

func (s *session) listComponents() *cobra.Command {
	return &cobra.Command{
		Use:     "list",
		Short:   "List components with their versions",
		Example: "  dtally component list\n  dtally component list --output json",
		Args:    args(0, 0),
		RunE:    func(cmd *cobra.Command, _ []string) error { return s.onComponents(cmd, nil) },
	}
}

func (s *session) editComponent() *cobra.Command {
	return &cobra.Command{
		Use:     "edit FACT VERSION=DAY…",
		Short:   "Add versions of a component, or correct their dates; FACT is the criterion with its version",
		Example: "  dtally component edit kernel 6.17=2026-02-16 6.18=2026-04-27\n  dtally component edit desktop-version 6.4=2026-09-30",
		Args:    args(2, -1),
		RunE: func(cmd *cobra.Command, a []string) error {
			var versions []comparing.Version
			for _, pair := range a[1:] {
				version, day, ok := strings.Cut(pair, "=")
				if !ok {
					return wrongUsage("%q is not VERSION=DAY, such as 6.17=2026-02-16", pair)
				}
				versions = append(versions, comparing.Version{Version: version, Date: day})
			}
			return s.onComponents(cmd, func(all []comparing.Component) ([]comparing.Component, error) {
				i := slices.IndexFunc(all, func(c comparing.Component) bool { return c.Fact == a[0] })
				if i < 0 {
					return append(all, comparing.Component{Fact: a[0], Versions: versions}), nil
				}
				for _, v := range versions {
					all[i].Versions = append(
						slices.DeleteFunc(
							all[i].Versions, func(x comparing.Version) bool { return x.Version == v.Version },
						),
						v,
					)
				}
				return all, nil
			})
		},
	}
}

func (s *session) removeComponent() *cobra.Command {
	return &cobra.Command{
		Use:     "remove FACT [VERSION]",
		Short:   "Remove a version of a component, or the component with all versions",
		Example: "  dtally component remove kernel 6.18\n  dtally component remove kernel",
		Args:    args(1, 2),
		RunE: func(cmd *cobra.Command, a []string) error {
			return s.onComponents(cmd, func(all []comparing.Component) ([]comparing.Component, error) {
				i := slices.IndexFunc(all, func(c comparing.Component) bool { return c.Fact == a[0] })
				if i < 0 {
					return nil, fmt.Errorf("%w: component %s has no versions here", errNotFound, a[0])
				}
				if len(a) == 1 {
					return append([]comparing.Component{}, slices.Delete(all, i, i+1)...), nil
				}
				kept := slices.DeleteFunc(
					slices.Clone(all[i].Versions), func(v comparing.Version) bool { return v.Version == a[1] },
				)
				if len(kept) == len(all[i].Versions) {
					return nil, fmt.Errorf("%w: %s has no version %s here", errNotFound, a[0], a[1])
				}
				all[i].Versions = kept
				return all, nil
			})
		},
	}
}
