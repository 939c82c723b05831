package store

import (
	"context"
	"encoding/json"

	"dappertally/core/comparing"
)

// Policy is the settings of the team.
type Policy struct {
	// Team is the name of the team.
	Team string `json:"team,omitempty"`
	// SecondStep is whether leads and administrators need one after the password: required or optional.
	SecondStep string `json:"secondStep,omitempty"`
	// SecondReviewer is whether somebody else than a review's only reviewer must accept it: required or advised.
	SecondReviewer string `json:"secondReviewer,omitempty"`
	// RetestDays is the number of days after which a review of a rolling release is stale.
	RetestDays int `json:"retestDays,omitempty"`
	// Components are the versions of components as a lead maintains them, to show how far behind the newest a release
	// was.
	Components []comparing.Component `json:"components,omitempty"`
}

// Policy reads the settings of the team.
func (s *Store) Policy(ctx context.Context) (p Policy, ref Ref, err error) {
	var document []byte
	err = s.db.QueryRowContext(ctx, `SELECT id, revision, document FROM policy`).Scan(&ref.ID, &ref.Revision, &document)
	if err != nil {
		return p, ref, translate(err)
	}
	return p, ref, json.Unmarshal(document, &p)
}

// Team reads the name of the team; empty if there is none.
func (s *Snapshot) Team() (string, error) {
	var document []byte
	if err := s.tx.QueryRowContext(s.ctx, `SELECT document FROM policy`).Scan(&document); err != nil {
		return "", translate(err)
	}
	var p Policy
	err := json.Unmarshal(document, &p)
	return p.Team, err
}

// NameTeam sets the name of the team, without other settings.
func (t *Tx) NameTeam(name string) error {
	return t.one(`UPDATE policy SET document = JSON_SET(document, '$.team', ?), revision = revision + 1`, name)
}

// SetPolicy changes the settings of the team.
func (t *Tx) SetPolicy(ref Ref, p Policy) error {
	return t.edit("policy", ref.ID, ref.Revision, "document = ?", asJSON(p))
}
