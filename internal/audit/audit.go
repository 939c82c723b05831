// Package audit reads the audit trail, in which every change and every sign-in is recorded.
package audit

import (
	"context"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/people"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Entry is one entry of the trail, with current names instead of people's ids.
type Entry struct {
	store.AuditEntry
	By    string // the name of who did it; empty: unknown
	About string // of a person: the name; otherwise the subject
}

// Wanted selects entries; an empty field selects all.
type Wanted struct {
	By, Sort, Subject, Action string // By and the subject of a person are names
	From, To                  time.Time
	Before                    int64
	Limit                     int
}

// Service implements the use cases of this part. Make it with New.
type Service struct {
	ledger *ledger.Ledger
	people *people.Service
}

// New returns the service; it uses the records and other parts.
func New(l *ledger.Ledger, p *people.Service) *Service { return &Service{l, p} }

// Entries returns entries, the newest first.
func (s *Service) Entries(ctx context.Context, who *access.Actor, w *Wanted) ([]Entry, error) {
	action := SeeTrail
	if w.Subject != "" && (w.Sort == string(store.SortReview) || w.Sort == string(store.SortReport)) {
		action = SeeHistory
	}
	if err := who.Permit(action); err != nil {
		return nil, err
	}
	ids, err := s.people.IDs(ctx)
	if err != nil {
		return nil, err
	}
	names := map[string]string{}
	for name, id := range ids {
		names[id] = name
	}
	id := func(field, name string) (string, error) {
		if name == "" || ids[name] != "" {
			return ids[name], nil
		}
		return "", problem.Field(field, "there is no account %q", name)
	}
	f := store.AuditFilter{
		Sort: w.Sort, Subject: w.Subject, Action: w.Action, From: w.From, To: w.To, Before: w.Before, Limit: w.Limit,
	}
	if f.Person, err = id("by", w.By); err != nil {
		return nil, err
	}
	if w.Sort == string(store.SortPerson) {
		if f.Subject, err = id("subject", w.Subject); err != nil {
			return nil, err
		}
	}
	found, err := s.ledger.Store.Audit(ctx, &f)
	if err != nil {
		return nil, ledger.Failed(err, "reading the audit trail")
	}
	entries := make([]Entry, len(found))
	for i, e := range found {
		entries[i] = Entry{e, names[e.Person], e.Subject}
		if e.Sort == string(store.SortPerson) {
			entries[i].About = names[e.Subject]
		}
	}
	return entries, nil
}

// keptLook is how often entries past their time are looked for.
const keptLook = time.Hour

// Keep deletes, until ctx ends, entries past their time; zero days keep all forever.
func (s *Service) Keep(ctx context.Context, days int) {
	if days <= 0 {
		return
	}
	ticker := time.NewTicker(keptLook)
	defer ticker.Stop()
	for {
		n, err := s.ledger.Store.PruneAudit(ctx, time.Now().UTC().AddDate(0, 0, -days))
		switch {
		case err != nil && ctx.Err() == nil:
			s.ledger.Log.WarnContext(ctx, "old entries of the audit trail were not deleted", "error", err)
		case n > 0:
			s.ledger.Log.InfoContext(ctx, "entries of the audit trail were deleted", "entries", n, "days", days)
		}
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
	}
}
