package intake

import (
	"context"
	"errors"
	"slices"
	"time"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// arrivals is what an import writes: rows, possibly a million, and what belongs to them.
type arrivals struct {
	// base is the number of the change up to which the import knows the records.
	base int64
	// reviews are the ids of the reviews that get rows; there are those that exist already.
	reviews, there []string
	// parents writes what the rows refer to; nil if all of that exists.
	parents func(*store.Tx) error
	// files calls keep with every file, which writes it; nil if there are none.
	files    func(keep func(write func(*store.Tx) error) error) error
	entries  []newEntry
	readings []store.ReadingRow
	// end logs what was written.
	end func(*store.Tx) error
}

// newEntry is a new entry of a review.
type newEntry struct {
	review string
	entry  *reading.Entry
	pinned bool
}

// mostAtOnce is how many rows one transaction of an import writes.
const mostAtOnce = 5000

// mostTries is how often an import in several transactions starts over because somebody changed what it writes to.
const mostTries = 3

// bring writes what find returns, which runs in a transaction that reads the records. If that is too much for one
// transaction, the rows are written in several, and the last one makes them visible together. It returns the number
// of the last change. find returns ledger.ErrTrial if nothing should be written.
func (s *Service) bring(
	ctx context.Context, who *access.Actor, c *course, find func(*ledger.Records, *store.Tx) (*arrivals, error),
) (int64, error) {
	for range mostTries {
		state, err := s.ledger.Latest(ctx)
		if err != nil {
			return 0, err
		}
		var a *arrivals
		number, err := s.ledger.Write(ctx, who, func(tx *store.Tx) (err error) {
			c.begin()
			a = nil
			found, err := find(state, tx)
			if err != nil {
				return err
			}
			if found.many() {
				a = found
				return ledger.ErrTrial
			}
			return found.write(tx, c)
		})
		if a == nil {
			return number, err
		}
		a.base = state.Number
		number, err = s.inPieces(ctx, who, a, c)
		if !errors.Is(err, errMoved) {
			return number, err
		}
		s.ledger.Log.InfoContext(ctx, "an import starts again: its target was changed meanwhile")
	}
	return 0, problem.New(
		problem.Conflict,
		"the target of this import kept changing, so nothing was imported; try again when less is "+
			"being recorded there, or import it in smaller parts",
	)
}

func (a *arrivals) many() bool { return len(a.entries)+len(a.readings) > mostAtOnce || a.files != nil }

// write writes all of it in one transaction.
func (a *arrivals) write(tx *store.Tx, c *course) error {
	if a.parents != nil {
		if err := a.parents(tx); err != nil {
			return err
		}
	}
	if err := addEntries(tx, a.entries); err != nil {
		return err
	}
	if err := tx.AddReadings(a.readings); err != nil {
		return ledger.Exists(err, "the same readings arrived meanwhile; check the preview again")
	}
	c.at("written", len(a.readings), len(a.readings))
	return a.end(tx)
}

func addEntries(tx *store.Tx, entries []newEntry) error {
	for _, e := range entries {
		if err := tx.AddEntry(e.review, 1, e.entry, false, e.pinned); err != nil {
			return err
		}
	}
	return nil
}

// errMoved ends an import in several transactions if the records have changed since it was compared with them.
var errMoved = errors.New("the records changed during the import")

// dropTime is how long removing the rows of a failed import can take. The rest is removed later.
const dropTime = time.Minute

// inPieces writes the rows in several transactions, and then makes them visible in one.
func (s *Service) inPieces(ctx context.Context, who *access.Actor, a *arrivals, c *course) (number int64, err error) {
	if err := s.ledger.Store.DropAbandoned(ctx); err != nil {
		return 0, ledger.Failed(err, "removing interrupted imports")
	}
	id, err := s.ledger.Store.BeginImport(ctx, a.reviews)
	if err != nil {
		return 0, ledger.Failed(err, "beginning an import")
	}
	defer func() {
		if err == nil {
			return
		}
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), dropTime)
		defer cancel()
		if left := s.ledger.Store.DropImport(ctx, id); left != nil {
			s.ledger.Log.WarnContext(ctx, "what a failed import wrote is removed later", "error", left)
		}
	}()
	if err := s.stage(ctx, who, a, c, id); err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := a.unmoved(tx); err != nil {
			return err
		}
		if a.parents != nil {
			if err := a.parents(tx); err != nil {
				return err
			}
		}
		if err := a.end(tx); err != nil {
			return err
		}
		return abandoned(tx.FinishImport(id))
	})
}

// stage writes files and rows in batches.
func (s *Service) stage(ctx context.Context, who *access.Actor, a *arrivals, c *course, id int64) error {
	keep := func(write func(*store.Tx) error) error {
		err := s.ledger.Store.Stage(ctx, id, who.ID, s.ledger.Now(), func(tx *store.Tx) error {
			if a.parents == nil {
				return write(tx)
			}
			return tx.WithoutParents(func() error { return write(tx) })
		})
		if err = abandoned(err); err != nil {
			return ledger.Failed(err, "writing a part of an import")
		}
		return nil
	}
	if a.files != nil {
		if err := a.files(keep); err != nil {
			return err
		}
	}
	for some := range slices.Chunk(a.entries, mostAtOnce) {
		if err := keep(func(tx *store.Tx) error { return addEntries(tx, some) }); err != nil {
			return err
		}
	}
	written := 0
	for some := range slices.Chunk(a.readings, mostAtOnce) {
		if err := keep(func(tx *store.Tx) error { return tx.AddReadings(some) }); err != nil {
			return s.alreadyThere(ctx, err, some)
		}
		written += len(some)
		c.at("written", written, len(a.readings))
	}
	return nil
}

// alreadyThere explains where existing rows come from.
func (s *Service) alreadyThere(ctx context.Context, err error, rows []store.ReadingRow) error {
	if !errors.Is(err, store.ErrExists) {
		return err
	}
	if pending, _ := s.ledger.Store.IsPending(ctx, rows); pending {
		return problem.New(
			problem.Conflict,
			"the same readings are being imported now, or such an import was interrupted less than a "+
				"minute ago; wait a minute and check the preview again",
		)
	}
	return errMoved
}

func abandoned(err error) error {
	if errors.Is(err, store.ErrAbandoned) {
		return problem.New(
			problem.Slow,
			"the database took more than a minute for a part of this import; nothing was imported, try "+
				"again when the database is less busy",
		)
	}
	return err
}

// unmoved locks the reviews that get rows, and returns errMoved if anything that the import was compared with has
// changed since.
func (a *arrivals) unmoved(tx *store.Tx) error {
	for _, id := range a.there {
		if _, _, err := tx.LockReview(id); err != nil {
			return err
		}
	}
	changes, err := tx.Changes(a.base)
	if err != nil {
		return ledger.Failed(err, "reading the change log")
	}
	for _, c := range changes {
		switch {
		case c.Sort == store.SortCatalogue, c.Sort == store.SortRig, c.Sort == store.SortChecklist,
			c.Sort == store.SortPerson && (c.Action == "added" || c.Action == "changed" || c.Action == "erased"):
			return errMoved
		case c.Sort != store.SortReview:
		case c.Subject != "*":
			if _, found := slices.BinarySearch(a.reviews, c.Subject); found {
				return errMoved
			}
		default:
			touched, err := tx.Touched(c.Number)
			if err != nil {
				return ledger.Failed(err, "reading the change log")
			}
			if len(touched) == 0 || slices.ContainsFunc(touched, func(id string) bool {
				_, found := slices.BinarySearch(a.reviews, id)
				return found
			}) {
				return errMoved
			}
		}
	}
	return nil
}
