package api

import (
	"context"

	"dappertally/internal/contract"
)

// ShowOperations answers how the service runs.
func (h *handlers) ShowOperations(ctx context.Context, _ ShowOperationsRequest) (*contract.OperationsOverview, error) {
	o, err := h.monitor.Overview(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	out := contract.OperationsOverview{
		Schema: o.Schema, Change: o.Change, LastBackup: o.LastBackup, BackupDays: o.BackupDays,
		Instances: []contract.Instance{}, Nodes: []contract.DatabaseNode{}, Slow: []contract.SlowRequest{},
	}
	for i := range o.Instances {
		x := &o.Instances[i]
		out.Instances = append(out.Instances, contract.Instance{
			Address: x.Address, Version: x.Version, Schema: x.Schema, Started: x.Started, Silent: x.Silent.Seconds(),
			Change: x.Change, Behind: x.Behind, Requests: x.Requests, Failed: x.Failed, Asked: x.Asked,
		})
	}
	for _, n := range o.Nodes {
		out.Nodes = append(out.Nodes, contract.DatabaseNode{
			Address: n.Address, Used: n.Used, Problem: n.Problem, Version: n.Version, Members: n.Members, Queue: n.Queue,
		})
	}
	for i := range o.Slow {
		r := &o.Slow[i]
		out.Slow = append(out.Slow, contract.SlowRequest{
			At: r.At, Instance: r.Instance, Method: r.Method, Route: r.Route, Status: r.Status, Took: r.Took.Seconds(),
			Database: r.Database.Seconds(), Statements: r.Statements, Request: r.ID,
		})
	}
	return &out, nil
}
