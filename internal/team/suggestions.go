package team

import (
	"context"
	"errors"
	"slices"
	"strings"

	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Suggestion is a suggestion from a reader without an account.
type Suggestion = store.Suggestion

// SuggestionSorts lists the kinds of suggestion: a requested review, a change to the checklist, a correction.
var SuggestionSorts = []string{"review", "checklist", "correction"}

// mostHeld is how many suggestions can wait for a lead, so that nobody can fill the database.
const mostHeld = 500

// Suggest stores a suggestion from anybody until a lead decides. from is where it comes from; too many from one
// place, or too many waiting ones, are refused.
func (s *Service) Suggest(ctx context.Context, who *access.Actor, from string, x Suggestion) (int64, error) {
	if !s.suggesting.Allow("from " + from) {
		return 0, problem.New(problem.TooMany, "too many suggestions at once; try again in a few minutes")
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return 0, err
	}
	var book fault.Book
	if !slices.Contains(SuggestionSorts, x.Sort) {
		book.Field("sort", "must be one of %s", strings.Join(SuggestionSorts, ", "))
	}
	about, err := subject(state, x.Subject)
	if err != nil {
		book.Field("subject", "name the subject in 1 to %d bytes", longestSubject)
	}
	if strings.TrimSpace(x.Text) == "" || len(x.Text) > 4000 {
		book.Field("text", "describe your suggestion in 1 to 4000 bytes")
	}
	if len(x.Contact) > longestSubject {
		book.Field("contact", "is longer than %d bytes", longestSubject)
	}
	if err := problem.From("the suggestion", book.List()); err != nil {
		return 0, err
	}
	held, err := s.ledger.Store.HeldSuggestions(ctx)
	if err != nil {
		return 0, ledger.Failed(err, "counting suggestions")
	}
	if held >= mostHeld {
		return 0, problem.New(problem.TooMany, "%d suggestions are waiting already; try again in a few days", held)
	}
	x.ID, x.Subject = ledger.NewID(), about
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddSuggestion(&x); err != nil {
			return err
		}
		return tx.Log("suggested", store.SortQueue, x.ID, x.Sort)
	})
}

// Suggestions lists all suggestions, newest first. Only the team can see them.
func (s *Service) Suggestions(ctx context.Context, who *access.Actor) ([]Suggestion, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return nil, err
	}
	xs, err := s.ledger.Store.Suggestions(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading suggestions")
	}
	return xs, nil
}

// AboutReport is the prefix of the subject of a suggestion about a report; its key follows.
const AboutReport = "report/"

// DecideSuggestion accepts a suggestion or declines it with a reason. An accepted request for a review becomes a
// request in the queue, and so does a correction, since it asks to check again; one about a report becomes an erratum
// there. A change to the checklist waits among the proposals until somebody writes it.
func (s *Service) DecideSuggestion(
	ctx context.Context,
	who *access.Actor,
	id string,
	v ledger.Version,
	to, decision string,
) (int64, error) {
	if err := who.Permit(OrderQueue); err != nil {
		return 0, err
	}
	var book fault.Book
	if to != "accepted" && to != "declined" {
		book.Field("state", "must be accepted or declined")
	}
	if to == "declined" && strings.TrimSpace(decision) == "" {
		book.Field("decision", "give a reason for declining it")
	}
	if err := problem.From("the decision", book.List()); err != nil {
		return 0, err
	}
	all, err := s.Suggestions(ctx, who)
	if err != nil {
		return 0, err
	}
	i := slices.IndexFunc(all, func(x Suggestion) bool { return x.ID == id })
	if i < 0 {
		return 0, problem.New(problem.NotFound, "there is no suggestion %s", id)
	}
	x := &all[i]
	if x.State != "held" {
		return 0, problem.New(
			problem.Conflict,
			"%s has already %s this suggestion",
			x.DecidedBy,
			x.State,
		)
	}
	ref, err := ledger.Based(map[string]store.Ref{id: x.Ref}, id, v)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		became := ""
		if report, ok := strings.CutPrefix(x.Subject, AboutReport); ok {
			became = report
		} else if to == "accepted" && x.Sort != "checklist" {
			reason := x.Text
			if x.Sort == "correction" {
				reason = "correction: " + reason
			}
			if became, err = ask(tx, x.Subject, reason, true); err != nil {
				return err
			}
		}
		if err := tx.DecideSuggestion(ref, to, decision, became); err != nil {
			return err
		}
		return tx.Log(to, store.SortQueue, id, decision)
	})
}

// AcceptSuggestion accepts a waiting suggestion because of its result. One that was decided before does not change.
func AcceptSuggestion(tx *store.Tx, id, became string) error {
	ref, state, err := tx.FindSuggestion(id)
	if errors.Is(err, store.ErrNotFound) {
		return problem.New(problem.NotFound, "there is no suggestion %s to name in the correction", id)
	}
	if err != nil || state != "held" {
		return err
	}
	return tx.DecideSuggestion(ref, "accepted", "corrected", became)
}
