package cli

import (
	"context"

	"github.com/spf13/cobra"

	"dappertally/core/catalogue"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/results"
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
	s.text("name", "how it is called", func(r *contract.Rig) *string { return &r.Name })
	s.choice("class", "", catalogue.Classes, func(r *contract.Rig) *string { return &r.Class })
	s.yes("virtual", "a virtual machine", func(r *contract.Rig) *bool { return &r.Virtual })
	s.text("cpu", "its processor", func(r *contract.Rig) *string { return &r.CPU })
	s.whole("cores", "how many cores", func(r *contract.Rig) *int { return &r.Cores })
	s.long("memory", "memory in MiB", func(r *contract.Rig) *int64 { return &r.MemoryMiB })
	s.text("graphics", "its graphics", func(r *contract.Rig) *string { return &r.Graphics })
	s.text("storage", "its storage", func(r *contract.Rig) *string { return &r.Storage })
	s.lines("equipment", "such as wireless or printer", func(r *contract.Rig) *[]string { return &r.Equipment })
	s.text("replaces", "the rig that this machine was before it changed",
		func(r *contract.Rig) *string { return &r.Replaces })
	s.retired(func(r *contract.Rig) *bool { return &r.Retired })
	weight := s.flags.Float64("weight", 1, "how much it counts among the rigs")
	s.set["weight"] = func(r *contract.Rig) { r.Weight = weight }
}
