package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"strconv"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Past is what a moment needs to be seen again, besides what stands now.
type Past struct {
	Accepted  map[string][]time.Time          // all acceptances, by review
	Withdrawn []Review                        // that were accepted, and withdrawn after the moment
	Readings  map[string][]reading.Reading    // pinned ones of these
	Retired   map[string]time.Time            // checklist versions, by name
	Shown     map[string]int                  // the version that a lead had chosen to show, by key
	Audiences map[string][]checklist.Audience // as they were, by version's id
}

// AcceptedBy is the last acceptance of a review by the moment at; last is the last of
// all. It is zero where there was none.
func (p *Past) AcceptedBy(review string, last, at time.Time) time.Time {
	if !last.After(at) {
		return last
	}
	var found time.Time
	for _, t := range p.Accepted[review] {
		if !t.After(at) && t.After(found) {
			found = t
		}
	}
	return found
}

// PastAt reads what has changed since the moment at.
func (s *Store) PastAt(ctx context.Context, at time.Time) (*Past, error) {
	p := &Past{
		Accepted: map[string][]time.Time{}, Readings: map[string][]reading.Reading{}, Retired: map[string]time.Time{}, Shown: map[string]int{},
		Audiences: map[string][]checklist.Audience{},
	}
	var withdrawn []string
	err := each(ctx, s.db, `SELECT review, accepted FROM acceptances`, nil, func(row *sql.Rows) error {
		var review string
		var accepted time.Time
		err := row.Scan(&review, &accepted)
		p.Accepted[review] = append(p.Accepted[review], accepted)
		return err
	})
	if err != nil {
		return nil, err
	}
	err = each(
		ctx,
		s.db,
		`SELECT sort, subject, action, detail, at FROM changes WHERE (sort = 'review' AND action = ?) OR (sort = 'checklist' AND action IN ('moved', 'shown')) ORDER BY number`,
		[]any{reading.Withdrawn},
		func(row *sql.Rows) error {
			var sort Sort
			var subject, action, detail string
			var when time.Time
			if err := row.Scan(&sort, &subject, &action, &detail, &when); err != nil {
				return err
			}
			switch {
			case action == reading.Withdrawn && when.After(at):
				withdrawn = append(withdrawn, subject)
			case action == "moved" && detail == string(checklist.Retired):
				p.Retired[subject] = when
			case action == "shown" && !when.After(at):
				version, err := strconv.Atoi(detail)
				if err != nil {
					return fmt.Errorf("the change log says that version %q was shown: %w", detail, err)
				}
				p.Shown[subject] = version
			}
			return nil
		},
	)
	if err != nil {
		return nil, err
	}
	if len(withdrawn) > 0 {
		if err := s.withdrawn(ctx, p, withdrawn); err != nil {
			return nil, err
		}
	}
	return p, s.audiencesAt(ctx, p, at)
}

// withdrawn reads reviews that no longer stand, with what they stood with.
func (s *Store) withdrawn(ctx context.Context, p *Past, ids []string) error {
	reviews, err := loadReviews(ctx, s.db, ids)
	if err != nil {
		return err
	}
	for _, r := range reviews {
		if r.Accepted.IsZero() || r.State != reading.Withdrawn {
			continue
		}
		p.Withdrawn = append(p.Withdrawn, r)
		readings, err := loadReadings(ctx, s.db, ` WHERE x.pinned AND x.review = ?`, r.ID)
		if err != nil {
			return err
		}
		p.Readings[r.ID] = readings[r.ID]
	}
	return nil
}

// audiencesAt reads the revisions that audiences had. A version whose audiences are
// all newer keeps what it was frozen with.
func (s *Store) audiencesAt(ctx context.Context, p *Past, at time.Time) error {
	return each(ctx, s.db, `SELECT a.checklist_version, a.document, a.dropped FROM audiences a
		JOIN (SELECT checklist_version, `+"`key`"+`, MAX(revision) AS newest, MIN(created) AS first FROM audiences WHERE created <= ? GROUP BY checklist_version, `+"`key`"+`) n
		ON n.checklist_version = a.checklist_version AND n.key = a.key AND n.newest = a.revision ORDER BY n.first, a.key`, []any{at}, func(row *sql.Rows) error {
		var version string
		var document []byte
		var dropped bool
		if err := row.Scan(&version, &document, &dropped); err != nil {
			return err
		}
		var a checklist.Audience
		if err := json.Unmarshal(document, &a); err != nil {
			return fmt.Errorf("audience of version %s: %w", version, err)
		}
		if p.Audiences[version] == nil {
			p.Audiences[version] = []checklist.Audience{}
		}
		if !dropped {
			p.Audiences[version] = append(p.Audiences[version], a)
		}
		return nil
	})
}
