package cli

import (
	"fmt"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/core/scoring"
	"dappertally/internal/client"
)

// view is the audience, the moment, the rigs and the filter of a result.
type view struct {
	checklist, audience, at string
	rigWeights              []string
	commonRigs, ground      bool
	sections, criteria      []string // custom weights
	group                   map[string]*[]string
	from, to                string
	newest                  bool
}

// flags adds the flags that the core alone can answer.
func (v *view) flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&v.checklist, "checklist", "", "KEY@VERSION (default: the version shown to readers)")
	f.StringVar(&v.audience, "audience", "", "weighted for this audience")
	f.StringVar(&v.at, "at", "", "as of that time, such as 2026-06-01 or 2026-06-01T09:30:00Z")
	f.StringArrayVar(&v.rigWeights, "rig-weight", nil, "KEY=N, repeatable: weight of this rig")
	f.BoolVar(&v.commonRigs, "common-rigs", false, "only rigs that all editions have")
	cmd.PreRunE = func(*cobra.Command, []string) error {
		_, err := v.time()
		return err
	}
}

// groups lists the flags that filter the editions, with their help.
var groups = []struct{ name, says string }{
	{"distribution", "only this distribution"},
	{"family", "only this one and those based on it"},
	{"base", "only what is based on this distribution or release"},
	{"model", "only this release model: fixed, rolling, semi-rolling"},
	{"tier", "only this support tier: long-term, regular, snapshot"},
	{"desktop", "only this desktop"},
	{"purpose", "only this purpose"},
	{"architecture", "only this architecture"},
	{"profile", "only this install profile"},
	{"only", "only this edition"},
	{"rig", "measures count only on this rig"},
	{"rig-class", "measures count only on rigs of this class: older, current, low-power, virtual"},
}

// allFlags adds the filters, and custom weights.
func (v *view) allFlags(cmd *cobra.Command) {
	v.flags(cmd)
	v.group = map[string]*[]string{}
	f := cmd.Flags()
	f.StringArrayVar(&v.sections, "section-weight", nil, "KEY=N, repeatable: weight of this section")
	f.StringArrayVar(
		&v.criteria, "criterion-weight", nil, "KEY=N, repeatable: weight of this criterion within its section",
	)
	for _, g := range groups {
		v.group[g.name] = f.StringArray(g.name, nil, g.says+"; repeatable")
	}
	f.StringVar(&v.from, "released-from", "", "only releases from that day on, such as 2026-01-31")
	f.StringVar(&v.to, "released-to", "", "only releases of that day or earlier")
	f.BoolVar(&v.newest, "newest", false, "only the newest accepted release of each edition line")
}

// groundFlag adds the flag to rank several versions' editions together.
func (v *view) groundFlag(cmd *cobra.Command) {
	cmd.Flags().
		BoolVar(&v.ground, "ground", false, "include editions reviewed on earlier versions of the checklist, all on what these versions "+
			"ask the same way")
}

// through returns a client that requests every result with the view, whose time has been checked.
func (v *view) through(c *client.Client) *client.Client {
	at, _ := v.time()
	q := url.Values{}
	set := func(name, value string) {
		if value != "" {
			q.Set(name, value)
		}
	}
	set("checklist", v.checklist)
	set("audience", v.audience)
	if !at.IsZero() {
		set("at", at.Format(time.RFC3339Nano))
	}
	set("releasedFrom", v.from)
	set("releasedTo", v.to)
	for name, on := range map[string]bool{"commonRigs": v.commonRigs, "ground": v.ground, "newest": v.newest} {
		if on {
			q.Set(name, "true")
		}
	}
	add(q, "rigWeight", v.rigWeights)
	add(q, "sectionWeight", v.sections)
	add(q, "criterionWeight", v.criteria)
	for name, values := range v.group {
		if name == "rig-class" {
			name = "rigClass"
		}
		add(q, name, *values)
	}
	return c.Through(q)
}

func add(q url.Values, name string, values []string) {
	for _, value := range values {
		q.Add(name, value)
	}
}

// time returns the requested moment; a day stands for its end.
func (v *view) time() (time.Time, error) { return momentOf("--at", v.at) }

func momentOf(flag, text string) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	if day, err := time.Parse(time.DateOnly, text); err == nil {
		return day.AddDate(0, 0, 1).Add(-time.Second), nil
	}
	at, err := time.Parse(time.RFC3339, text)
	if err != nil {
		return at, wrongUsage("%s %q is not a time such as 2026-06-01 or 2026-06-01T00:00:00Z", flag, text)
	}
	return at, nil
}

// options returns a view's options for the core.
func (v *view) options() (scoring.Options, error) {
	o := scoring.Options{Audience: v.audience, CommonRigs: v.commonRigs}
	if at, err := v.time(); err != nil {
		return o, err
	} else if !at.IsZero() {
		o.At = &at
	}
	for _, pair := range v.rigWeights {
		rig, text, _ := strings.Cut(pair, "=")
		var w float64
		if n, err := fmt.Sscan(text, &w); n != 1 || err != nil || !(w >= 0 && w <= 1e6) {
			return o, wrongUsage("--rig-weight %q is not KEY=N with N between 0 and a million", pair)
		}
		if o.RigWeights == nil {
			o.RigWeights = map[string]float64{}
		}
		o.RigWeights[rig] = w
	}
	return o, nil
}
