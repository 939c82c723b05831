package cli

import (
	"fmt"
	"net/http"

	"github.com/spf13/cobra"

	"dappertally/core/catalogue"
	"dappertally/internal/client"
)

func (s *session) rigCommand() *cobra.Command {
	return noun("rig", "Test machines", s.listRigs(), s.showRig(), s.addRig())
}

func (s *session) listRigs() *cobra.Command {
	return &cobra.Command{
		Use:     "list",
		Short:   "List rigs, alphabetically",
		Example: "  dtally rig list\n  dtally rig list --output yaml",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			rs, err := all(func(cursor string) (*http.Response, error) {
				return c.ListRigs(cmd.Context(), &client.ListRigsParams{Cursor: cursor})
			}, func(l *client.RigList) ([]client.Rig, string) { return l.Rigs, l.Next })
			if err != nil {
				return err
			}
			return s.print(cmd, client.RigList{Rigs: rs}, rigSheet(rs...))
		},
	}
}

func rigSheet(rs ...catalogue.Rig) *sheet {
	t := &sheet{columns: []string{"Key", "Name", "Class", "Processor", ">Cores", ">Memory MiB", "Graphics", "Storage", "Equipment", ">Weight"}}
	for _, r := range rs {
		weight := "1"
		if r.Weight != nil {
			weight = fmt.Sprint(*r.Weight)
		}
		t.add(r.Key, r.Name, r.Class, r.CPU, orDash(int64(r.Cores)), orDash(r.MemoryMiB), r.Graphics, r.Storage, list(r.Equipment), weight)
	}
	return t
}

func (s *session) showRig() *cobra.Command {
	return &cobra.Command{
		Use:     "show KEY",
		Short:   "Show a rig",
		Example: "  dtally rig show bench-old\n  dtally rig show bench-vm --output json",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			r, err := client.Read[client.Rig](c.ShowRig(cmd.Context(), a[0]))
			if err != nil {
				return err
			}
			return s.print(cmd, r.Value, rigSheet(r.Value))
		},
	}
}

func (s *session) addRig() *cobra.Command {
	var r client.Rig
	var weight float64
	cmd := &cobra.Command{
		Use:     "add KEY",
		Short:   "Add a rig",
		Example: "  dtally rig add bench-tiny --name 'Tiny board' --class low-power --cores 4 --memory 2048\n  dtally rig add bench-vm2 --name 'Second virtual machine' --class virtual --virtual --weight 0.5",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			r.Key = a[0]
			if cmd.Flags().Changed("weight") {
				r.Weight = &weight
			}
			added, err := client.Read[client.Rig](c.AddRig(cmd.Context(), r))
			if err != nil {
				return err
			}
			return s.print(cmd, added.Value, rigSheet(added.Value))
		},
	}
	f := cmd.Flags()
	f.StringVar(&r.Name, "name", "", "how it is called")
	f.StringVar(&r.Class, "class", "", "older, current, low-power or virtual")
	f.BoolVar(&r.Virtual, "virtual", false, "a virtual machine")
	f.StringVar(&r.CPU, "cpu", "", "its processor")
	f.IntVar(&r.Cores, "cores", 0, "how many cores")
	f.Int64Var(&r.MemoryMiB, "memory", 0, "memory in MiB")
	f.StringVar(&r.Graphics, "graphics", "", "its graphics")
	f.StringVar(&r.Storage, "storage", "", "its storage")
	f.StringSliceVar(&r.Equipment, "equipment", nil, "such as wireless or printer")
	f.Float64Var(&weight, "weight", 1, "how much it counts among the rigs")
	return cmd
}
