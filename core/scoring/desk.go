package scoring

import (
	"maps"
	"slices"
	"time"

	"dappertally/core/reading"
)

// Desk returns the table as it would be if a review were accepted now, with all its readings: the review takes its
// edition's place beside the editions with an accepted review. The table must include all editions and rigs, at no
// past moment and without custom weights of rigs. For a review that was never accepted, the moment is that of its
// newest reading.
func (t *Table) Desk(review reading.Review) *Table {
	if review.Readings == nil {
		review.Readings = []reading.Reading{} // none, instead of those of the source
	}
	review.State = reading.Accepted
	if review.Accepted == nil {
		review.Accepted = newestReading(&review)
	}
	d := newTable(t.Checklist)
	d.in, d.weight = t.in, t.weight
	d.opened.all = true // opened for this review
	d.reviews = maps.Clone(t.reviews)
	d.reviews[review.ID] = &review
	row := d.rower(false).row(&review)
	e, stood := slices.BinarySearch(t.Editions, review.Edition)
	var was *Row
	replaced := 0
	if stood {
		was, replaced = t.rows[e], 1
	}
	d.rows = slices.Replace(slices.Clone(t.rows), e, e+replaced, row)
	d.Editions = slices.Replace(slices.Clone(t.Editions), e, e+replaced, review.Edition)
	d.Reviews = slices.Replace(slices.Clone(t.Reviews), e, e+replaced, review.ID)
	d.field(func(i int) *fit {
		if t.Criteria[i].Scope.Wide() || t.fits[i] == nil {
			return nil // the lender may be another
		}
		var before []rigBrief
		if was != nil {
			_, before = was.at(i)
		}
		_, now := row.at(i)
		return t.fits[i].with(was, before, row, now)
	})
	return d
}

// newestReading returns when a review's last reading was measured; for a review without readings it is the zero time.
func newestReading(r *reading.Review) *time.Time {
	var newest time.Time
	for i := range r.Readings {
		if r.Readings[i].At.After(newest) {
			newest = r.Readings[i].At
		}
	}
	return &newest
}
