package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

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
		releaseKept.addVerb(s,
			"  dtally release add quaymark/23.0 --date 2027-04-22 --tier regular --replaces 22.1\n"+
				"  dtally release add eiderloft/2026-10 --date 2026-10-15 --tier snapshot"),
		releaseKept.editVerb(s, ": fields without a flag stay as they are",
			"  dtally release edit mossgate/12 --end-of-support 2031-06-11\n"+
				"  dtally release edit ivybeck/6.0 --stage final --date 2026-02-20"),
		s.renameVerb("release", "mossgate/12", "12.0"),
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

// splitRelease splits distribution/release.
func splitRelease(key string) (distribution, version string, err error) {
	parts := strings.Split(key, "/")
	if len(parts) != 2 || parts[0] == "" || parts[1] == "" {
		return "", "", wrongUsage("%q is not a release; write distribution/release, such as bramblewick/7.0", key)
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

var releaseKept = kept[contract.Release]{
	noun:   "release",
	usage:  "DISTRIBUTION/RELEASE",
	fields: releaseFields,
	blank: func(key string) (r contract.Release, err error) {
		r.Stage = "final"
		r.Distribution, r.Version, err = splitRelease(key)
		return r, err
	},
	sheet: releaseSheet,
	get: func(c *client.Client, ctx context.Context, key string) (found got[contract.Release], err error) {
		distribution, version, err := splitRelease(key)
		if err != nil {
			return found, err
		}
		return c.ShowRelease(ctx, distribution, version)
	},
	add: (*client.Client).AddRelease,
	edit: func(c *client.Client, ctx context.Context, tag string, r contract.Release) (got[contract.Release], error) {
		return c.EditRelease(ctx, r.Distribution, r.Version, contract.EditReleaseParams{IfMatch: tag}, r)
	},
}

func releaseFields(s *fields[contract.Release]) {
	s.text("date", "YYYY-MM-DD", func(r *contract.Release) *string { return &r.Date })
	s.text("codename", "codename", func(r *contract.Release) *string { return &r.Codename })
	s.choice("tier", "", catalogue.Tiers, func(r *contract.Release) *string { return (*string)(&r.Tier) })
	s.choice("stage", "", catalogue.Stages, func(r *contract.Release) *string { return (*string)(&r.Stage) })
	s.text("end-of-support", "YYYY-MM-DD", func(r *contract.Release) *string { return &r.EndOfSupport })
	s.lines("replaces", "a release that it replaces", func(r *contract.Release) *[]string { return &r.Replaces })
	s.text("based-on", "the release of its base, as distribution/release",
		func(r *contract.Release) *string { return &r.BasedOn })
	s.retired(func(r *contract.Release) *bool { return &r.Retired })
}
