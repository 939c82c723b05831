package people

import (
	"context"
	"crypto/rand"
	"errors"
	"slices"
	"strings"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Token is a personal token without its secret.
type Token = store.Token

// Session is a session in a browser, without its secret.
type Session = store.Session

// Creating a token needs a recently given password, and cannot be done with another token, so that neither a stolen
// token nor an unattended browser can create more.
const (
	mostTokens = 20
	provedFor  = 10 * time.Minute
)

// proved refuses what is only allowed for a while after a password was given.
func (s *Service) proved(who *access.Actor, doing string) error {
	switch {
	case !who.SignedIn():
		return problem.New(problem.NotSignedIn, "sign in to %s", doing)
	case who.Session == "":
		return problem.New(problem.Forbidden, "to %s, sign in with a password; a token cannot do that", doing)
	case s.now().Sub(who.Proved) > provedFor:
		return problem.New(
			problem.Unproved,
			"to %s, enter your password again: you entered it more than 10 minutes ago",
			doing,
		)
	}
	return nil
}

// CreateToken creates a personal token with some of one's own roles, all if roles is empty. The secret is shown only
// once.
func (s *Service) CreateToken(
	ctx context.Context,
	who *access.Actor,
	label string,
	roles []access.Role,
	days int,
) (t store.Token, secret string, err error) {
	if err := s.proved(who, "make a token"); err != nil {
		return t, "", err
	}
	if label = strings.TrimSpace(label); label == "" {
		return t, "", problem.Field("/label", "must be the purpose of the token")
	}
	for _, r := range roles {
		if !slices.Contains(who.Roles, r) {
			return t, "", problem.Field("/roles", "a token cannot have the role %s, because %s does not have it", r, who.Name)
		}
	}
	if len(roles) == 0 {
		roles = who.Roles
	}
	at := s.now()
	t = store.Token{Label: label, Roles: roles, Created: at, Expires: at.AddDate(0, 0, days)}
	secret = newToken()
	_, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		err := tx.AddToken(&t, secret, who.ID, mostTokens)
		if errors.Is(err, store.ErrExists) {
			return problem.New(problem.Conflict, "you already have %d tokens; revoke one first", mostTokens)
		}
		if err != nil {
			return err
		}
		return tx.Log("token made", store.SortPerson, who.Name, label)
	})
	return t, secret, err
}

// newToken returns the secret of a token: 260 bits, after letters that identify it as a token.
func newToken() string { return "dt_" + newSecret() }

// newSecret returns 260 bits as text.
func newSecret() string { return rand.Text() + rand.Text() }

// lookingAfter returns whose sessions and tokens somebody can see and end: their own, or as an administrator
// anybody's.
func (s *Service) lookingAfter(ctx context.Context, who *access.Actor, name string) (store.Person, error) {
	if who.Name != name || !who.SignedIn() {
		if err := who.Permit(ManagePeople); err != nil {
			return store.Person{}, err
		}
	}
	return s.named(ctx, name)
}

// Tokens lists somebody's tokens.
func (s *Service) Tokens(ctx context.Context, who *access.Actor, name string) ([]store.Token, error) {
	p, err := s.lookingAfter(ctx, who, name)
	if err != nil {
		return nil, err
	}
	ts, err := s.ledger.Store.Tokens(ctx, p.ID)
	if err != nil {
		return nil, ledger.Failed(err, "reading tokens")
	}
	return ts, nil
}

// RevokeToken revokes one of somebody's tokens.
func (s *Service) RevokeToken(ctx context.Context, who *access.Actor, name, id string) error {
	p, err := s.lookingAfter(ctx, who, name)
	if err != nil {
		return err
	}
	_, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.RevokeToken(id, p.ID); err != nil {
			return err
		}
		return tx.Log("token ended", store.SortPerson, p.Name, "")
	})
	return err
}

// Sessions lists somebody's sessions.
func (s *Service) Sessions(ctx context.Context, who *access.Actor, name string) ([]store.Session, error) {
	p, err := s.lookingAfter(ctx, who, name)
	if err != nil {
		return nil, err
	}
	xs, err := s.ledger.Store.Sessions(ctx, p.ID, s.now())
	if err != nil {
		return nil, ledger.Failed(err, "reading sessions")
	}
	return xs, nil
}

// EndSession ends one of somebody's sessions; empty: all but the present one.
func (s *Service) EndSession(ctx context.Context, who *access.Actor, name, id string) error {
	p, err := s.lookingAfter(ctx, who, name)
	if err != nil {
		return err
	}
	_, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if id == "" {
			err = tx.EndSessions(p.ID, who.Session)
		} else {
			err = tx.EndOneSession(p.ID, id)
		}
		if err != nil {
			return err
		}
		return tx.Log("session ended", store.SortPerson, p.Name, "")
	})
	return err
}
