package cli

import (
	"cmp"
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/catalogue"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/results"
	"dappertally/internal/tables"
)

func (s *session) rigCommand() *cobra.Command {
	return noun(
		"rig",
		"Test machines",
		s.listRigs(),
		rigKept.showVerb(s,
			"  dtally rig show bench-old\n"+
				"  dtally rig show bench-vm --output json"),
		rigKept.addVerb(s,
			"  dtally rig add bench-tiny --name 'Tiny board' --class low-power --cores 4 --memory 2048\n"+
				"  dtally rig add bench-old2 --name 'Old laptop with a new disk' --class older --replaces bench-old"),
		rigKept.editVerb(s, "; its specification is fixed once it has readings",
			"  dtally rig edit bench-new --equipment wireless --equipment printer\n"+
				"  dtally rig edit bench-old --retired"),
		s.rigControl(),
		s.renameVerb("rig", "bench-old", "bench-oldest"),
		s.mergeVerb(
			"rig",
			"--class older --cpu 'dual-core at 2.1 GHz' --cores 2 --memory 4096 --graphics built-in --storage 'spinning disk'",
			"old-bench",
			"bench-old",
		),
	)
}

func (s *session) rigs(cmd *cobra.Command, c *client.Client) ([]contract.Rig, error) {
	return all(func(cursor string) (client.Got[contract.RigList], error) {
		return c.ListRigs(cmd.Context(), contract.ListRigsParams{Cursor: cursor})
	}, func(l *contract.RigList) ([]contract.Rig, string) { return l.Rigs, l.Next })
}

func (s *session) listRigs() *cobra.Command {
	return &cobra.Command{
		Use:     "list",
		Short:   "List rigs, alphabetically",
		Example: "  dtally rig list\n  dtally rig list --output yaml",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			rs, err := s.rigs(cmd, c)
			if err != nil {
				return err
			}
			return s.print(cmd, contract.RigList{Rigs: rs}, rigSheet(rs...))
		}),
	}
}

func rigSheet(rs ...catalogue.Rig) *sheet { return &sheet{Table: results.Rigs(rs)} }

var rigKept = kept[contract.Rig]{
	noun:   "rig",
	usage:  "KEY",
	fields: rigFields,
	blank:  func(key string) (contract.Rig, error) { return contract.Rig{Key: key}, nil },
	sheet:  rigSheet,
	get: func(c *client.Client, ctx context.Context, key string) (got[contract.Rig], error) {
		return c.ShowRig(ctx, key)
	},
	add: (*client.Client).AddRig,
	edit: func(c *client.Client, ctx context.Context, tag string, r contract.Rig) (got[contract.Rig], error) {
		return c.EditRig(ctx, r.Key, contract.EditRigParams{IfMatch: tag}, r)
	},
}

func rigFields(s *fields[contract.Rig]) {
	s.text("name", "name", func(r *contract.Rig) *string { return &r.Name })
	s.choice("class", "", catalogue.Classes, func(r *contract.Rig) *string { return &r.Class })
	s.yes("virtual", "a virtual machine", func(r *contract.Rig) *bool { return &r.Virtual })
	s.text("cpu", "its processor", func(r *contract.Rig) *string { return &r.CPU })
	s.whole("cores", "number of cores", func(r *contract.Rig) *int { return &r.Cores })
	s.long("memory", "memory in MiB", func(r *contract.Rig) *int64 { return &r.MemoryMiB })
	s.text("graphics", "its graphics", func(r *contract.Rig) *string { return &r.Graphics })
	s.text("storage", "its storage", func(r *contract.Rig) *string { return &r.Storage })
	s.lines("equipment", "such as wireless or printer", func(r *contract.Rig) *[]string { return &r.Equipment })
	s.text("replaces", "the rig that this machine was before it changed",
		func(r *contract.Rig) *string { return &r.Replaces })
	s.retired(func(r *contract.Rig) *bool { return &r.Retired })
	weight := s.flags.Float64("weight", 1, "weight among the rigs")
	s.set["weight"] = func(r *contract.Rig) { r.Weight = weight }
}

var controlTable = tables.Define("control", "a session of the reference of a rig",
	tables.Moment("at", "Session", "when it was measured"),
	tables.Number("value", "Value", "the median of its runs, in the unit"),
	tables.Text("state", "State", "in the band, or outside"),
	tables.Text("edition", "Edition", "under review then, its key"),
	tables.Text("reviewer", "Reviewer", "name"),
	tables.Text("review", "", "its id"),
)

func (s *session) rigControl() *cobra.Command {
	return &cobra.Command{
		Use:   "control RIG",
		Short: "Show whether a rig has changed",
		Long: "Show the reference of a rig over time: the measure that its checklist names, which dtally " +
			"measure takes first in every session. Outside the band (three standard deviations, from the " +
			"median moving range) the machine itself has changed; check what was measured on it from " +
			"then on.",
		Example: "  dtally rig control bench-old\n  dtally rig control bench-new --output json",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			return show(s, cmd, alone(controlSheet))(c.ShowRigControl(cmd.Context(), a[0]))
		}),
	}
}

func controlSheet(c *contract.RigControl) *sheet {
	t := sheetOf(controlTable)
	switch {
	case c.Criterion == "":
		t.heading = "No checklist in force names a reference for the rigs"
		return t
	case len(c.Chart.Out) == 0 && c.Chart.High == 0:
		t.heading = fmt.Sprintf(
			"%s on %s: too few sessions for a band, which needs six",
			cmp.Or(c.Title, c.Criterion),
			c.Rig,
		)
	default:
		t.heading = fmt.Sprintf("%s on %s: the band is %s to %s %s", cmp.Or(c.Title, c.Criterion), c.Rig,
			numerals.Value(&c.Chart.Low), numerals.Value(&c.Chart.High), c.Unit)
	}
	for _, p := range c.Chart.Out {
		until := "still outside"
		if p.Until != nil {
			until = "until " + p.Until.Format("2 January 2006")
		}
		t.note += fmt.Sprintf("Outside its band from %s, %s: check what was measured on it.\n",
			p.From.Format("2 January 2006"), until)
	}
	t.note = strings.TrimSuffix(t.note, "\n")
	for _, x := range c.Samples {
		state := "in the band"
		switch {
		case x.Out:
			state = "outside"
		case c.Chart.High == 0:
			state = ""
		}
		t.Add(x.At, tables.As{Data: x.Value, Text: numerals.Value(&x.Value)}, state, x.Edition, x.Reviewer, x.Review)
	}
	return t
}
