package cli

import (
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappertally/core/catalogue"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

func (s *session) releaseCommand() *cobra.Command {
	return noun(
		"release",
		"Releases of distributions",
		s.listReleases(),
		s.showRelease(),
		s.addRelease(),
		s.editRelease(),
		s.renameVerb(
			"release",
			"mossgate/12",
			"12.0",
		),
		s.mergeVerb("release", "--date 2026-06-11", "mossgate/12-final", "mossgate/12"),
	)
}

func (s *session) releases(cmd *cobra.Command, c *client.Client, distribution string) ([]contract.Release, error) {
	return all(func(cursor string) (client.Got[contract.ReleaseList], error) {
		return c.ListReleases(cmd.Context(), contract.ListReleasesParams{Cursor: cursor, Distribution: distribution})
	}, func(l *contract.ReleaseList) ([]contract.Release, string) { return l.Releases, l.Next })
}

func (s *session) listReleases() *cobra.Command {
	return &cobra.Command{
		Use:     "list [DISTRIBUTION]",
		Short:   "List releases, by distribution and date",
		Example: "  dtally release list\n  dtally release list cinderfen",
		Args:    args(0, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			rs, err := s.releases(cmd, c, strings.Join(a, ""))
			if err != nil {
				return err
			}
			return s.print(cmd, contract.ReleaseList{Releases: rs}, releaseSheet(rs...))
		}),
	}
}

var releasesTable = tables.Define("releases", "a release of a distribution",
	tables.Text("distribution", "Distribution", "its key"),
	tables.Text("release", "Release", "its version"),
	tables.Text("codename", "Codename", ""),
	tables.Day("date", "Date", "of the release"),
	tables.Text("tier", "Tier", "of support: long-term, regular or snapshot"),
	tables.Text("stage", "Stage", "pre-release or final"),
	tables.Day("endOfSupport", "Support ends", ""),
	tables.List("replaces", "Replaces", "versions"),
	tables.Text("basedOn", "Based on", "a release"),
	tables.Truth("retired", "Retired", ""),
)

func releaseSheet(rs ...contract.Release) *sheet {
	t := sheetOf(releasesTable)
	for _, r := range rs {
		t.Add(
			r.Distribution,
			r.Version,
			r.Codename,
			r.Date,
			string(r.Tier),
			string(r.Stage),
			r.EndOfSupport,
			r.Replaces,
			r.BasedOn,
			retired(r.Retired),
		)
	}
	return t
}

// splitRelease takes distribution/release apart.
func splitRelease(key string) (distribution, version string, err error) {
	parts := strings.Split(key, "/")
	if len(parts) != 2 || parts[0] == "" || parts[1] == "" {
		return "", "", wrongUsage("%q names no release; write it distribution/release, such as bramblewick/7.0", key)
	}
	return parts[0], parts[1], nil
}

func (s *session) showRelease() *cobra.Command {
	return &cobra.Command{
		Use:     "show DISTRIBUTION/RELEASE",
		Short:   "Show a release and its editions",
		Example: "  dtally release show bramblewick/7.0\n  dtally release show cinderfen/2026-05-02 --output json",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			distribution, version, err := splitRelease(a[0])
			if err != nil {
				return err
			}
			r, err := c.ShowRelease(cmd.Context(), distribution, version)
			if err != nil {
				return err
			}
			es, err := s.editions(cmd, c, contract.ListEditionsParams{Distribution: distribution, Release: version})
			if err != nil {
				return err
			}
			return s.print(cmd, r.Value, releaseSheet(r.Value), editionSheet(es...))
		}),
	}
}

func releaseFlags(f *pflag.FlagSet) setters[contract.Release] {
	s := setters[contract.Release]{}
	s.text(f, "date", "YYYY-MM-DD", func(r *contract.Release) *string { return &r.Date })
	s.text(f, "codename", "its makers' name for it", func(r *contract.Release) *string { return &r.Codename })
	s.choice(f, "tier", "", catalogue.Tiers, func(r *contract.Release) *string { return (*string)(&r.Tier) })
	s.choice(f, "stage", "", catalogue.Stages, func(r *contract.Release) *string { return (*string)(&r.Stage) })
	s.text(f, "end-of-support", "YYYY-MM-DD", func(r *contract.Release) *string { return &r.EndOfSupport })
	s.lines(f, "replaces", "a release that it replaces", func(r *contract.Release) *[]string { return &r.Replaces })
	s.text(
		f,
		"based-on",
		"the release of its base that it is built on, as distribution/release",
		func(r *contract.Release) *string { return &r.BasedOn },
	)
	s.yes(
		f,
		"retired",
		"kept and no longer offered; --retired=false brings it back",
		func(r *contract.Release) *bool { return &r.Retired },
	)
	return s
}

func (s *session) addRelease() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "add DISTRIBUTION/RELEASE",
		Short:   "Add a release",
		Example: "  dtally release add quaymark/23.0 --date 2027-04-22 --tier regular --replaces 22.1\n  dtally release add eiderloft/2026-10 --date 2026-10-15 --tier snapshot",
		Args:    args(1, 1),
	}
	set := releaseFlags(cmd.Flags())
	cmd.RunE = s.asking(func(cmd *cobra.Command, a []string, c *client.Client) (err error) {
		r := contract.Release{Stage: "final"}
		if r.Distribution, r.Version, err = splitRelease(a[0]); err != nil {
			return err
		}
		set.apply(cmd, &r)
		return show(s, cmd, each(releaseSheet))(c.AddRelease(cmd.Context(), r))
	})
	return cmd
}

func (s *session) editRelease() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "edit DISTRIBUTION/RELEASE",
		Short:   "Correct a release: what is not said stays",
		Example: "  dtally release edit mossgate/12 --end-of-support 2031-06-11\n  dtally release edit ivybeck/6.0 --stage final --date 2026-02-20",
		Args:    args(1, 1),
	}
	set := releaseFlags(cmd.Flags())
	cmd.RunE = s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
		distribution, version, err := splitRelease(a[0])
		if err != nil {
			return err
		}
		r, err := c.ShowRelease(cmd.Context(), distribution, version)
		if err != nil {
			return err
		}
		set.apply(cmd, &r.Value)
		return show(s, cmd, each(releaseSheet))(c.EditRelease(
			cmd.Context(),
			r.Value.Distribution,
			r.Value.Version,
			contract.EditReleaseParams{IfMatch: r.ETag},
			r.Value,
		))
	})
	return cmd
}
