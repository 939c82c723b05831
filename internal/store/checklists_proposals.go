package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"dappertally/core/checklist"
)

// Proposal is a suggested change to a checklist version.
type Proposal struct {
	Ref
	Checklist string // key@version
	Person    string // who proposes, by name
	Title     string
	Reason    string
	Edits     []checklist.Edit
	State     string // open, accepted, declined, withdrawn
	Created   time.Time
	Decided   time.Time // zero: not yet
	DecidedBy string
	Decision  string
	Comments  []Comment
}

// Comment is a comment on a proposal.
type Comment struct {
	Person string
	At     time.Time
	Text   string
}

// Proposals reads all proposals with their comments, newest first.
func (s *Store) Proposals(ctx context.Context) ([]Proposal, error) {
	return loadProposals(ctx, s.db, "")
}

// Proposal reads one proposal.
func (s *Store) Proposal(ctx context.Context, id string) (Proposal, error) {
	ps, err := loadProposals(ctx, s.db, ` WHERE x.id = ?`, id)
	if err != nil {
		return Proposal{}, err
	}
	if len(ps) == 0 {
		return Proposal{}, ErrNotFound
	}
	return ps[0], nil
}

func loadProposals(ctx context.Context, q querier, where string, args ...any) ([]Proposal, error) {
	ps := []Proposal{}
	at := map[string]int{}
	err := each(
		ctx,
		q,
		`SELECT x.id, x.revision, CONCAT(c.key, '@', v.version), p.name, x.title, x.reason, x.edits, x.state, x.created, x.decided, d.name, x.decision
		FROM proposals x JOIN checklist_versions v ON v.id = x.checklist_version JOIN checklists c ON c.id = v.checklist
		JOIN people p ON p.id = x.person LEFT JOIN people d ON d.id = x.decided_by`+where+` ORDER BY x.created DESC, x.id`,
		args,
		func(row *sql.Rows) error {
			p := Proposal{Comments: []Comment{}}
			var edits []byte
			var decided sql.NullTime
			if err := row.Scan(&p.ID, &p.Revision, &p.Checklist, &p.Person, &p.Title, &p.Reason, &edits, &p.State, &p.Created, &decided, orEmpty{&p.DecidedBy}, &p.Decision); err != nil {
				return err
			}
			p.Decided = decided.Time
			at[p.ID] = len(ps)
			ps = append(ps, p)
			return json.Unmarshal(edits, &ps[len(ps)-1].Edits)
		},
	)
	if err != nil {
		return nil, err
	}
	err = each(
		ctx,
		q,
		`SELECT x.id, p.name, m.at, m.text FROM proposal_comments m JOIN proposals x ON x.id = m.proposal JOIN people p ON p.id = m.person`+where+` ORDER BY m.proposal, m.number`,
		args,
		func(row *sql.Rows) error {
			var id string
			var m Comment
			if err := row.Scan(&id, &m.Person, &m.At, &m.Text); err != nil {
				return err
			}
			if i, ok := at[id]; ok {
				ps[i].Comments = append(ps[i].Comments, m)
			}
			return nil
		},
	)
	return ps, err
}

// AddProposal adds a proposal by the person who writes, about a checklist version.
func (t *Tx) AddProposal(p *Proposal, version string) error {
	return t.exec(
		`INSERT INTO proposals (id, checklist_version, person, title, reason, edits, created) VALUES (?, ?, ?, ?, ?, ?, ?)`,
		p.ID,
		version,
		t.person,
		p.Title,
		p.Reason,
		asJSON(p.Edits),
		t.now,
	)
}

// EditProposal changes what is proposed.
func (t *Tx) EditProposal(ref Ref, p *Proposal) error {
	return t.edit(
		"proposals", ref.ID, ref.Revision, "title = ?, reason = ?, edits = ?", p.Title, p.Reason, asJSON(p.Edits),
	)
}

// DecideProposal closes a proposal.
func (t *Tx) DecideProposal(ref Ref, state, decision string) error {
	return t.edit(
		"proposals",
		ref.ID,
		ref.Revision,
		"state = ?, decision = ?, decided = ?, decided_by = ?",
		state,
		decision,
		t.now,
		null(t.person),
	)
}

// Comment adds a comment to a proposal.
func (t *Tx) Comment(proposal, text string) error {
	var n int
	if err := t.row(`SELECT COUNT(*) FROM proposals WHERE id = ? FOR UPDATE`, proposal).Scan(&n); err != nil || n == 0 {
		return translate(err)
	}
	return t.exec(`INSERT INTO proposal_comments (proposal, number, person, at, text)
		SELECT ?, COALESCE(MAX(number), 0) + 1, ?, ?, ? FROM proposal_comments WHERE proposal = ?`, proposal, t.person, t.now, text, proposal)
}
