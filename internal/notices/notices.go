// Package notices notifies people of what waits for them, on a page and by mail, and other programs of changes.
package notices

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/checklists"
	"dappertally/internal/ledger"
	"dappertally/internal/people"
	"dappertally/internal/problem"
	"dappertally/internal/reviewing"
	"dappertally/internal/store"
	"dappertally/internal/team"
)

// Service implements the use cases of this part. Make it with New.
type Service struct {
	ledger     *ledger.Ledger
	people     *people.Service
	reviewing  *reviewing.Service
	checklists *checklists.Service
	team       *team.Service
	Sending    *Sending // how mails and web hooks are sent; nil: no mails
}

// New returns the service; it uses the records and other parts.
func New(
	l *ledger.Ledger, people *people.Service, reviewing *reviewing.Service, checklists *checklists.Service,
	team *team.Service,
) *Service {
	return &Service{l, people, reviewing, checklists, team, nil}
}

// Kind is the reason of a notice.
type Kind = string

// The kinds of notices.
const (
	Assigned   Kind = "assigned"   // a review is assigned to them
	Due        Kind = "due"        // it is due soon
	Overdue    Kind = "overdue"    // it is overdue
	Returned   Kind = "returned"   // it came back with a reason
	Submitted  Kind = "submitted"  // a review waits to be accepted
	Mentioned  Kind = "mentioned"  // somebody mentions them
	Suggestion Kind = "suggestion" // readers sent a suggestion
	Proposal   Kind = "proposal"   // a change of the checklist waits for a decision
)

// Notice is something that waits for a person.
type Notice struct {
	Key     string // identifies it for this person
	Kind    Kind
	Edition string // of a review; empty: of another subject
	Title   string // of another subject
	Text    string // the reason, or the words of a mention
	By      string // who caused it; empty: nobody
	Address string // address of its page
	At      time.Time
	Due     string // YYYY-MM-DD; empty: no day
	// Lasting stays until its subject is done; other notices can be dismissed.
	Lasting bool
}

// soon is how long before the day something counts as due.
const soon = 3 * 24 * time.Hour

// Notices lists what waits for somebody, the most urgent first.
func (s *Service) Notices(ctx context.Context, who *access.Actor) ([]Notice, error) {
	if !who.SignedIn() {
		return nil, problem.New(problem.NotSignedIn, "sign in to see your notices")
	}
	all := []Notice{}
	if who.May(access.SeeWork) {
		for _, gather := range []func(context.Context, *access.Actor) ([]Notice, error){s.reviews, s.decisions} {
			some, err := gather(ctx, who)
			if err != nil {
				return nil, err
			}
			all = append(all, some...)
		}
	}
	mentions, err := s.mentions(ctx, who)
	if err != nil {
		return nil, err
	}
	all = append(all, mentions...)
	seen, _, err := s.ledger.Store.NoticesSeen(ctx, who.ID)
	if err != nil {
		return nil, ledger.Failed(err, "reading notices")
	}
	all = slices.DeleteFunc(all, func(n Notice) bool { return !n.Lasting && seen[n.Key] })
	slices.SortStableFunc(all, func(a, b Notice) int {
		return cmp.Or(cmp.Compare(urgency[a.Kind], urgency[b.Kind]), b.At.Compare(a.At))
	})
	return all, nil
}

var urgency = map[Kind]int{Overdue: 0, Returned: 1, Due: 2, Mentioned: 3, Submitted: 4, Assigned: 5, Suggestion: 6,
	Proposal: 7}

// reviews returns the notices of reviews that somebody does or accepts.
func (s *Service) reviews(ctx context.Context, who *access.Actor) ([]Notice, error) {
	open, err := s.reviewing.ReviewsIn(ctx, who, reading.Planned, reading.Underway, reading.Submitted)
	if err != nil {
		return nil, err
	}
	accepts := who.May(reviewing.Accept)
	open = slices.DeleteFunc(open, func(r store.Review) bool {
		mine := r.Assigned == who.Name && r.State != reading.Submitted
		return !mine && !(accepts && r.State == reading.Submitted)
	})
	ids := make([]string, len(open))
	for i := range open {
		ids[i] = open[i].ID
	}
	moves, err := s.ledger.Store.LastMoves(ctx, ids)
	if err != nil {
		return nil, ledger.Failed(err, "reading the change log")
	}
	all := make([]Notice, 0, len(open))
	for i := range open {
		all = append(all, s.ofReview(&open[i], moves[open[i].ID], who))
	}
	return all, nil
}

func (s *Service) ofReview(r *store.Review, last store.Change, who *access.Actor) Notice {
	n := Notice{
		Kind: Assigned, Edition: r.Edition, Address: "/desk/" + r.ID, At: r.Created, Due: r.Due, Lasting: true,
		Text: r.Reason,
	}
	if last.Number > 0 {
		n.At = last.At
	}
	if last.Person != who.Name {
		n.By = last.Person
	}
	today := s.ledger.Now()
	due, err := time.Parse(time.DateOnly, r.Due)
	switch {
	case r.State == reading.Submitted:
		n.Kind, n.Text = Submitted, last.Detail
	case last.Action == reading.Underway && last.Person != who.Name:
		n.Kind, n.Text = Returned, last.Detail
	case err == nil && r.Due < today.Format(time.DateOnly):
		n.Kind = Overdue
	case err == nil && due.Sub(today) < soon:
		n.Kind = Due
	}
	n.Key = fmt.Sprintf("%s %s %s %d", n.Kind, r.ID, r.Due, last.Number)
	return n
}

// decisions returns the notices of a lead's decisions.
func (s *Service) decisions(ctx context.Context, who *access.Actor) ([]Notice, error) {
	var all []Notice
	if who.May(team.OrderQueue) {
		held, err := s.team.Suggestions(ctx, who)
		if err != nil {
			return nil, err
		}
		for _, x := range held {
			if x.State == "held" {
				all = append(all, Notice{
					Key: "suggestion " + x.ID, Kind: Suggestion, Title: x.Subject, Text: x.Text, Address: "/team/suggestions",
					At: x.Created, Lasting: true,
				})
			}
		}
	}
	if who.May(checklists.EditChecklist) {
		proposals, err := s.checklists.Proposals(ctx, who)
		if err != nil {
			return nil, err
		}
		for _, p := range proposals {
			if p.State == checklists.ProposalOpen && p.Person != who.Name {
				all = append(all, Notice{
					Key: "proposal " + p.ID, Kind: Proposal, Title: p.Title, Text: p.Reason, By: p.Person,
					Address: "/checklist/proposals/" + p.ID, At: p.Created, Lasting: true,
				})
			}
		}
	}
	return all, nil
}

func (s *Service) mentions(ctx context.Context, who *access.Actor) ([]Notice, error) {
	found, err := s.ledger.Store.Mentions(ctx, who.ID)
	if err != nil {
		return nil, ledger.Failed(err, "reading mentions")
	}
	all := make([]Notice, 0, len(found))
	for _, m := range found {
		n := Notice{Key: mentionKey + m.ID, Kind: Mentioned, Text: m.Excerpt, By: m.Writer, At: m.At}
		switch m.Sort {
		case store.SortProposal:
			n.Title, n.Address = "a proposal", "/checklist/proposals/"+m.Subject
		default:
			n.Address = "/desk/" + m.Subject
			if r, err := s.reviewing.Review(ctx, who, m.Subject); err == nil {
				n.Edition = r.Edition
			}
		}
		all = append(all, n)
	}
	return all, nil
}

const mentionKey = "mention "

// longestKey is the longest key of a notice.
const longestKey = 200

// PutAway dismisses a notice of somebody, unless it lasts until its subject is done.
func (s *Service) PutAway(ctx context.Context, who *access.Actor, key string) error {
	if !who.SignedIn() {
		return problem.New(problem.NotSignedIn, "sign in to see your notices")
	}
	if key == "" || len(key) > longestKey {
		return problem.Field("/key", "there is no notice %.70q", key)
	}
	var err error
	if id, ok := strings.CutPrefix(key, mentionKey); ok {
		err = s.ledger.Store.SeeMention(ctx, who.ID, id)
	} else {
		err = s.ledger.Store.SeeNotice(ctx, who.ID, key, s.ledger.Now())
	}
	if err != nil {
		return ledger.Failed(err, "dismissing a notice")
	}
	return nil
}
