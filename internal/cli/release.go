package cli

import (
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
)

func (s *session) releaseCommand() *cobra.Command {
	return noun("release", "Releases of distributions", s.listReleases(), s.showRelease(), s.addRelease())
}

func (s *session) releases(cmd *cobra.Command, c *client.Client, distribution string) ([]client.Release, error) {
	return all(func(cursor string) (*http.Response, error) {
		return c.ListReleases(cmd.Context(), &client.ListReleasesParams{Cursor: cursor, Distribution: distribution})
	}, func(l *client.ReleaseList) ([]client.Release, string) { return l.Releases, l.Next })
}

func (s *session) listReleases() *cobra.Command {
	return &cobra.Command{
		Use:     "list [DISTRIBUTION]",
		Short:   "List releases, by distribution and date",
		Example: "  dtally release list\n  dtally release list cinderfen",
		Args:    args(0, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			rs, err := s.releases(cmd, c, strings.Join(a, ""))
			if err != nil {
				return err
			}
			return s.print(cmd, client.ReleaseList{Releases: rs}, releaseSheet(rs...))
		},
	}
}

func releaseSheet(rs ...client.Release) *sheet {
	t := &sheet{columns: []string{"Distribution", "Release", "Codename", "Date", "Tier", "Stage", "Support ends", "Replaces", "Based on"}}
	for _, r := range rs {
		t.add(r.Distribution, r.Version, r.Codename, r.Date, string(r.Tier), string(r.Stage), r.EndOfSupport, list(r.Replaces), r.BasedOn)
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
		RunE: func(cmd *cobra.Command, a []string) error {
			distribution, version, err := splitRelease(a[0])
			if err != nil {
				return err
			}
			c, err := s.connect()
			if err != nil {
				return err
			}
			r, err := client.Read[client.Release](c.ShowRelease(cmd.Context(), distribution, version))
			if err != nil {
				return err
			}
			es, err := s.editions(cmd, c, client.ListEditionsParams{Distribution: distribution, Release: version})
			if err != nil {
				return err
			}
			return s.print(cmd, r.Value, releaseSheet(r.Value), editionSheet(es...))
		},
	}
}

func (s *session) addRelease() *cobra.Command {
	var r client.Release
	var tier, stage string
	cmd := &cobra.Command{
		Use:     "add DISTRIBUTION/RELEASE",
		Short:   "Add a release",
		Example: "  dtally release add quaymark/23.0 --date 2027-04-22 --tier regular --replaces 22.1\n  dtally release add eiderloft/2026-10 --date 2026-10-15 --tier snapshot",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) (err error) {
			if r.Distribution, r.Version, err = splitRelease(a[0]); err != nil {
				return err
			}
			c, err := s.connect()
			if err != nil {
				return err
			}
			r.Tier, r.Stage = client.ReleaseTier(tier), client.ReleaseStage(stage)
			added, err := client.Read[client.Release](c.AddRelease(cmd.Context(), r))
			if err != nil {
				return err
			}
			return s.print(cmd, added.Value, releaseSheet(added.Value))
		},
	}
	f := cmd.Flags()
	f.StringVar(&r.Date, "date", "", "YYYY-MM-DD")
	f.StringVar(&r.Codename, "codename", "", "its makers' name for it")
	f.StringVar(&tier, "tier", "", "long-term, regular or snapshot")
	f.StringVar(&stage, "stage", "final", "pre-release or final")
	f.StringVar(&r.EndOfSupport, "end-of-support", "", "YYYY-MM-DD")
	f.StringSliceVar(&r.Replaces, "replaces", nil, "the releases that it replaces")
	f.StringVar(&r.BasedOn, "based-on", "", "the release of its base that it is built on")
	return cmd
}
