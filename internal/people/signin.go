package people

import (
	"context"
	"errors"
	"strings"
	"time"
	"unicode"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// SessionLasts is how long a session is valid.
const SessionLasts = 12 * time.Hour

// now returns the time for the expiry of sessions, tokens and links.
func (s *Service) now() time.Time { return s.Clock().UTC().Truncate(time.Microsecond) }

// Place is where a request comes from.
type Place struct {
	Address string // of the network
	Program string // the program's own name
	Origin  string // origin of its page, such as https://bench.example.org
}

// mostProgram is the longest part of a program's own name that is stored.
const mostProgram = 200

// NewPlace returns a place, with a program's name made safe to show.
func NewPlace(address, program, origin string) Place {
	return Place{address, shortened(program, mostProgram), origin}
}

// shortened makes a stranger's text safe to show, with so many letters at most.
func shortened(text string, most int) string {
	text = strings.Map(func(r rune) rune {
		if !unicode.IsPrint(r) {
			return -1
		}
		return r
	}, strings.ToValidUTF8(text, ""))
	letters := []rune(text)
	return string(letters[:min(len(letters), most)])
}

// SignIn checks name and password and opens a session, or starts the second step if one is needed. A name that often
// failed from a network waits there.
func (s *Service) SignIn(ctx context.Context, name, password string, from Place) (Entered, error) {
	if s.Ways.NoWords {
		return Entered{}, noWords
	}
	p, err := s.checked(ctx, name, password, from)
	if err != nil {
		return Entered{}, err
	}
	return s.enter(ctx, &p, from)
}

var noWords = problem.New(problem.Forbidden, "signing in with a password is disabled here; use single sign-on or a passkey")

// checked returns who has that name and password and can sign in. An attempt is counted before it is checked, in its
// turn, so that simultaneous attempts have no advantage.
func (s *Service) checked(ctx context.Context, name, password string, from Place) (store.Person, error) {
	if err := s.mayTry(ctx, name, from); err != nil {
		return store.Person{}, err
	}
	p, err := s.ledger.Store.Person(ctx, name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return p, ledger.Failed(err, "signing in")
	}
	known := err == nil
	fits, err := s.tried(ctx, &p, name, password, from)
	if err != nil {
		return p, err
	}
	if !fits || !p.Active() {
		s.ledger.Log.InfoContext(ctx, "not signed in", "name", hidden(name), "known", known, "from", from.Address)
		if err := s.failed(ctx, everyName, from); err != nil {
			return p, err
		}
		if err := s.ledger.Note(ctx, &access.Actor{}, "sign-in failed", "session", hidden(name), ""); err != nil {
			return p, err
		}
		return p, problem.New(problem.NotSignedIn, "name or password is wrong")
	}
	if err := s.succeeded(ctx, name, from); err != nil {
		return p, err
	}
	if outdatedHash(p.Password) {
		s.renew(ctx, &p, password)
	}
	return p, nil
}

// tried counts one attempt and reports whether the password is correct.
func (s *Service) tried(ctx context.Context, p *store.Person, name, password string, from Place) (bool, error) {
	done, err := hashing.acquire(ctx, hashPatience)
	if err != nil {
		return false, err
	}
	defer done()
	if err := s.mayTry(ctx, name, from); err != nil {
		return false, err
	}
	if err := s.failed(ctx, name, from); err != nil {
		return false, err
	}
	return passwordFits(password, p.Password), nil
}

// renew hashes a password again with today's cost. If there is no turn, it is done the next time.
func (s *Service) renew(ctx context.Context, p *store.Person, password string) {
	renewed, err := hashed(ctx, password)
	if err != nil {
		return
	}
	if err := s.ledger.Store.RenewPassword(ctx, p.ID, p.Password, renewed); err != nil {
		s.ledger.Log.WarnContext(ctx, "a password's hash was not renewed", "person", p.Name, "error", err)
	}
}

// open opens a session; one that enrols allows nothing until its person has a passkey.
func (s *Service) open(ctx context.Context, p *store.Person, enrols bool, from Place) (string, access.Actor, error) {
	secret := newSecret()
	at := s.now()
	x := store.Session{
		Created: at, Expires: at.Add(SessionLasts), Address: from.Address, Program: from.Program, Enrol: enrols,
	}
	if err := s.ledger.Store.AddSession(ctx, secret, p.ID, &x); err != nil {
		return "", access.Actor{}, ledger.Failed(err, "signing in")
	}
	who := actor(p)
	if err := s.ledger.Note(ctx, &who, "signed in", "session", x.ID, from.Program); err != nil {
		return "", access.Actor{}, err
	}
	s.ledger.Log.InfoContext(ctx, "signed in", "person", p.Name, "from", from.Address)
	who.Session, who.Proved = x.ID, at
	bind(&who, enrols)
	return secret, who, nil
}

// Prove checks the password of whoever is signed in by a session once more: some actions are only allowed for a while
// after it.
func (s *Service) Prove(ctx context.Context, who *access.Actor, password string, from Place) error {
	if who.Session == "" {
		return problem.New(problem.NotSignedIn, "sign in to confirm who you are")
	}
	p, err := s.checked(ctx, who.Name, password, from)
	if problem.IsKind(err, problem.NotSignedIn) {
		return problem.Field("/password", "the password is wrong")
	}
	if err != nil {
		return err
	}
	if p.ID != who.ID {
		return problem.New(problem.NotSignedIn, "sign in again")
	}
	if err := s.ledger.Store.SessionProved(ctx, who.Session, s.now()); err != nil {
		return ledger.Failed(err, "signing in")
	}
	return nil
}

// SignOut ends a session.
func (s *Service) SignOut(ctx context.Context, secret string) error {
	if err := s.ledger.Store.EndSession(ctx, secret); err != nil {
		return ledger.Failed(err, "signing out")
	}
	return nil
}

// notedEvery is how often the use of a session or token is recorded.
const notedEvery = 5 * time.Minute

// BySession returns to whom a session's secret belongs; nobody, without an error, if it has ended.
func (s *Service) BySession(ctx context.Context, secret string, from Place) (access.Actor, error) {
	at := s.now()
	p, x, err := s.ledger.Store.SessionPerson(ctx, secret, at)
	who, err := s.whose(&p, err)
	if err != nil || !who.SignedIn() {
		return who, err
	}
	who.Session, who.Proved = x.ID, x.Proved
	bind(&who, x.Enrol)
	if at.Sub(x.Used) > notedEvery || x.Address != from.Address {
		if err := s.ledger.Store.SessionUsed(ctx, x.ID, at, from.Address, from.Program); err != nil {
			return who, ledger.Failed(err, "finding who is signed in")
		}
	}
	return who, nil
}

// ByToken returns to whom a token belongs; an invalid token is an error.
func (s *Service) ByToken(ctx context.Context, secret string, from Place) (access.Actor, error) {
	at := s.now()
	p, t, err := s.ledger.Store.TokenPerson(ctx, secret, at)
	who, err := s.whose(&p, err)
	if err != nil {
		return who, err
	}
	if !who.SignedIn() {
		return who, problem.New(problem.NotSignedIn, "the token is invalid or has expired; create a new one")
	}
	who.Token, who.Review = t.ID, t.Review
	if at.Sub(t.Used) > notedEvery || t.Address != from.Address {
		if err := s.ledger.Store.TokenUsed(ctx, t.ID, at, from.Address); err != nil {
			return who, ledger.Failed(err, "finding who is signed in")
		}
	}
	return who, nil
}

func (s *Service) whose(p *store.Person, err error) (access.Actor, error) {
	switch {
	case errors.Is(err, store.ErrNotFound):
		return access.Actor{}, nil
	case err != nil:
		return access.Actor{}, ledger.Failed(err, "finding who is signed in")
	}
	return actor(p), nil
}

// bind removes an actor's permissions if their session waits for a passkey.
func bind(who *access.Actor, enrols bool) {
	if enrols {
		who.Enrols, who.Roles, who.Grades = true, nil, false
	}
}

func actor(p *store.Person) access.Actor {
	return access.Actor{
		ID:         p.ID,
		Name:       p.Name,
		Title:      p.Title,
		Roles:      p.Roles,
		Grades:     p.Grades,
		Disclosure: p.Disclosure,
	}
}

// ActorNamed returns a person of the team, for a program on this machine that acts in their name, such as the demo's
// loader. Requests over the network must never use it.
func (s *Service) ActorNamed(ctx context.Context, name string) (*access.Actor, error) {
	p, err := s.ledger.Store.Person(ctx, name)
	who, err := s.whose(&p, err)
	if err == nil && !who.SignedIn() {
		return nil, problem.New(problem.NotFound, "there is no account %q", name)
	}
	return &who, err
}
