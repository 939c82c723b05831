package answers

import (
	"context"

	"dappertally/core/catalogue"
	"dappertally/core/fault"
	"dappertally/core/fitting"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/turns"
)

// Fits is which editions run on a machine, and how they rank on the rig that is most similar to it.
type Fits struct {
	*Result // of those that fit, on the nearest rig; empty if none fits
	Machine fitting.Machine
	Nearest *fitting.Near // nil: there is no rig
	Fits    []fitting.Fit // by edition
	State   *ledger.Records
}

// Fits finds what runs on a machine among the editions of the query.
func (s *Service) Fits(ctx context.Context, q Query, m fitting.Machine) (*Fits, error) {
	if err := validateMachine(m); err != nil {
		return nil, err
	}
	q.Rigs, q.Classes = nil, nil
	done, err := turns.Take(ctx)
	if err != nil {
		return nil, err
	}
	defer done()
	state, err := s.stateFor(ctx, &q)
	if err != nil {
		return nil, err
	}
	_, _, all, err := q.tabulate(ctx, state)
	if err != nil {
		return nil, err
	}
	f := &Fits{Machine: m, State: state, Nearest: fitting.Nearest(state.Catalogue.Rigs, m)}
	if f.Nearest != nil {
		q.Rigs = []string{f.Nearest.Rig}
	}
	places := map[string]catalogue.Place{}
	for _, e := range all.Editions {
		places[e], _ = state.Place(e)
	}
	rig := ""
	if f.Nearest != nil {
		rig = f.Nearest.Rig
	}
	f.Fits = fitting.Of(all.Table, places, m, rig)
	q.Group.Editions = nil
	for _, x := range f.Fits {
		if x.Fits {
			q.Group.Editions = append(q.Group.Editions, x.Edition)
		}
	}
	if q.Group.Editions == nil {
		q.Group.Editions = []string{nobody}
	}
	f.Result, err = s.Rank(ctx, q)
	return f, err
}

func validateMachine(m fitting.Machine) error {
	var book fault.Book
	for _, x := range []struct {
		field      string
		value, top int64
	}{{"memoryMiB", m.MemoryMiB, 1 << 30}, {"diskGiB", m.DiskGiB, 1 << 30}, {"cores", int64(m.Cores), 1 << 20}} {
		if x.value < 0 || x.value > x.top {
			book.Field(x.field, "must be between 0 (not stated) and %d", x.top)
		}
	}
	for field, text := range map[string]string{
		"processor": m.Processor, "graphics": m.Graphics, "architecture": m.Architecture,
	} {
		if len(text) > 200 {
			book.Field(field, "is longer than 200 bytes")
		}
	}
	return problem.From("the machine", book.List())
}
