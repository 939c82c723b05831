package cli

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"dappertally/core/reading"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

// part is one kind of entry in a review's record, as commands handle it.
type part struct {
	noun, short string
	name        string // the name that reading.Entry.Part returns
	main        string // what the words after add are
	examples    [2]string
	empty       func() reading.Entry
	words       func(*reading.Entry, string) // stores those words
	define      func(*fields[reading.Entry])
	table       *tables.Definition
	row         func(*reading.Entry) []any
}

func (s *session) partCommand(p *part) *cobra.Command {
	return noun(p.noun, p.short, s.listEntries(p), s.addEntry(p), s.editEntry(p), s.removeEntry(p))
}

// entries reads a review's entries of one part.
func (s *session) entries(cmd *cobra.Command, c *client.Client, review string, p *part) ([]contract.EntryView, error) {
	all, err := c.ListEntries(cmd.Context(), review)
	if err != nil {
		return nil, err
	}
	some := []contract.EntryView{}
	for _, e := range all.Value.Entries {
		if name, _ := e.Entry.Part(); name == p.name {
			some = append(some, e)
		}
	}
	return some, nil
}

func (p *part) sheet(es ...contract.EntryView) *sheet {
	t := sheetOf(p.table)
	for i := range es {
		_, head := es[i].Entry.Part()
		t.Add(append(p.row(&es[i].Entry), head.Reviewer, head.At, head.ID)...)
	}
	return t
}

// entries defines the table of a part's entries.
func entries(name string, columns ...tables.Column) *tables.Definition {
	return tables.Define(name, "an entry of a review", append(columns,
		tables.Text("by", "By", "name of the reviewer"),
		tables.Moment("at", "At", "when it was written"),
		tables.Text("id", "Id", ""),
	)...)
}

func (s *session) listEntries(p *part) *cobra.Command {
	return &cobra.Command{
		Use:   "list [REVIEW]",
		Short: "List entries, oldest first",
		Example: fmt.Sprintf(
			"  dtally %s list quaymark/22.1/latchwork\n  dtally %s list quaymark/22.1/latchwork --output json",
			p.noun,
			p.noun,
		),
		Args: args(0, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			r, _, err := s.atReview(cmd, c, strings.Join(a, ""))
			if err != nil {
				return err
			}
			es, err := s.entries(cmd, c, r.Value.Id, p)
			if err != nil {
				return err
			}
			return s.print(cmd, contract.EntryList{Entries: es}, p.sheet(es...))
		}),
	}
}

func (s *session) addEntry(p *part) *cobra.Command {
	var review, at string
	var set *fields[reading.Entry]
	cmd := &cobra.Command{
		Use:     "add " + p.main,
		Short:   "Add an entry",
		Example: "  " + p.examples[0] + "\n  " + p.examples[1],
		Args:    args(0, -1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			e := p.empty()
			_, head := e.Part()
			head.ID = uuid.Must(uuid.NewV7()).String()
			var err error
			if at != "" {
				if head.At, err = day(at); err != nil {
					return err
				}
			}
			r, b, err := s.atReview(cmd, c, review)
			if err != nil {
				return err
			}
			if e.System != nil {
				e.System.Rig = b.Rig
				head.ID = ""
			}
			p.words(&e, strings.Join(a, " "))
			set.apply(cmd, &e)
			return s.putEntry(cmd, c, r.Value.Id, p, e, "")
		}),
	}
	cmd.Flags().StringVar(&review, "review", "", "id or edition of the review (default: set with dtally at)")
	cmd.Flags().StringVar(&at, "at", "", "when it was, such as 2026-11-20 or 2026-11-20T09:30:00Z (default: now)")
	set = fieldsOf(cmd, p.define)
	return cmd
}

func day(text string) (time.Time, error) {
	for _, form := range []string{time.RFC3339, time.DateOnly} {
		if at, err := time.Parse(form, text); err == nil {
			return at, nil
		}
	}
	return time.Time{}, wrongUsage(
		"--at %q is neither a day such as 2026-11-20 nor a time such as 2026-11-20T09:30:00Z", text,
	)
}

func (s *session) putEntry(
	cmd *cobra.Command,
	c *client.Client,
	review string,
	p *part,
	e reading.Entry,
	tag string,
) error {
	_, head := e.Part()
	if head.ID == "" {
		next, err := s.nextState(cmd, c, review)
		if err != nil {
			return err
		}
		head.ID = next
	}
	return show(s, cmd, each(p.sheet))(
		c.PutEntry(cmd.Context(), review, head.ID, contract.PutEntryParams{IfMatch: tag}, e),
	)
}

// nextState returns the key of a review's next system state: s1, s2, …
func (s *session) nextState(cmd *cobra.Command, c *client.Client, review string) (string, error) {
	es, err := s.entries(cmd, c, review, &parts[0])
	if err != nil {
		return "", err
	}
	for n := len(es) + 1; ; n++ {
		key := fmt.Sprintf("s%d", n)
		taken := false
		for i := range es {
			taken = taken || es[i].Entry.System.ID == key
		}
		if !taken {
			return key, nil
		}
	}
}

func (s *session) editEntry(p *part) *cobra.Command {
	var review string
	var set *fields[reading.Entry]
	cmd := &cobra.Command{
		Use:   "edit ID " + p.main,
		Short: "Edit an entry; fields that are not named stay as they are",
		Long:  "Edit an entry; fields that are not named stay as they are. " + idHelp,
		Example: fmt.Sprintf(
			"  %s\n  dtally %s edit last 'in other words' --review quaymark/22.1/latchwork", p.examples[0], p.noun,
		),
		Args: args(1, -1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			r, e, err := s.findEntry(cmd, c, review, p, a[0])
			if err != nil {
				return err
			}
			if words := strings.Join(a[1:], " "); words != "" {
				p.words(&e.Entry, words)
			}
			set.apply(cmd, &e.Entry)
			return s.putEntry(cmd, c, r, p, e.Entry, fmt.Sprint(e.Revision))
		}),
	}
	cmd.Flags().StringVar(&review, "review", "", "id or edition of the review (default: set with dtally at)")
	set = fieldsOf(cmd, p.define)
	return cmd
}

// findEntry finds one of a review's entries like pickID does, and returns it with the review's id.
func (s *session) findEntry(
	cmd *cobra.Command,
	c *client.Client,
	review string,
	p *part,
	named string,
) (string, contract.EntryView, error) {
	r, _, err := s.atReview(cmd, c, review)
	if err != nil {
		return "", contract.EntryView{}, err
	}
	es, err := s.entries(cmd, c, r.Value.Id, p)
	if err != nil {
		return "", contract.EntryView{}, err
	}
	ids := keys(es, func(e *contract.EntryView) string { _, head := e.Entry.Part(); return head.ID })
	id, err := pickID(named, p.noun, func() ([]string, error) { return ids, nil })
	if err != nil {
		return "", contract.EntryView{}, err
	}
	if i := slices.Index(ids, id); i >= 0 {
		return r.Value.Id, es[i], nil
	}
	return "", contract.EntryView{}, fmt.Errorf("%w: the review has no %s %s", errNotFound, p.noun, named)
}

func (s *session) removeEntry(p *part) *cobra.Command {
	var review string
	cmd := &cobra.Command{
		Use:     "remove ID",
		Short:   "Remove an entry; its revisions are kept",
		Long:    "Remove an entry; its revisions are kept. " + idHelp,
		Example: fmt.Sprintf("  %s\n  dtally %s remove last --review quaymark/22.1/latchwork", p.examples[0], p.noun),
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			r, e, err := s.findEntry(cmd, c, review, p, a[0])
			if err != nil {
				return err
			}
			_, head := e.Entry.Part()
			if err = c.DropEntry(cmd.Context(), r, head.ID, contract.DropEntryParams{IfMatch: fmt.Sprint(e.Revision)}); err != nil {
				return err
			}
			fmt.Fprintln(cmd.ErrOrStderr(), "Removed:")
			return s.print(cmd, e, p.sheet(e))
		}),
	}
	cmd.Flags().StringVar(&review, "review", "", "id or edition of the review (default: set with dtally at)")
	return cmd
}
