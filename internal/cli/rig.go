package cli

import (
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

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
		s.showRig(),
		s.addRig(),
		s.editRig(),
		s.renameVerb(
			"rig",
			"bench-old",
			"bench-oldest",
		),
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

func (s *session) showRig() *cobra.Command {
	return &cobra.Command{
		Use:     "show KEY",
		Short:   "Show a rig",
		Example: "  dtally rig show bench-old\n  dtally rig show bench-vm --output json",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			return show(s, cmd, each(rigSheet))(c.ShowRig(cmd.Context(), a[0]))
		}),
	}
}

func rigFlags(f *pflag.FlagSet) setters[contract.Rig] {
	s := setters[contract.Rig]{}
	s.text(f, "name", "how it is called", func(r *contract.Rig) *string { return &r.Name })
	s.choice(f, "class", "", catalogue.Classes, func(r *contract.Rig) *string { return &r.Class })
	s.yes(f, "virtual", "a virtual machine", func(r *contract.Rig) *bool { return &r.Virtual })
	s.text(f, "cpu", "its processor", func(r *contract.Rig) *string { return &r.CPU })
	s.whole(f, "cores", "how many cores", func(r *contract.Rig) *int { return &r.Cores })
	s.long(f, "memory", "memory in MiB", func(r *contract.Rig) *int64 { return &r.MemoryMiB })
	s.text(f, "graphics", "its graphics", func(r *contract.Rig) *string { return &r.Graphics })
	s.text(f, "storage", "its storage", func(r *contract.Rig) *string { return &r.Storage })
	s.lines(f, "equipment", "such as wireless or printer", func(r *contract.Rig) *[]string { return &r.Equipment })
	s.text(
		f,
		"replaces",
		"the rig that this machine was before it changed",
		func(r *contract.Rig) *string { return &r.Replaces },
	)
	s.yes(
		f,
		"retired",
		"kept and no longer offered; --retired=false brings it back",
		func(r *contract.Rig) *bool { return &r.Retired },
	)
	weight := f.Float64("weight", 1, "how much it counts among the rigs")
	s["weight"] = func(r *contract.Rig) { r.Weight = weight }
	return s
}

func (s *session) addRig() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "add KEY",
		Short:   "Add a rig",
		Example: "  dtally rig add bench-tiny --name 'Tiny board' --class low-power --cores 4 --memory 2048\n  dtally rig add bench-old2 --name 'Old laptop with a new disk' --class older --replaces bench-old",
		Args:    args(1, 1),
	}
	set := rigFlags(cmd.Flags())
	cmd.RunE = s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
		r := contract.Rig{Key: a[0]}
		set.apply(cmd, &r)
		return show(s, cmd, each(rigSheet))(c.AddRig(cmd.Context(), r))
	})
	return cmd
}

func (s *session) editRig() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "edit KEY",
		Short:   "Correct a rig; its specification is fixed once it has readings",
		Example: "  dtally rig edit bench-new --equipment wireless --equipment printer\n  dtally rig edit bench-old --retired",
		Args:    args(1, 1),
	}
	set := rigFlags(cmd.Flags())
	cmd.RunE = s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
		r, err := c.ShowRig(cmd.Context(), a[0])
		if err != nil {
			return err
		}
		set.apply(cmd, &r.Value)
		return show(
			s,
			cmd,
			each(rigSheet),
		)(
			c.EditRig(cmd.Context(), r.Value.Key, contract.EditRigParams{IfMatch: r.ETag}, r.Value),
		)
	})
	return cmd
}
