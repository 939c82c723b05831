package intake

import (
	"context"
	"iter"

	"golang.org/x/sync/errgroup"

	"dappertally/core/bundle"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/store"
)

// Bulk imports made-up bundles for measuring performance: valid bundles that name existing checklists and rigs, and
// bring their own distributions. Each has its own transaction, several are written at once, and the database does not
// check references. tell is called with the number of readings written.
func (s *Service) Bulk(
	ctx context.Context, pieces iter.Seq[*bundle.Bundle], atOnce int, tell func(readings int),
) error {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return err
	}
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(atOnce)
	for b := range pieces {
		if ctx.Err() != nil {
			break
		}
		group.Go(func() error {
			if err := s.piece(ctx, state, b); err != nil {
				return err
			}
			n := 0
			for i := range b.Reviews {
				n += len(b.Reviews[i].Readings)
			}
			tell(n)
			return nil
		})
	}
	return group.Wait()
}

func (s *Service) piece(ctx context.Context, state *ledger.Records, b *bundle.Bundle) error {
	_, err := s.ledger.Write(ctx, &access.Actor{}, func(tx *store.Tx) error {
		im := newImporter()
		for key, ref := range state.Catalogue.RigVersions {
			im.rigs[key] = ref.ID
		}
		for name, ref := range state.Checklists.Versions {
			im.versions[name] = ref.ID
		}
		a, err := im.find(b, tx)
		if err != nil {
			return err
		}
		return tx.Unchecked(func() error { return a.write(tx, &course{}) })
	})
	return err
}
