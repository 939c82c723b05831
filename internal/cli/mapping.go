package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/plainyaml"
	"dappertally/internal/tables"
)

func (s *session) mappingCommand() *cobra.Command {
	return noun(
		"mapping",
		"How columns and names of other tables are read",
		s.listMappings(),
		s.showMapping(),
		s.addMapping(),
		s.editMapping(),
		s.removeMapping(),
	)
}

var mappingsTable = tables.Define("mappings", "how files of one kind are read",
	tables.Text("name", "Name", ""),
	tables.Text("title", "Title", ""),
	tables.Text("form", "Form", "of the file"),
	tables.Integer("fields", "Fields", "that it fills"),
	tables.Integer("answers", "Answers", "criteria that it reads"),
	tables.Integer("tests", "Tests", "that it translates"),
)

var mappingTable = tables.Define("mapping", "the source of a field",
	tables.Text("ours", "Ours", "a field, criterion or test"),
	tables.Text("from", "From", ""),
	tables.Text("meaning", "Meaning", ""),
)

func (s *session) listMappings() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List saved mappings, alphabetically", Example: "  dtally mapping list\n  dtally mapping list --output yaml", Args: args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			all, err := c.ListMappings(cmd.Context())
			if err != nil {
				return err
			}
			t := sheetOf(mappingsTable)
			for _, m := range all.Value.Mappings {
				t.Add(m.Name, m.Title, string(m.Form), len(m.Fields), len(m.Answers), len(m.Tests))
			}
			return s.print(cmd, all.Value, t)
		}),
	}
}

func (s *session) showMapping() *cobra.Command {
	return &cobra.Command{
		Use: "show NAME", Short: "Show a mapping", Example: "  dtally mapping show old-sheet\n  dtally mapping show old-sheet --output yaml > sheet.yaml", Args: args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			return show(s, cmd, alone(mappingSheet))(c.ShowMapping(cmd.Context(), a[0]))
		}),
	}
}

func mappingSheet(m *contract.Mapping) *sheet {
	t := sheetOf(mappingTable)
	t.heading = strings.TrimSpace(fmt.Sprintf("%s (%s) %s", m.Name, m.Form, m.Title))
	for _, name := range slices.Sorted(maps.Keys(m.Fields)) {
		f := m.Fields[name]
		from := "column " + f.Column
		if f.Column == "" {
			from = "always " + f.Value
		}
		var means []string
		for _, word := range slices.Sorted(maps.Keys(f.Values)) {
			means = append(means, word+" is "+f.Values[word])
		}
		t.Add(name, from, list(means))
	}
	for _, x := range m.Answers {
		t.Add(
			"criterion "+x.Criterion,
			"columns "+list(x.Columns),
			strings.TrimSpace(strings.Join([]string{x.Unit, x.Method, x.Setup, x.Phase}, " ")),
		)
	}
	for _, x := range m.Tests {
		t.Add(x.Is, "test "+x.Name, "")
	}
	return t
}

// readMapping reads a mapping from a file of YAML or JSON, or - for standard input.
func readMapping(cmd *cobra.Command, name string) (contract.Mapping, error) {
	var m contract.Mapping
	var text []byte
	var err error
	if name == "-" {
		text, err = io.ReadAll(cmd.InOrStdin())
	} else {
		text, err = os.ReadFile(name)
	}
	if err != nil {
		return m, err
	}
	if len(strings.TrimSpace(string(text))) == 0 {
		return m, wrongUsage(
			"%s is empty: a mapping needs at least a name, a form and fields; dtally mapping show prints "+
				"an example",
			name,
		)
	}
	data, err := plainyaml.ToJSON(text)
	if err != nil {
		return m, fmt.Errorf("%s: %w", name, err)
	}
	d := json.NewDecoder(strings.NewReader(string(data)))
	d.DisallowUnknownFields()
	if err := d.Decode(&m); err != nil {
		return m, fmt.Errorf("%s: %w", name, err)
	}
	if m.Name == "" {
		return m, wrongUsage("%s: name is missing: a mapping is saved under its name", name)
	}
	return m, nil
}

func (s *session) addMapping() *cobra.Command {
	return &cobra.Command{
		Use: "add FILE", Short: "Save a mapping from a YAML or JSON file",
		Long: "Save a mapping. fields gives the source of each field of a reading: {column: NAME, values: " +
			"{theirs: ours}} or {value: WORD}. A table with a column for each criterion lists them under " +
			"answers; TAP results are named under tests.",
		Example: "  dtally mapping add kettle-sheet.yaml\n  dtally mapping show smoke --output yaml | sed 's/^name: smoke/name: smoke-2/' | dtally mapping add -", Args: args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			m, err := readMapping(cmd, a[0])
			if err != nil {
				return err
			}
			return s.saveMapping(cmd, m, false)
		},
	}
}

func (s *session) editMapping() *cobra.Command {
	return &cobra.Command{
		Use: "edit FILE", Short: "Replace the saved mapping of that name with a file",
		Example: "  dtally mapping edit old-sheet.yaml\n  dtally mapping edit - < smoke.yaml", Args: args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			m, err := readMapping(cmd, a[0])
			if err != nil {
				return err
			}
			return s.saveMapping(cmd, m, true)
		},
	}
}

func (s *session) saveMapping(cmd *cobra.Command, m contract.Mapping, there bool) error {
	c, err := s.connect()
	if err != nil {
		return err
	}
	tag := ""
	if there {
		old, err := c.ShowMapping(cmd.Context(), m.Name)
		if err != nil {
			return err
		}
		tag = old.ETag
	}
	saved, err := c.PutMapping(cmd.Context(), m.Name, contract.PutMappingParams{IfMatch: tag}, m)
	if refused := (*client.Refusal)(nil); !there && errors.As(err, &refused) &&
		refused.Status == http.StatusPreconditionRequired {
		refused.Detail = fmt.Sprintf("a mapping called %s exists already: dtally mapping edit changes it", m.Name)
	}
	return show(s, cmd, alone(mappingSheet))(saved, err)
}

func (s *session) removeMapping() *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Delete a mapping; what was imported with it stays", Example: "  dtally mapping remove old-sheet\n  dtally mapping remove smoke", Args: args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			m, err := c.ShowMapping(cmd.Context(), a[0])
			if err != nil {
				return err
			}
			return c.DropMapping(cmd.Context(), a[0], contract.DropMappingParams{IfMatch: m.ETag})
		}),
	}
}
