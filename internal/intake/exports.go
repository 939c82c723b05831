package intake

import (
	"cmp"
	"context"
	"iter"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// ReadingOf is a reading with its review, and the properties of its criterion that are needed to read the answer.
type ReadingOf struct {
	*reading.Reading
	Review, Edition, Checklist string
	Kind                       checklist.Kind
	Unit                       string
}

// Which filters readings. An empty field does not filter.
type Which struct {
	Review, Edition, Criterion, Rig, Checklist string
}

// AllReadings returns the readings that the actor can see, review by review, each ordered by time.
func (s *Service) AllReadings(ctx context.Context, who *access.Actor, w Which) ([]ReadingOf, error) {
	out := []ReadingOf{}
	err := s.EachReading(ctx, who, w, func(x ReadingOf) error {
		x.Reading = new(x.Reading.Clone())
		out = append(out, x)
		return nil
	})
	return out, err
}

// reviewsAtOnce is of how many reviews the readings are in memory at once.
const reviewsAtOnce = 50

// Wanted returns an error if the actor can see no such review, so that an export is refused before it begins.
func (s *Service) Wanted(ctx context.Context, who *access.Actor, w Which) error {
	_, _, err := s.wanted(ctx, who, &w)
	return err
}

// wanted returns the reviews that the actor can see and whose readings are wanted.
func (s *Service) wanted(ctx context.Context, who *access.Actor, w *Which) (*ledger.Records, []store.Review, error) {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, nil, err
	}
	reviews, err := s.reviewing.Reviews(ctx, who)
	if err != nil {
		return nil, nil, err
	}
	w.Edition = state.Catalogue.Resolve(w.Edition)
	reviews = slices.DeleteFunc(reviews, func(r store.Review) bool { return !w.wants(&r) })
	if len(reviews) == 0 && (w.Review != "" || w.Edition != "") {
		return nil, nil, problem.New(
			problem.NotFound, "there is no review of %s that you can see", cmp.Or(w.Review, w.Edition),
		)
	}
	return state, reviews, nil
}

// EachReading calls visit with what AllReadings returns, with only some of it in memory at a time: a reading is valid
// until visit returns. It stops when visit returns an error.
func (s *Service) EachReading(ctx context.Context, who *access.Actor, w Which, visit func(ReadingOf) error) error {
	state, reviews, err := s.wanted(ctx, who, &w)
	if err != nil {
		return err
	}
	for some := range s.readOn(ctx, who, reviews) {
		if some.err != nil {
			return some.err
		}
		for i := range some.reviews {
			r := &some.reviews[i]
			if err := w.each(state, r, some.readings[r.ID], visit); err != nil {
				return err
			}
		}
	}
	return nil
}

// readSome is some reviews with their readings, or the error of reading them.
type readSome struct {
	reviews  []store.Review
	readings map[string][]reading.Reading
	err      error
}

// readOn reads the readings of reviews in batches, the next one while the previous is processed.
func (s *Service) readOn(ctx context.Context, who *access.Actor, reviews []store.Review) iter.Seq[readSome] {
	return func(yield func(readSome) bool) {
		ctx, stop := context.WithCancel(ctx)
		defer stop()
		next := make(chan readSome)
		go func() {
			defer close(next)
			var rooms [3][reviewsAtOnce]reading.Room // for those processed, those that wait, and those being read
			turn := 0
			for some := range slices.Chunk(reviews, reviewsAtOnce) {
				readings, err := s.reviewing.ReadingsOf(ctx, who, some, rooms[turn][:])
				turn = (turn + 1) % len(rooms)
				select {
				case next <- readSome{some, readings, err}:
				case <-ctx.Done():
					return
				}
			}
		}()
		for some := range next {
			if !yield(some) {
				return
			}
		}
		if err := ctx.Err(); err != nil { // it ended early
			yield(readSome{err: ledger.Failed(err, "reading readings")})
		}
	}
}

// wants reports whether readings of a review are wanted.
func (w *Which) wants(r *store.Review) bool {
	return (w.Review == "" || r.ID == w.Review) && (w.Edition == "" || r.Edition == w.Edition) &&
		(w.Checklist == "" || r.Checklist == w.Checklist)
}

// each calls visit with the wanted readings of one review.
func (w *Which) each(
	state *ledger.Records, r *store.Review, readings []reading.Reading, visit func(ReadingOf) error,
) error {
	list, err := scoring.Newest(state.Checklists.Lists, r.Checklist)
	if err != nil {
		return ledger.Failed(err, "finding a review's checklist")
	}
	for j := range readings {
		x := &readings[j]
		if w.Criterion != "" && x.Criterion != w.Criterion || w.Rig != "" && x.Rig != w.Rig {
			continue
		}
		one := ReadingOf{Reading: x, Review: r.ID, Edition: r.Edition, Checklist: r.Checklist}
		if c, ok := list.Criterion(x.Criterion); ok {
			one.Kind, one.Unit = c.Kind, c.Unit
		}
		if err := visit(one); err != nil {
			return err
		}
	}
	return nil
}
