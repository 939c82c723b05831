package service

import (
	"context"
	"crypto/rand"
	"errors"
	"slices"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"dappertally/core/fault"
	"dappertally/internal/store"
)

// SessionLasts is how long a session holds.
const SessionLasts = 12 * time.Hour

// Sessions and tokens end by the real clock, also in the demo.
var realTime = time.Now

// SignIn checks name and password and opens a session. from is where the attempt
// comes from; too many attempts for a name or from a place are refused.
func (s *Service) SignIn(ctx context.Context, name, password, from string) (secret string, who Actor, err error) {
	if !s.attempts.allow("name "+name) || !s.attempts.allow("from "+from) {
		return "", Actor{}, problem(TooMany, "too many attempts to sign in; wait a minute and try again")
	}
	p, err := s.store.Person(ctx, name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return "", Actor{}, failed(err, "signing in")
	}
	if fits := passwordFits(password, p.Password); !fits || p.Password == "" {
		return "", Actor{}, problem(NotSignedIn, "name or password is wrong")
	}
	secret = rand.Text() + rand.Text()
	now := realTime()
	if err := s.store.AddSession(ctx, secret, p.ID, now, now.Add(SessionLasts)); err != nil {
		return "", Actor{}, failed(err, "signing in")
	}
	s.log.Info("signed in", "person", p.Name, "from", from)
	return secret, actor(p), nil
}

// SignOut ends a session.
func (s *Service) SignOut(ctx context.Context, secret string) error {
	if err := s.store.EndSession(ctx, secret); err != nil {
		return failed(err, "signing out")
	}
	return nil
}

// BySession finds who a session's secret belongs to; nobody, without an error,
// where it has ended.
func (s *Service) BySession(ctx context.Context, secret string) (Actor, error) {
	return s.whose(s.store.SessionPerson(ctx, secret, realTime()))
}

// ByToken finds who a token belongs to; a token that is not valid is an error.
func (s *Service) ByToken(ctx context.Context, secret string) (Actor, error) {
	who, err := s.whose(s.store.TokenPerson(ctx, secret, realTime()))
	if err == nil && !who.SignedIn() {
		return who, problem(NotSignedIn, "the token is not valid or has expired; make a new one")
	}
	return who, err
}

func (s *Service) whose(p store.Person, err error) (Actor, error) {
	switch {
	case errors.Is(err, store.ErrNotFound):
		return Actor{}, nil
	case err != nil:
		return Actor{}, failed(err, "finding who is signed in")
	}
	return actor(p), nil
}

func actor(p store.Person) Actor {
	return Actor{ID: p.ID, Name: p.Name, Title: p.Title, Roles: p.Roles, Grades: p.Grades, Disclosure: p.Disclosure}
}

// ActorNamed is somebody of the team, for a program on this machine that acts in
// their name, as the demo's loader does. Nothing that comes over the network may
// ask for it.
func (s *Service) ActorNamed(ctx context.Context, name string) (*Actor, error) {
	who, err := s.whose(s.store.Person(ctx, name))
	if err == nil && !who.SignedIn() {
		return nil, problem(NotFound, "there is nobody called %q", name)
	}
	return &who, err
}

// CreateToken makes a personal token with some of one's own roles, all where
// roles is empty. The secret is told this once.
func (s *Service) CreateToken(
	ctx context.Context,
	who *Actor,
	label string,
	roles []Role,
	days int,
) (t store.Token, secret string, err error) {
	if !who.SignedIn() {
		return t, "", problem(NotSignedIn, "sign in to make a token")
	}
	for _, r := range roles {
		if !slices.Contains(who.Roles, r) {
			return t, "", wrong("/roles", "a token cannot have the role %s, which %s has not", r, who.Name)
		}
	}
	if len(roles) == 0 {
		roles = who.Roles
	}
	now := realTime().UTC().Truncate(time.Microsecond)
	t = store.Token{Label: label, Roles: roles, Created: now, Expires: now.AddDate(0, 0, days)}
	secret = "dt_" + rand.Text() + rand.Text()
	if err := s.store.AddToken(ctx, &t, secret, who.ID); err != nil {
		return t, "", failed(err, "making a token")
	}
	return t, secret, nil
}

// Tokens lists one's own tokens.
func (s *Service) Tokens(ctx context.Context, who *Actor) ([]store.Token, error) {
	if !who.SignedIn() {
		return nil, problem(NotSignedIn, "sign in to see your tokens")
	}
	ts, err := s.store.Tokens(ctx, who.ID)
	if err != nil {
		return nil, failed(err, "reading tokens")
	}
	return ts, nil
}

// RevokeToken ends one of one's own tokens.
func (s *Service) RevokeToken(ctx context.Context, who *Actor, id string) error {
	if !who.SignedIn() {
		return problem(NotSignedIn, "sign in to end a token")
	}
	if err := s.store.RevokeToken(ctx, id, who.ID); err != nil {
		return failed(err, "ending a token")
	}
	return nil
}

// People lists the team.
func (s *Service) People(ctx context.Context, who *Actor) ([]store.Person, error) {
	if err := who.permit(SeeWork); err != nil {
		return nil, err
	}
	ps, err := s.store.People(ctx)
	if err != nil {
		return nil, failed(err, "reading accounts")
	}
	return ps, nil
}

// AddPerson adds an account.
func (s *Service) AddPerson(ctx context.Context, who *Actor, p store.Person, password string) (int64, error) {
	if err := who.permit(ManagePeople); err != nil {
		return 0, err
	}
	return s.addPerson(ctx, who, p, password)
}

// FirstPerson adds an account for whoever has access to the service's machine.
func (s *Service) FirstPerson(ctx context.Context, p store.Person, password string) error {
	_, err := s.addPerson(ctx, &Actor{}, p, password)
	return err
}

func (s *Service) addPerson(ctx context.Context, who *Actor, p store.Person, password string) (int64, error) {
	var book fault.Book
	if len(password) < 8 {
		book.Field("password", "must be at least 8 characters long")
	}
	for _, r := range p.Roles {
		if !slices.Contains(Roles, r) {
			book.Field("roles", "%q is not a role: reviewer, lead or administrator", r)
		}
	}
	if err := invalid("the account", book.List()); err != nil {
		return 0, err
	}
	p.Password = hashPassword(password)
	return s.write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddPerson(&p); err != nil {
			if errors.Is(err, store.ErrExists) {
				return problem(Conflict, "there is an account %q already", p.Name)
			}
			return err
		}
		return tx.Log("added", store.SortPerson, p.Name, "")
	})
}

// attempts bounds how often anybody may try something.
type attempts struct {
	mu    sync.Mutex
	limit func() *rate.Limiter
	seen  map[string]*rate.Limiter
}

func newAttempts(limit func() *rate.Limiter) *attempts {
	return &attempts{limit: limit, seen: map[string]*rate.Limiter{}}
}

// every allows so many attempts at once, then one in each span.
func every(span time.Duration, atOnce int) func() *rate.Limiter {
	return func() *rate.Limiter { return rate.NewLimiter(rate.Every(span), atOnce) }
}

// allow reports whether one more attempt is within the limit.
func (a *attempts) allow(whose string) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	const most = 10000
	if len(a.seen) > most {
		clear(a.seen) // a flood of names must not fill the memory
	}
	l := a.seen[whose]
	if l == nil {
		l = a.limit()
		a.seen[whose] = l
	}
	return l.Allow()
}
