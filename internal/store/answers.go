package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// History is what happened to reviews and checklists, as far as it is needed to restore a past moment from the
// present records.
type History struct {
	Accepted  map[string][]time.Time       // all acceptances of reviews with several, by review
	Withdrawn []Withdrawn                  // withdrawn reviews that had been accepted
	Readings  map[string][]reading.Reading // pinned ones of these
	retired   map[string]time.Time         // checklist versions, by name
	shown     []shown                      // by time
	audiences []audienceRevision           // by time
}

// Withdrawn is a review and when it was withdrawn.
type Withdrawn struct {
	Review
	At time.Time
}

// shown records that a lead chose the version to show.
type shown struct {
	key     string
	version int
	at      time.Time
}

// audienceRevision is an audience from a time on.
type audienceRevision struct {
	version string // of the checklist, its id
	checklist.Audience
	at      time.Time
	dropped bool
}

// Past is the history up to a moment.
type Past struct {
	*History
	At        time.Time
	Retired   map[string]time.Time            // checklist versions, by name
	Shown     map[string]int                  // the version that a lead had chosen to show, by key
	Audiences map[string][]checklist.Audience // audiences at that time, by version's id
}

// Turns returns when checklists or audiences changed.
func (h *History) Turns() []time.Time {
	var all []time.Time
	for _, at := range h.retired {
		all = append(all, at)
	}
	for _, s := range h.shown {
		all = append(all, s.at)
	}
	for i := range h.audiences {
		all = append(all, h.audiences[i].at)
	}
	return all
}

// AcceptedBy returns the last acceptance of a review up to the moment at; last is the last of all. It is zero if
// there was none.
func (h *History) AcceptedBy(review string, last, at time.Time) time.Time {
	if !last.After(at) {
		return last
	}
	var found time.Time
	for _, t := range h.Accepted[review] {
		if !t.After(at) && t.After(found) {
			found = t
		}
	}
	return found
}

// At returns the history up to a moment.
func (h *History) At(at time.Time) *Past {
	p := &Past{History: h, At: at, Retired: h.retired, Shown: map[string]int{}}
	for _, s := range h.shown {
		if !s.at.After(at) {
			p.Shown[s.key] = s.version
		}
	}
	p.Audiences = h.audiencesAt(at)
	return p
}

// audiencesAt returns the revisions of audiences at a moment, in the order of their first ones. A version whose
// audiences are all newer has those with which it was frozen.
func (h *History) audiencesAt(at time.Time) map[string][]checklist.Audience {
	type one struct {
		newest *audienceRevision
		first  time.Time
	}
	all := map[string][]one{} // by version
	for i := range h.audiences {
		a := &h.audiences[i]
		if a.at.After(at) {
			continue
		}
		known := all[a.version]
		n := slices.IndexFunc(known, func(x one) bool { return x.newest.Key == a.Key })
		if n < 0 {
			all[a.version] = append(known, one{a, a.at})
		} else {
			known[n].newest = a
		}
	}
	then := map[string][]checklist.Audience{}
	for version, known := range all {
		slices.SortFunc(known, func(x, y one) int {
			return cmp.Or(x.first.Compare(y.first), strings.Compare(x.newest.Key, y.newest.Key))
		})
		then[version] = []checklist.Audience{}
		for _, x := range known {
			if !x.newest.dropped {
				then[version] = append(then[version], x.newest.Audience)
			}
		}
	}
	return then
}

// History reads what happened.
func (s *Store) History(ctx context.Context) (*History, error) {
	h := &History{
		Accepted: map[string][]time.Time{}, Readings: map[string][]reading.Reading{}, retired: map[string]time.Time{},
	}
	err := each(ctx, s.db, acceptedAgain, nil, func(row *sql.Rows) error {
		var review string
		var accepted time.Time
		err := row.Scan(&review, &accepted)
		h.Accepted[review] = append(h.Accepted[review], accepted)
		return err
	})
	if err != nil {
		return nil, err
	}
	withdrawn, err := s.happened(ctx, h)
	if err != nil {
		return nil, err
	}
	if len(withdrawn) > 0 {
		if err := s.withdrawn(ctx, h, withdrawn); err != nil {
			return nil, err
		}
	}
	return h, s.audiences(ctx, h)
}

const acceptedAgain = `SELECT review, accepted FROM acceptances
	JOIN (SELECT review FROM acceptances GROUP BY review HAVING COUNT(*) > 1) AS again USING (review)`

// happened reads from the change log what happened to checklists, and when reviews were withdrawn.
func (s *Store) happened(ctx context.Context, h *History) (withdrawn map[string]time.Time, err error) {
	withdrawn = map[string]time.Time{}
	return withdrawn, each(ctx, s.db, happenedSince, []any{reading.Withdrawn}, func(row *sql.Rows) error {
		var sort Sort
		var subject, action, detail string
		var when time.Time
		if err := row.Scan(&sort, &subject, &action, &detail, &when); err != nil {
			return err
		}
		switch {
		case action == reading.Withdrawn:
			withdrawn[subject] = when
		case action == "moved" && detail == string(checklist.Retired):
			h.retired[subject] = when
		case action == "shown":
			version, err := strconv.Atoi(detail)
			if err != nil {
				return fmt.Errorf("the change log shows version %q as shown: %w", detail, err)
			}
			h.shown = append(h.shown, shown{subject, version, when})
		}
		return nil
	})
}

const happenedSince = `SELECT sort, subject, action, detail, at FROM changes
	WHERE (sort = 'review' AND action = ?) OR (sort = 'checklist' AND action IN ('moved', 'shown')) ORDER BY number`

// withdrawn reads withdrawn reviews, with what their last acceptance had pinned.
func (s *Store) withdrawn(ctx context.Context, h *History, when map[string]time.Time) error {
	ids := make([]string, 0, len(when))
	for id := range when {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	for some := range slices.Chunk(ids, manyIDs) {
		reviews, err := loadReviews(ctx, s.db, some)
		if err != nil {
			return err
		}
		for _, r := range reviews {
			if r.Accepted.IsZero() || r.State != reading.Withdrawn {
				continue
			}
			h.Withdrawn = append(h.Withdrawn, Withdrawn{r, when[r.ID]})
			readings, err := loadReadings(ctx, s.db, `x.pinned AND x.review = ?`, r.ID)
			if err != nil {
				return err
			}
			h.Readings[r.ID] = readings[r.ID]
		}
	}
	return nil
}

// audiences reads the revisions of audiences.
func (s *Store) audiences(ctx context.Context, h *History) error {
	const revisions = "SELECT checklist_version, `key`, document, created, dropped FROM audiences " +
		"ORDER BY created, revision"
	return each(ctx, s.db, revisions, nil, func(row *sql.Rows) error {
		var a audienceRevision
		var document []byte
		var key string
		if err := row.Scan(&a.version, &key, &document, &a.at, &a.dropped); err != nil {
			return err
		}
		if err := json.Unmarshal(document, &a.Audience); err != nil {
			return fmt.Errorf("audience of version %s: %w", a.version, err)
		}
		a.Key = key
		h.audiences = append(h.audiences, a)
		return nil
	})
}
