package cli

import (
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/plainyaml"
	"dappertally/internal/results"
	"dappertally/internal/tables"
)

func (s *session) checklistCommand() *cobra.Command {
	return noun(
		"checklist",
		"The shared checklist and its versions",
		s.listChecklists(),
		s.showChecklist(),
		s.addChecklist(),
		s.editChecklist(),
		s.newChecklist(),
		s.exportChecklist(),
		s.importChecklist(),
		s.checkChecklist(),
		s.differChecklists(),
		s.kitCommand(),
	)
}

var checklistsTable = tables.Define("checklists", "a checklist version",
	tables.Text("checklist", "Checklist", "key@version"),
	tables.Text("title", "Title", ""),
	tables.Text("state", "State", "draft, in-force or retired"),
	tables.Truth("shown", "Shown", "readers see it unless they choose another"),
	tables.Integer("sections", "Sections", ""),
	tables.Integer("criteria", "Criteria", ""),
	tables.List("audiences", "Audiences", "keys"),
)

func (s *session) listChecklists() *cobra.Command {
	return &cobra.Command{
		Use:     "list",
		Short:   "List checklist versions",
		Example: "  dtally checklist list\n  dtally checklist list --output json",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			cs, err := s.checklists(cmd, c)
			if err != nil {
				return err
			}
			t := sheetOf(checklistsTable)
			for _, x := range cs {
				var audiences []string
				for _, a := range x.Audiences {
					audiences = append(audiences, a.Key)
				}
				if text := changing(&x.Changeover); text != "" {
					t.note += text + "\n"
				}
				t.Add(
					fmt.Sprintf("%s@%d", x.Key, x.Version),
					x.Title,
					string(x.State),
					tables.As{Data: x.Shown, Text: mark(x.Shown, "shown")},
					x.Sections,
					x.Criteria,
					audiences,
				)
			}
			t.note = strings.TrimSuffix(t.note, "\n")
			return s.print(cmd, contract.ChecklistList{Checklists: cs}, t)
		}),
	}
}

func (s *session) checklists(cmd *cobra.Command, c *client.Client) ([]contract.ChecklistSummary, error) {
	return all(func(cursor string) (client.Got[contract.ChecklistList], error) {
		return c.ListChecklists(cmd.Context(), contract.ListChecklistsParams{Cursor: cursor})
	}, func(l *contract.ChecklistList) ([]contract.ChecklistSummary, string) { return l.Checklists, l.Next })
}

func splitChecklist(name string) (key string, version int, err error) {
	key, text, _ := strings.Cut(name, "@")
	version, err = strconv.Atoi(text)
	if err != nil || key == "" {
		return "", 0, wrongUsage("%q is not a checklist version; write key@version, such as workshop@1", name)
	}
	return key, version, nil
}

func (s *session) showChecklist() *cobra.Command {
	return &cobra.Command{
		Use:     "show KEY@VERSION",
		Short:   "Show a checklist version with its weights",
		Example: "  dtally checklist show workshop@1\n  dtally checklist show workshop@1 --output yaml > first.yaml",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			return s.onChecklist(cmd, a[0], func(_ *client.Client, x client.Got[contract.Checklist]) error {
				return s.print(cmd, x.Value, checklistSheet(&x.Value))
			})
		},
	}
}

func checklistSheet(c *checklist.Checklist) *sheet {
	return &sheet{
		heading: fmt.Sprintf("%s · %s, %s", c.Title, c.Name(), c.State),
		Table:   results.Criteria(c, checklist.Audience{}),
	}
}

func (s *session) addChecklist() *cobra.Command {
	return &cobra.Command{
		Use:     "add FILE",
		Short:   "Add a checklist version from a YAML or JSON file, or - for standard input",
		Example: "  dtally checklist new own.yaml\n  dtally checklist add own.yaml\n  dtally checklist show workshop@2 --output yaml | sed 's/^version: 2/version: 3/' | dtally checklist add -",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			x, err := readChecklist(cmd, a[0])
			if err != nil {
				return err
			}
			return show(s, cmd, alone(checklistSheet))(c.AddChecklist(cmd.Context(), *x))
		}),
	}
}

// readChecklist reads a checklist file, YAML or JSON, and reports every fault.
func readChecklist(cmd *cobra.Command, file string) (*checklist.Checklist, error) {
	var text []byte
	var err error
	if file == "-" {
		text, err = io.ReadAll(cmd.InOrStdin())
	} else {
		text, err = os.ReadFile(file)
	}
	if err != nil {
		return nil, err
	}
	data, err := plainyaml.ToJSON(text)
	if err != nil {
		return nil, fault.List{{Detail: fmt.Sprintf("%s is neither YAML nor JSON: %v", file, err)}}
	}
	var c checklist.Checklist
	if err := bundle.Decode(data, &c).Err(); err != nil {
		return nil, fmt.Errorf("%s:\n%w", file, err)
	}
	return &c, nil
}
