package cli

import (
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

var instanceTable = tables.Define("instances", "an instance of the service",
	tables.Text("address", "Instance", "host and where it listens").YieldsFirst(),
	tables.Text("version", "Version", "").Yields(),
	tables.Integer("schema", "Schema", "version of the schema that its program needs"),
	tables.Moment("started", "Started", ""),
	tables.Number("silent", "Silent", "seconds since its last report"),
	tables.Integer("change", "Change", "number of the newest change that it has seen"),
	tables.Integer("behind", "Behind", "changes that it had not seen"),
	tables.Integer("requests", "Requests", "in the last minute"),
	tables.Integer("failed", "Failed", "of these, with a status of 500 or more"),
)

var nodeTable = tables.Define(
	"database-nodes",
	"a server of the database",
	tables.Text("address", "Database", ""),
	tables.Truth("used", "Used", "by the instance that answers"),
	tables.Text("version", "MariaDB", "empty: the server does not answer"),
	tables.Integer(
		"members",
		"Nodes",
		"of its cluster that it is in touch with, itself included; empty: it is no node of a cluster",
	),
	tables.Integer("queue", "Queue", "write sets received and not yet applied"),
	tables.Text("problem", "Problem", "why it cannot be written to; empty: it can").Yields(),
)

var slowTable = tables.Define("slow-requests", "a request that took a second or longer",
	tables.Moment("at", "Slow request", ""),
	tables.Text("instance", "Instance", "").YieldsFirst(),
	tables.Text("method", "Method", ""),
	tables.Text("route", "Route", "").Yields(),
	tables.Integer("status", "Status", ""),
	tables.Number("took", "Took", "seconds"),
	tables.Number("database", "Database", "seconds in which the database worked"),
	tables.Integer("statements", "Statements", "sent to the database"),
	tables.Text("request", "Request", "its id in the log").YieldsFirst(),
)

var conditionTable = tables.Define("operations", "one fact about the service",
	tables.Text("what", "Service", ""),
	tables.Text("value", "Is", "").Yields(),
)

func (s *session) operationsCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "operations",
		Short: "Show how the service runs",
		Long: "Show how the service runs: its instances of the last minute, the servers of the database, the newest backup, " +
			"and requests that took a second or longer. For administrators.",
		Example: "  dtally operations\n  dtally operations --output json",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			return show(s, cmd, operationsSheets)(c.ShowOperations(cmd.Context()))
		}),
	}
}

func operationsSheets(o *contract.OperationsOverview) []*sheet {
	facts, instances, nodes, slow := sheetOf(
		conditionTable,
	), sheetOf(
		instanceTable,
	), sheetOf(
		nodeTable,
	), sheetOf(
		slowTable,
	)
	facts.Add("schema", fmt.Sprint(o.Schema))
	facts.Add("newest change", fmt.Sprint(o.Change))
	backup := "none is known"
	if !o.LastBackup.IsZero() {
		backup = o.LastBackup.UTC().Format("2006-01-02 15:04 UTC")
	}
	if o.BackupDays > 0 && time.Since(o.LastBackup) > time.Duration(o.BackupDays)*24*time.Hour {
		backup += fmt.Sprintf("; it should be at most %d days old: make one with dtallyd backup", o.BackupDays)
	}
	facts.Add("newest backup", backup)
	for i := range o.Instances {
		x := &o.Instances[i]
		instances.Add(
			x.Address,
			x.Version,
			x.Schema,
			x.Started,
			x.Silent,
			int(x.Change),
			int(x.Behind),
			x.Requests,
			x.Failed,
		)
	}
	for i := range o.Nodes {
		n := &o.Nodes[i]
		var members, queue any
		if n.Members > 0 {
			members, queue = n.Members, n.Queue
		}
		nodes.Add(n.Address, n.Used, n.Version, members, queue, n.Problem)
	}
	for i := range o.Slow {
		r := &o.Slow[i]
		slow.Add(r.At, r.Instance, r.Method, r.Route, r.Status, r.Took, r.Database, int(r.Statements), r.Request)
	}
	all := []*sheet{facts, instances, nodes}
	if len(o.Slow) > 0 {
		all = append(all, slow)
	}
	return all
}
