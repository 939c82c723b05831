package cli

import (
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

var auditTable = tables.Define("audit", "who did what",
	tables.Integer("number", "Number", "of the entry"),
	tables.Moment("at", "When", ""),
	tables.Text("by", "Who", "empty: unknown person, or the service itself"),
	tables.Text("action", "Did", ""),
	tables.Text("sort", "To a", ""),
	tables.Text("subject", "Which", ""),
	tables.Text("detail", "Detail", "and what changed, before and after").Yields(),
	tables.Text("way", "By", "way of access"),
	tables.Text("address", "From", "network address"),
	tables.Text("hash", "Hash", "over the entry and the entry before").YieldsFirst(),
)

func (s *session) auditCommand() *cobra.Command {
	var p contract.ListAuditParams
	var from, to string
	var limit int
	cmd := &cobra.Command{
		Use:   "audit",
		Short: "Show who did what, newest first",
		Long: "Show who did what, when and from where, newest first. Administrators see everything. A lead " +
			"sees the history of one review or report, with --sort and --subject.",
		Example: "  dtally audit --limit 20\n  dtally audit --by tomas --from 2026-11-01\n" +
			"  dtally audit --sort report --subject old-laptops-autumn",
		Args: args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			var err error
			if p.From, err = momentOf("--from", from); err != nil {
				return err
			}
			if day, err := time.Parse(time.DateOnly, from); err == nil {
				p.From = day // the beginning of the hash
			}
			if p.To, err = momentOf("--to", to); err != nil {
				return err
			}
			p.Limit = limit
			return show(s, cmd, alone(auditSheet))(c.ListAudit(cmd.Context(), p))
		}),
	}
	f := cmd.Flags()
	f.StringVar(&p.By, "by", "", "name of the person")
	f.StringVar(&p.Sort, "sort", "", "kind of object, such as review, person, session or export")
	f.StringVar(&p.Subject, "subject", "", "an id, a key, or the name of a person")
	f.StringVar(&p.Action, "action", "", "action, such as accepted")
	f.StringVar(&from, "from", "", "from this time on, such as 2026-06-01 or 2026-06-01T09:30:00Z")
	f.StringVar(&to, "to", "", "before this time")
	f.Int64Var(&p.Before, "before", 0, "only entries with a smaller number")
	f.IntVar(&limit, "limit", 100, "at most this many, up to 1000")
	return cmd
}

func auditSheet(l *contract.AuditList) *sheet {
	t := sheetOf(auditTable)
	for i := range l.Entries {
		e := &l.Entries[i]
		var says []string
		if e.Detail != "" {
			says = append(says, e.Detail)
		}
		for _, f := range e.Fields {
			says = append(says, fmt.Sprintf("%s: %s → %s", f.Field, f.Before, f.After))
		}
		if e.Erased {
			says = append(says, "(erased)")
		}
		t.Add(int(e.Number), e.At, e.By, e.Action, e.Sort, e.Subject, strings.Join(says, "; "), e.Way, e.Address, e.Hash)
	}
	return t
}
