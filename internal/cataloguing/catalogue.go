// Package cataloguing manages the catalogue: distributions, releases, editions and rigs.
package cataloguing

import (
	"context"
	"fmt"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// edit is the common part of every change to the catalogue and the rigs: permission, validation and the transaction.
func (s *Service) edit(
	ctx context.Context,
	who *access.Actor,
	what string,
	check func(*fault.Book),
	do func(*ledger.Records, *store.Tx) error,
) (int64, error) {
	if err := who.Permit(EditCatalogue); err != nil {
		return 0, err
	}
	var book fault.Book
	check(&book)
	if err := problem.From(what, book.List()); err != nil {
		return 0, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error { return do(state, tx) })
}

// correct is the common part of every correction of a catalogue entry: key can be an earlier one, and v is the
// revision that the caller saw.
func (s *Service) correct(
	ctx context.Context,
	who *access.Actor,
	v ledger.Version,
	what, key string,
	check func(*fault.Book),
	do func(*store.Tx, store.Ref) error,
) (int64, error) {
	return s.edit(ctx, who, what, check, func(st *ledger.Records, tx *store.Tx) error {
		key := st.Catalogue.Resolve(key)
		ref, err := ledger.Based(st.Catalogue.Versions, key, v)
		if err != nil {
			return err
		}
		if err := do(tx, ref); err != nil {
			return err
		}
		return tx.Log("corrected", store.SortCatalogue, key, "")
	})
}

// AddDistribution adds a distribution.
func (s *Service) AddDistribution(ctx context.Context, who *access.Actor, d *catalogue.Distribution) (int64, error) {
	return s.edit(
		ctx,
		who,
		"the distribution",
		func(b *fault.Book) { catalogue.ValidateDistribution(d, b) },
		func(_ *ledger.Records, tx *store.Tx) error {
			if _, err := tx.AddDistribution(d); err != nil {
				return ledger.Exists(err, "a distribution %q exists already", d.Key)
			}
			return tx.Log("added", store.SortCatalogue, d.Key, "")
		},
	)
}

// EditDistribution corrects a distribution.
func (s *Service) EditDistribution(
	ctx context.Context,
	who *access.Actor,
	v ledger.Version,
	d *catalogue.Distribution,
) (int64, error) {
	return s.correct(
		ctx,
		who,
		v,
		"the distribution",
		d.Key,
		func(b *fault.Book) { catalogue.ValidateDistribution(d, b) },
		func(tx *store.Tx, ref store.Ref) error { return tx.EditDistribution(ref, d) },
	)
}

// AddRelease adds a release to a distribution.
func (s *Service) AddRelease(
	ctx context.Context,
	who *access.Actor,
	distribution string,
	r *catalogue.Release,
) (int64, error) {
	return s.edit(
		ctx,
		who,
		"the release",
		func(b *fault.Book) { catalogue.ValidateRelease(r, b) },
		func(st *ledger.Records, tx *store.Tx) error {
			distribution = st.Catalogue.Resolve(distribution)
			parent, ok := st.Catalogue.Versions[distribution]
			if !ok {
				return problem.Field("/distribution", "there is no distribution %q", distribution)
			}
			key := distribution + "/" + r.Version
			if _, err := tx.AddRelease(parent.ID, r); err != nil {
				return ledger.Exists(err, "a release %s exists already", key)
			}
			return tx.Log("added", store.SortCatalogue, key, "")
		},
	)
}

// EditRelease corrects a release.
func (s *Service) EditRelease(
	ctx context.Context,
	who *access.Actor,
	v ledger.Version,
	distribution string,
	r *catalogue.Release,
) (int64, error) {
	return s.correct(
		ctx,
		who,
		v,
		"the release",
		distribution+"/"+r.Version,
		func(b *fault.Book) { catalogue.ValidateRelease(r, b) },
		func(tx *store.Tx, ref store.Ref) error { return tx.EditRelease(ref, r) },
	)
}

// AddEdition adds an edition to a release. Without a line it begins a line with its own key.
func (s *Service) AddEdition(
	ctx context.Context,
	who *access.Actor,
	release string,
	e *catalogue.Edition,
) (int64, error) {
	if e.Line == "" {
		e.Line = e.Key
	}
	return s.edit(
		ctx,
		who,
		"the edition",
		func(b *fault.Book) { catalogue.ValidateEdition(e, b) },
		func(st *ledger.Records, tx *store.Tx) error {
			release = st.Catalogue.Resolve(release)
			parent, ok := st.Catalogue.Versions[release]
			if !ok || !strings.Contains(release, "/") {
				return problem.Field("/release", "there is no release %q", release)
			}
			key := release + "/" + e.Key
			if _, err := tx.AddEdition(parent.ID, e); err != nil {
				return ledger.Exists(err, "an edition %s exists already", key)
			}
			return tx.Log("added", store.SortCatalogue, key, "")
		},
	)
}

// EditEdition corrects an edition.
func (s *Service) EditEdition(
	ctx context.Context,
	who *access.Actor,
	v ledger.Version,
	release string,
	e *catalogue.Edition,
) (int64, error) {
	if e.Line == "" {
		e.Line = e.Key
	}
	return s.correct(
		ctx,
		who,
		v,
		"the edition",
		release+"/"+e.Key,
		func(b *fault.Book) { catalogue.ValidateEdition(e, b) },
		func(tx *store.Tx, ref store.Ref) error { return tx.EditEdition(ref, e) },
	)
}

// AddRig adds a rig.
func (s *Service) AddRig(ctx context.Context, who *access.Actor, r *catalogue.Rig) (int64, error) {
	return s.edit(
		ctx,
		who,
		"the rig",
		func(b *fault.Book) { catalogue.ValidateRig(r, b) },
		func(st *ledger.Records, tx *store.Tx) error {
			if err := knownRig(st, r.Replaces); err != nil {
				return err
			}
			if err := tx.AddRig(ledger.NewID(), r); err != nil {
				return ledger.Exists(err, "a rig %q exists already", r.Key)
			}
			return tx.Log("added", store.SortRig, r.Key, "")
		},
	)
}

// EditRig corrects a rig. Once readings were made on it, its specification is fixed: a changed machine is a new rig.
func (s *Service) EditRig(ctx context.Context, who *access.Actor, v ledger.Version, r *catalogue.Rig) (int64, error) {
	return s.edit(
		ctx,
		who,
		"the rig",
		func(b *fault.Book) { catalogue.ValidateRig(r, b) },
		func(st *ledger.Records, tx *store.Tx) error {
			r.Key = st.Catalogue.ResolveRig(r.Key)
			ref, err := ledger.Based(st.Catalogue.RigVersions, r.Key, v)
			if err != nil {
				return err
			}
			if err := knownRig(st, r.Replaces); err != nil {
				return err
			}
			if why, err := FixedRig(tx, ref.ID, st.Catalogue.Rig(r.Key), r); err != nil {
				return err
			} else if why != "" {
				return problem.New(problem.Conflict, "%s", why)
			}
			if err := tx.EditRig(ref, r); err != nil {
				return err
			}
			return tx.Log("corrected", store.SortRig, r.Key, "")
		},
	)
}

func knownRig(st *ledger.Records, key string) error {
	if _, ok := st.Catalogue.RigVersions[key]; key != "" && !ok {
		return problem.Field("/replaces", "there is no rig %q", key)
	}
	return nil
}

// FixedRig explains why the specification of a rig cannot change; empty if it can, or does not.
func FixedRig(tx *store.Tx, id string, was, is *catalogue.Rig) (why string, err error) {
	if sameMachine(was, is) {
		return "", nil
	}
	used, err := tx.RigUsed(id)
	if err != nil || !used {
		return "", err
	}
	return fmt.Sprintf(
		"%s has readings, so its specification is fixed; add the changed machine as a new rig that "+
			"replaces it",
		was.Key,
	), nil
}

func sameMachine(a, b *catalogue.Rig) bool {
	return a.Class == b.Class && a.Virtual == b.Virtual && a.CPU == b.CPU && a.Cores == b.Cores &&
		a.MemoryMiB == b.MemoryMiB && a.Graphics == b.Graphics && a.Storage == b.Storage
}
