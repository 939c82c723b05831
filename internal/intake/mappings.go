package intake

import (
	"context"
	"slices"

	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/imports"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Mapping is a saved mapping with its revision.
type Mapping = store.Mapping

// Mappings lists the saved mappings, by name. Only the team can import.
func (s *Service) Mappings(ctx context.Context, who *access.Actor) ([]Mapping, error) {
	if err := who.Permit(ImportReadings); err != nil {
		return nil, err
	}
	all, err := s.ledger.Store.Mappings(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading mappings")
	}
	return all, nil
}

// Mapping finds a saved mapping.
func (s *Service) Mapping(ctx context.Context, who *access.Actor, name string) (Mapping, error) {
	all, err := s.Mappings(ctx, who)
	if err != nil {
		return Mapping{}, err
	}
	i := slices.IndexFunc(all, func(m Mapping) bool { return m.Name == name })
	if i < 0 {
		return Mapping{}, problem.New(problem.NotFound, "there is no mapping %q", name)
	}
	return all[i], nil
}

// PutMapping saves a mapping under its name: without a version as a new one, with a version as a change of the
// existing one.
func (s *Service) PutMapping(
	ctx context.Context,
	who *access.Actor,
	v ledger.Version,
	m imports.Mapping,
) (int64, error) {
	all, err := s.Mappings(ctx, who)
	if err != nil {
		return 0, err
	}
	var book fault.Book
	m.Validate(&book)
	if m.Name == "own" {
		book.Field("name", "own is the mapping for exports of this service; choose another name")
	}
	if err := problem.From("the mapping", book.List()); err != nil {
		return 0, err
	}
	refs := map[string]store.Ref{}
	for _, x := range all {
		refs[x.Name] = x.Ref
	}
	ref, there := refs[m.Name]
	if there {
		if ref, err = ledger.Based(refs, m.Name, v); err != nil {
			return 0, err
		}
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if there {
			if err := tx.EditMapping(ref, &m); err != nil {
				return err
			}
			return tx.Log("changed", store.SortMapping, m.Name, "")
		}
		if err := tx.AddMapping(&m); err != nil {
			return ledger.Exists(err, "a mapping %q exists already", m.Name)
		}
		return tx.Log("added", store.SortMapping, m.Name, "")
	})
}

// DropMapping deletes a saved mapping. Records that were imported with it stay.
func (s *Service) DropMapping(ctx context.Context, who *access.Actor, name string, v ledger.Version) (int64, error) {
	m, err := s.Mapping(ctx, who, name)
	if err != nil {
		return 0, err
	}
	ref, err := ledger.Based(map[string]store.Ref{name: m.Ref}, name, v)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.DropMapping(ref); err != nil {
			return err
		}
		return tx.Log("dropped", store.SortMapping, name, "")
	})
}
