package people

import (
	"context"
	"errors"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// OpenCalendar creates the secret of one's own calendar, which is shown only once; an older one expires. A calendar
// program has no password, only an address.
func (s *Service) OpenCalendar(ctx context.Context, who *access.Actor) (secret string, err error) {
	if !who.SignedIn() {
		return "", problem.New(problem.NotSignedIn, "sign in to have a calendar")
	}
	secret = newSecret()
	if err := s.ledger.Store.SetCalendar(ctx, who.ID, secret); err != nil {
		return "", ledger.Failed(err, "making a calendar")
	}
	return secret, nil
}

// CloseCalendar disables the address of one's own calendar.
func (s *Service) CloseCalendar(ctx context.Context, who *access.Actor) error {
	if !who.SignedIn() {
		return problem.New(problem.NotSignedIn, "sign in to end your calendar")
	}
	if err := s.ledger.Store.SetCalendar(ctx, who.ID, ""); err != nil {
		return ledger.Failed(err, "ending a calendar")
	}
	return nil
}

// CalendarOwner returns whose calendar a secret opens.
func (s *Service) CalendarOwner(ctx context.Context, secret string) (access.Actor, error) {
	p, err := s.ledger.Store.CalendarPerson(ctx, secret)
	if errors.Is(err, store.ErrNotFound) {
		return access.Actor{}, problem.New(
			problem.NotFound, "there is no calendar at this address; its owner may have created a new one")
	}
	if err != nil {
		return access.Actor{}, ledger.Failed(err, "finding a calendar")
	}
	return actor(&p), nil
}
