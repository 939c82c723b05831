package reviewing

import (
	"context"

	"dappertally/core/checklist"
	"dappertally/core/measuring"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/store"
)

// Control shows whether a rig has changed, by the reference of its checklist.
type Control struct {
	Checklist string               // the version with the reference; empty: none names one
	Criterion *checklist.Criterion // nil: no version in force names a reference
	Samples   []ControlSample      // by time
	Chart     *measuring.Chart     // nil: there are too few samples
}

// ControlSample is one session of the reference.
type ControlSample struct {
	store.Sampled
	Value float64 // the median of its runs
}

// RigControl returns the control chart of a rig's reference over all reviews. Actors who cannot see work get pinned
// readings only. It leaves out readings of versions with another reference procedure, and disturbed or replaced ones.
func (s *Service) RigControl(
	ctx context.Context,
	who *access.Actor,
	state *ledger.Records,
	rig string,
) (Control, error) {
	var c Control
	newest := referenceOf(state.Checklists)
	if newest == nil {
		return c, nil
	}
	c.Checklist, c.Criterion = newest.Name(), newest.ReferenceCriterion()
	var versions []string
	for i := range state.Checklists.Lists {
		list := &state.Checklists.Lists[i]
		if old, ok := list.Criterion(c.Criterion.Key); ok && list.Key == newest.Key &&
			old.Procedure.String() == c.Criterion.Procedure.String() && old.Unit == c.Criterion.Unit {
			versions = append(versions, state.Checklists.Versions[list.Name()].ID)
		}
	}
	found, err := s.ledger.Store.ReadingsOn(
		ctx, versions, c.Criterion.Key, state.Catalogue.RigVersions[rig].ID, !who.May(access.SeeWork),
	)
	if err != nil {
		return c, ledger.Failed(err, "reading the reference of a rig")
	}
	replaced := map[string]bool{}
	for i := range found {
		replaced[found[i].Replaces] = true
	}
	var samples []measuring.Sample
	for _, x := range found {
		if x.Disturbance != "" || len(x.Answer.Runs) == 0 || replaced[x.ID] {
			continue
		}
		value := reading.Median(reading.Adjusted(&x.Reading))
		c.Samples = append(c.Samples, ControlSample{x, value})
		samples = append(samples, measuring.Sample{At: x.At, Value: value})
	}
	if chart, ok := measuring.Control(samples); ok {
		c.Chart = &chart
	}
	return c, nil
}

// DriftedRig is a period in which a rig differed from before.
type DriftedRig struct {
	Rig string
	measuring.Period
}

// Drifted lists when rigs were outside the band of their reference, by rig, then time.
func (s *Service) Drifted(ctx context.Context, who *access.Actor, state *ledger.Records) ([]DriftedRig, error) {
	if referenceOf(state.Checklists) == nil {
		return nil, nil
	}
	var all []DriftedRig
	for i := range state.Catalogue.Rigs {
		rig := state.Catalogue.Rigs[i].Key
		c, err := s.RigControl(ctx, who, state, rig)
		if err != nil {
			return nil, err
		}
		if c.Chart == nil {
			continue
		}
		for _, p := range c.Chart.Out {
			all = append(all, DriftedRig{rig, p})
		}
	}
	return all, nil
}

// referenceOf returns the newest version in force that names a reference of the rigs; nil if none does.
func referenceOf(all *store.Checklists) *checklist.Checklist {
	var newest *checklist.Checklist
	for i := range all.Lists {
		list := &all.Lists[i]
		if list.State == checklist.InForce && list.ReferenceCriterion() != nil &&
			(newest == nil || all.InForce[list.Name()].After(all.InForce[newest.Name()])) {
			newest = list
		}
	}
	return newest
}
