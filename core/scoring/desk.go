package scoring

import (
	"maps"
	"slices"
	"time"

	"dappertally/core/reading"
)

// Desk is the table as it would be if a review were accepted now, with all its readings: the
// review takes its edition's place beside the editions with an accepted review. The table must look at all
// editions and rigs, at no past moment and through no weights of rigs. Of a review that was
// never accepted, its newest reading is the moment.
func (t *Table) Desk(review reading.Review) *Table {
	if review.Readings == nil {
		review.Readings = []reading.Reading{} // there are none, rather than those of the source
	}
	review.State = reading.Accepted
	if review.Accepted == nil {
		review.Accepted = newestReading(&review)
	}
	d := newTable(t.Checklist)
	d.in, d.weight = t.in, t.weight
	d.opened.all = true // it is opened for this review
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
			return nil // who lends may be another
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

// newestReading is when a review's last reading was measured; for a review
// without any it is the zero time.
func newestReading(r *reading.Review) *time.Time {
	var newest time.Time
	for i := range r.Readings {
		if r.Readings[i].At.After(newest) {
			newest = r.Readings[i].At
		}
	}
	return &newest
}
