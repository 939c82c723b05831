// Package people keeps accounts, and lets people in.
package people

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"slices"
	"time"

	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Account is a person who may sign in.
type Account = store.Person

// Token is a personal token without its secret.
type Token = store.Token

// SessionLasts is how long a session holds.
const SessionLasts = 12 * time.Hour

// Sessions and tokens end by the real clock, also in the demo.
var realTime = time.Now

// SignIn checks name and password and opens a session. from is where the attempt
// comes from; too many attempts for a name or from a place are refused.
func (s *Service) SignIn(
	ctx context.Context,
	name, password, from string,
) (secret string, who access.Actor, err error) {
	if !s.attempts.Allow("name "+name) || !s.attempts.Allow("from "+from) {
		return "", access.Actor{}, problem.New(
			problem.TooMany, "too many attempts to sign in; wait a minute and try again",
		)
	}
	p, err := s.ledger.Store.Person(ctx, name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return "", access.Actor{}, ledger.Failed(err, "signing in")
	}
	known := err == nil
	done, err := hashing.take(ctx, hashPatience)
	if err != nil {
		return "", access.Actor{}, err
	}
	fits := passwordFits(password, p.Password)
	done()
	if !fits || p.Password == "" {
		s.ledger.Log.DebugContext(ctx, "not signed in", "known", known, "from", from)
		return "", access.Actor{}, problem.New(problem.NotSignedIn, "name or password is wrong")
	}
	secret = rand.Text() + rand.Text()
	now := realTime()
	if err := s.ledger.Store.AddSession(ctx, secret, p.ID, now, now.Add(SessionLasts)); err != nil {
		return "", access.Actor{}, ledger.Failed(err, "signing in")
	}
	s.ledger.Log.InfoContext(ctx, "signed in", "person", p.Name, "from", from)
	return secret, actor(p), nil
}

// SignOut ends a session.
func (s *Service) SignOut(ctx context.Context, secret string) error {
	if err := s.ledger.Store.EndSession(ctx, secret); err != nil {
		return ledger.Failed(err, "signing out")
	}
	return nil
}

// BySession finds who a session's secret belongs to; nobody, without an error,
// where it has ended.
func (s *Service) BySession(ctx context.Context, secret string) (access.Actor, error) {
	return s.whose(s.ledger.Store.SessionPerson(ctx, secret, realTime()))
}

// ByToken finds who a token belongs to; a token that is not valid is an error.
func (s *Service) ByToken(ctx context.Context, secret string) (access.Actor, error) {
	who, err := s.whose(s.ledger.Store.TokenPerson(ctx, secret, realTime()))
	if err == nil && !who.SignedIn() {
		return who, problem.New(problem.NotSignedIn, "the token is not valid or has expired; make a new one")
	}
	return who, err
}

func (s *Service) whose(p store.Person, err error) (access.Actor, error) {
	switch {
	case errors.Is(err, store.ErrNotFound):
		return access.Actor{}, nil
	case err != nil:
		return access.Actor{}, ledger.Failed(err, "finding who is signed in")
	}
	return actor(p), nil
}

func actor(p store.Person) access.Actor {
	return access.Actor{
		ID:         p.ID,
		Name:       p.Name,
		Title:      p.Title,
		Roles:      p.Roles,
		Grades:     p.Grades,
		Disclosure: p.Disclosure,
	}
}

// ActorNamed is somebody of the team, for a program on this machine that acts in
// their name, as the demo's loader does. Nothing that comes over the network may
// ask for it.
func (s *Service) ActorNamed(ctx context.Context, name string) (*access.Actor, error) {
	who, err := s.whose(s.ledger.Store.Person(ctx, name))
	if err == nil && !who.SignedIn() {
		return nil, problem.New(problem.NotFound, "there is nobody called %q", name)
	}
	return &who, err
}

// CreateToken makes a personal token with some of one's own roles, all where
// roles is empty. The secret is told this once.
func (s *Service) CreateToken(
	ctx context.Context,
	who *access.Actor,
	label string,
	roles []access.Role,
	days int,
) (t store.Token, secret string, err error) {
	if !who.SignedIn() {
		return t, "", problem.New(problem.NotSignedIn, "sign in to make a token")
	}
	for _, r := range roles {
		if !slices.Contains(who.Roles, r) {
			return t, "", problem.Field("/roles", "a token cannot have the role %s, which %s has not", r, who.Name)
		}
	}
	if len(roles) == 0 {
		roles = who.Roles
	}
	now := realTime().UTC().Truncate(time.Microsecond)
	t = store.Token{Label: label, Roles: roles, Created: now, Expires: now.AddDate(0, 0, days)}
	secret = "dt_" + rand.Text() + rand.Text()
	if err := s.ledger.Store.AddToken(ctx, &t, secret, who.ID); err != nil {
		return t, "", ledger.Failed(err, "making a token")
	}
	return t, secret, nil
}

// Tokens lists one's own tokens.
func (s *Service) Tokens(ctx context.Context, who *access.Actor) ([]store.Token, error) {
	if !who.SignedIn() {
		return nil, problem.New(problem.NotSignedIn, "sign in to see your tokens")
	}
	ts, err := s.ledger.Store.Tokens(ctx, who.ID)
	if err != nil {
		return nil, ledger.Failed(err, "reading tokens")
	}
	return ts, nil
}

// RevokeToken ends one of one's own tokens.
func (s *Service) RevokeToken(ctx context.Context, who *access.Actor, id string) error {
	if !who.SignedIn() {
		return problem.New(problem.NotSignedIn, "sign in to end a token")
	}
	if err := s.ledger.Store.RevokeToken(ctx, id, who.ID); err != nil {
		return ledger.Failed(err, "ending a token")
	}
	return nil
}

// People lists the team.
func (s *Service) People(ctx context.Context, who *access.Actor) ([]store.Person, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return nil, err
	}
	ps, err := s.ledger.Store.People(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading accounts")
	}
	return ps, nil
}

// AddPerson adds an account.
func (s *Service) AddPerson(ctx context.Context, who *access.Actor, p store.Person, password string) (int64, error) {
	if err := who.Permit(ManagePeople); err != nil {
		return 0, err
	}
	return s.addPerson(ctx, who, p, password)
}

// FirstPerson adds an account for whoever has access to the service's machine.
func (s *Service) FirstPerson(ctx context.Context, p store.Person, password string) error {
	_, err := s.addPerson(ctx, &access.Actor{}, p, password)
	return err
}

func (s *Service) addPerson(ctx context.Context, who *access.Actor, p store.Person, password string) (int64, error) {
	var book fault.Book
	if len(password) < 8 {
		book.Field("password", "must be at least 8 characters long")
	}
	for _, r := range p.Roles {
		if !slices.Contains(access.Roles, r) {
			book.Field("roles", "%q is not a role: reviewer, lead or administrator", r)
		}
	}
	if err := problem.From("the account", book.List()); err != nil {
		return 0, err
	}
	done, err := hashing.take(ctx, hashPatience)
	if err != nil {
		return 0, err
	}
	p.Password = hashPassword(password)
	done()
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddPerson(&p); err != nil {
			if errors.Is(err, store.ErrExists) {
				return problem.New(problem.Conflict, "there is an account %q already", p.Name)
			}
			return err
		}
		return tx.Log("added", store.SortPerson, p.Name, "")
	})
}

// Reviewer finds the id of somebody who reviews; empty for nobody.
func (s *Service) Reviewer(ctx context.Context, name string, book *fault.Book) string {
	if name == "" {
		return ""
	}
	p, err := s.ledger.Store.Person(ctx, name)
	if err != nil || !slices.Contains(p.Roles, access.Reviewer) {
		book.Field("assigned", "there is no reviewer %q", name)
	}
	return p.ID
}

// Titles are the names of people as readers are told them, in the order of accounts, of
// those who are wanted by name.
func (s *Service) Titles(ctx context.Context, wanted map[string]bool) ([]string, error) {
	all, err := s.ledger.Store.People(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading accounts")
	}
	var titles []string
	for _, p := range all {
		if wanted[p.Name] {
			titles = append(titles, cmp.Or(p.Title, p.Name))
		}
	}
	return titles, nil
}

// IDs are the ids of all accounts by name.
func IDs(tx *store.Tx) (map[string]string, error) { return tx.PeopleIDs() }

// IDs gives the ids of all accounts by name, for what says itself who may see which.
func (s *Service) IDs(ctx context.Context) (map[string]string, error) {
	people, err := s.ledger.Store.People(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading accounts")
	}
	ids := make(map[string]string, len(people))
	for _, p := range people {
		ids[p.Name] = p.ID
	}
	return ids, nil
}
