package notices

import (
	"context"
	"crypto/rand"
	"net/mail"
	"slices"
	"strings"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Mailing is how somebody wants notices by mail.
type Mailing = store.Mailing

// Modes are when somebody wants notices by mail.
var Modes = []string{"off", "at-once", "daily"}

// Mailing returns how somebody wants notices by mail.
func (s *Service) Mailing(ctx context.Context, who *access.Actor) (Mailing, error) {
	if !who.SignedIn() {
		return Mailing{}, problem.New(problem.NotSignedIn, "sign in to have notices mailed")
	}
	m, err := s.ledger.Store.Mailing(ctx, who.ID)
	if err != nil {
		return m, ledger.Failed(err, "reading your mail settings")
	}
	return m, nil
}

// SetMailing changes where and when somebody gets notices by mail.
func (s *Service) SetMailing(ctx context.Context, who *access.Actor, address, mode string) error {
	m, err := s.Mailing(ctx, who)
	if err != nil {
		return err
	}
	m.Mail, m.Mode = strings.TrimSpace(address), mode
	if !slices.Contains(Modes, mode) {
		return problem.Field("/mode", "%.70q is not one of %s", mode, strings.Join(Modes, ", "))
	}
	if at, err := mail.ParseAddress(m.Mail); m.Mail != "" && (err != nil || at.Address != m.Mail) {
		return problem.Field("/mail", "%.70q is not a mail address such as name@example.org", address)
	}
	if m.Mail == "" && mode != "off" {
		return problem.Field("/mail", "name the mail address")
	}
	if m.Secret == "" {
		m.Secret = rand.Text()
	}
	if err := s.ledger.Store.SetMailing(ctx, who.ID, &m); err != nil {
		return ledger.Failed(err, "saving your mail settings")
	}
	return nil
}

// Unsubscribe ends the mails of the person to whom the secret in a mail belongs.
func (s *Service) Unsubscribe(ctx context.Context, secret string) error {
	if secret == "" {
		return problem.New(problem.NotFound, "this address does not stop any mails")
	}
	if err := s.ledger.Store.EndMailing(ctx, secret); err != nil {
		return ledger.Failed(err, "stopping the mails")
	}
	return nil
}
