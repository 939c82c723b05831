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

// arrivals is what an import writes: rows, of which there may be a million, and what belongs to them.
type arrivals struct {
	// base is the number of the change up to which the import knows the records.
	base int64
	// reviews are the ids of those that the rows go into; there are the ones that exist.
	reviews, there []string
	// parents writes what the rows refer to; nil where all of that exists.
	parents func(*store.Tx) error
	// files hands every file to keep, which writes it; nil where there are none.
	files    func(keep func(write func(*store.Tx) error) error) error
	entries  []newEntry
	readings []store.ReadingRow
	// end logs what was written.
	end func(*store.Tx) error
}

// newEntry is an entry that is new in a review.
type newEntry struct {
	review string
	entry  *reading.Entry
	pinned bool
}

// mostAtOnce is how many rows one transaction of an import writes.
const mostAtOnce = 5000

// mostTries is how often an import in several transactions begins again because somebody changed what it goes into.
const mostTries = 3

// bring writes what find finds in a transaction that looks at the records. Where that is more than one transaction
// should write, the rows come in several, which nobody sees until the last makes them visible together. It gives the
// number of the last change. find returns ledger.ErrTrial where nothing is to be written.
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

// write writes all of it.
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

// errMoved ends an import in several transactions where the records are not any more what it was compared with.
var errMoved = errors.New("the records changed during the import")

// dropTime is how long it may take to remove what an import wrote that failed. What is left then goes later.
const dropTime = time.Minute

// inPieces writes the rows in several transactions, and then all that makes them visible in one.
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

// stage writes files and rows, some at a time.
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

// alreadyThere says of rows that are there already where they come from.
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

// unmoved locks the reviews that the rows go into, and returns errMoved where something that the import was held
// against has changed since.
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
