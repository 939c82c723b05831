package people

import (
	"context"
	"errors"
	"time"

	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// LinkLasts is how long a link for choosing a password is valid.
const LinkLasts = 72 * time.Hour

var noLink = problem.New(problem.NotFound,
	"this link has expired, was used, or was replaced by a newer one; an administrator can "+
		"create another")

// MakeLink creates the secret of a link with which somebody chooses a password, once: their first one, or a new one
// if it is lost. An older link expires.
func (s *Service) MakeLink(
	ctx context.Context, who *access.Actor, name string,
) (secret string, until time.Time, n int64, err error) {
	if err := who.Permit(ManagePeople); err != nil {
		return "", time.Time{}, 0, err
	}
	p, err := s.named(ctx, name)
	if err != nil {
		return "", until, 0, err
	}
	if !p.Disabled.IsZero() {
		return "", until, 0, problem.New(problem.Conflict, "the account %q is disabled; enable it first", p.Name)
	}
	secret, until = newSecret(), s.now().Add(LinkLasts)
	n, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.SetLink(p.ID, secret, until); err != nil {
			return err
		}
		return tx.Log("link made", store.SortPerson, p.Name, "")
	})
	return secret, until, n, err
}

// OpenLink returns for whom a link is.
func (s *Service) OpenLink(ctx context.Context, secret string) (store.Person, error) {
	p, err := s.ledger.Store.LinkPerson(ctx, secret, s.now())
	if errors.Is(err, store.ErrNotFound) {
		return p, noLink
	}
	if err != nil {
		return p, ledger.Failed(err, "opening a link")
	}
	return p, nil
}

// UseLink sets the password of the link's person, ends the link and all their sessions, and signs them in.
func (s *Service) UseLink(
	ctx context.Context, secret, password string, from Place,
) (Entered, error) {
	if s.Ways.NoWords {
		return Entered{}, noWords
	}
	p, err := s.OpenLink(ctx, secret)
	if err != nil {
		return Entered{}, err
	}
	who := actor(&p)
	at := s.now()
	_, err = s.setPassword(ctx, &who, &p, password, "password set by link", func(tx *store.Tx) error {
		err := tx.UseLink(secret, at)
		if errors.Is(err, store.ErrNotFound) {
			return noLink
		}
		return err
	})
	if err != nil {
		return Entered{}, err
	}
	return s.enter(ctx, &p, from)
}

// ChangePassword sets one's own password, if the old one is correct. Other sessions end.
func (s *Service) ChangePassword(ctx context.Context, who *access.Actor, before, password string, from Place) error {
	if who.Session == "" {
		return problem.New(problem.NotSignedIn, "sign in to change your password; a token cannot do that")
	}
	p, err := s.checked(ctx, who.Name, before, from)
	if problem.IsKind(err, problem.NotSignedIn) {
		return problem.Field("/before", "this is not your password")
	}
	if err != nil {
		return err
	}
	var book fault.Book
	validatePassword(&book, password, &p)
	if password == before {
		book.Field("password", "is your current password")
	}
	if err := problem.From("the password", book.List()); err != nil {
		return err
	}
	hash, err := hashed(ctx, password)
	if err != nil {
		return err
	}
	_, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.SetPassword(p.ID, hash); err != nil {
			return err
		}
		if err := tx.EndSessions(p.ID, who.Session); err != nil {
			return err
		}
		return tx.Log("password changed", store.SortPerson, p.Name, "")
	})
	return err
}

// setPassword sets somebody's password and ends all their sessions, after the given first steps.
func (s *Service) setPassword(
	ctx context.Context, who *access.Actor, p *store.Person, password, done string, first func(*store.Tx) error,
) (int64, error) {
	var book fault.Book
	validatePassword(&book, password, p)
	if err := problem.From("the password", book.List()); err != nil {
		return 0, err
	}
	hash, err := hashed(ctx, password)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if first != nil {
			if err := first(tx); err != nil {
				return err
			}
		}
		if err := tx.SetPassword(p.ID, hash); err != nil {
			return err
		}
		if err := tx.EndSessions(p.ID, ""); err != nil {
			return err
		}
		if err := tx.EndTokens(p.ID); err != nil {
			return err
		}
		return tx.Log(done, store.SortPerson, p.Name, "")
	})
}
