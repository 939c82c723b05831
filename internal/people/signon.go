package people

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"
	"unicode"

	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
	"golang.org/x/text/unicode/norm"

	"dappertally/core/checklist"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/signon"
	"dappertally/internal/store"
)

// Identity is a person's identity at a provider of single sign-on.
type Identity = store.Identity

const kindSignOn = "sign-on"

// signOnLasts is how long signing in at a provider can take.
const signOnLasts = 10 * time.Minute

// Ways are the ways to sign in besides passkeys.
type Ways struct {
	Providers []*signon.Provider
	NoWords   bool // signing in by password is switched off
}

// provider finds one by its key.
func (s *Service) provider(key string) (*signon.Provider, error) {
	for _, p := range s.Ways.Providers {
		if p.Key == key {
			return p, nil
		}
	}
	return nil, problem.New(problem.NotFound, "%q is not a way to sign in here", key)
}

// BeginSignOn sends somebody to a provider: to sign in, or, if link is true, to link their identity there to the
// account with which they are signed in. back is the address to which they come back, to where they go afterwards.
// The returned state binds the browser.
func (s *Service) BeginSignOn(
	ctx context.Context, who *access.Actor, key string, link bool, back, to string,
) (address, state string, err error) {
	p, err := s.provider(key)
	if err != nil {
		return "", "", err
	}
	person := ""
	if link {
		if err := s.proved(who, "link an account"); err != nil {
			return "", "", err
		}
		person = who.ID
	}
	state = newSecret()
	address, asked, err := p.Begin(ctx, state, back, to, person)
	if err != nil {
		return "", "", unreachable(err)
	}
	at := s.now()
	if err := s.ledger.Store.AddCeremony(ctx, state, kindSignOn, person, asked, at, at.Add(signOnLasts)); err != nil {
		return "", "", ledger.Failed(err, "signing in")
	}
	return address, state, nil
}

func unreachable(err error) error {
	if !errors.Is(err, signon.ErrUnreachable) {
		return &problem.Error{
			Kind:    problem.NotSignedIn,
			Cause:   err,
			Message: "the provider did not identify you; try again",
		}
	}
	return &problem.Error{
		Kind: problem.Unavailable, Cause: err,
		Message: "the provider of single sign-on cannot be reached; try again in a moment",
	}
}

// EndSignOn signs in whoever came back from a provider with a code, or links them to the account with which they
// began. to is where they go.
func (s *Service) EndSignOn(
	ctx context.Context, key, state, code, back string, from Place,
) (in Entered, to string, err error) {
	provider, err := s.provider(key)
	if err != nil {
		return in, "", err
	}
	var asked signon.Asked
	if _, err := s.ledger.Store.TakeCeremony(ctx, state, kindSignOn, s.now(), &asked); err != nil ||
		asked.Provider != key {
		return in, "", problem.New(problem.NotSignedIn, "this took too long, or was already answered; start again")
	}
	x, err := provider.Finish(ctx, &asked, code, back)
	if err != nil {
		s.ledger.Log.WarnContext(ctx, "single sign-on failed", "provider", key, "error", err)
		return in, "", errors.Join(
			unreachable(err),
			s.ledger.Note(ctx, &access.Actor{}, "sign-in failed", "session", "", key),
		)
	}
	p, err := s.known(ctx, provider, &x, asked.Person)
	if err != nil {
		return in, "", err
	}
	if !p.Disabled.IsZero() {
		return in, "", problem.New(problem.NotSignedIn, "this account is disabled; an administrator can enable it")
	}
	if p, err = s.withRoles(ctx, p, &x); err != nil {
		return in, "", err
	}
	if err := s.ledger.Store.IdentityUsed(ctx, key, x.Subject, s.now()); err != nil {
		return in, "", ledger.Failed(err, "signing in")
	}
	in.Secret, in.Who, err = s.open(ctx, &p, false, from)
	return in, asked.To, err
}

// known returns the account of a provider's identity; it links one or creates one if needed.
func (s *Service) known(
	ctx context.Context, provider *signon.Provider, x *signon.Identity, linking string,
) (store.Person, error) {
	p, err := s.ledger.Store.IdentityPerson(ctx, x.Provider, x.Subject)
	if err == nil && linking != "" && p.ID != linking {
		return p, problem.New(problem.Conflict, "this sign-on is linked to another account here")
	}
	if err == nil || !errors.Is(err, store.ErrNotFound) {
		return p, err
	}
	at := s.now()
	identity := Identity{Provider: x.Provider, Subject: x.Subject, Created: at, Used: at}
	if linking != "" {
		if p, err = s.ledger.Store.PersonByID(ctx, linking); err != nil {
			return p, ledger.Failed(err, "linking an account")
		}
		who := actor(&p)
		_, err = s.ledger.Write(ctx, &who, func(tx *store.Tx) error { return link(tx, &p, &identity, "linked") })
		return p, err
	}
	if provider.Accounts != signon.Make {
		return p, problem.New(
			problem.Forbidden,
			"no account here is linked to this sign-on: sign in another way and link it under My "+
				"account, or ask an administrator",
		)
	}
	return s.arrives(ctx, x, &identity)
}

func link(tx *store.Tx, p *store.Person, x *Identity, done string) error {
	if err := tx.AddIdentity(p.ID, x); err != nil {
		return ledger.Exists(err, "your account is already linked to another one at %s; unlink that first", x.Provider)
	}
	return tx.Log(done, store.SortPerson, p.Name, x.Provider)
}

// arrives creates the account of somebody who signs in for the first time.
func (s *Service) arrives(ctx context.Context, x *signon.Identity, identity *Identity) (store.Person, error) {
	p := store.Person{
		Name:  accountName(x.Name),
		Title: shortened(strings.TrimSpace(x.Title), mostMachine),
		Roles: inOrder(x.Roles),
	}
	if p.Name == "" {
		return p, problem.New(problem.Forbidden,
			"the provider reports no name that can be used for an account here; ask an administrator to "+
				"create an account, and link it")
	}
	if p.Title == "" {
		p.Title = p.Name
	}
	_, err := s.ledger.Write(ctx, &access.Actor{}, func(tx *store.Tx) error {
		if err := tx.AddPerson(&p); err != nil {
			return ledger.Exists(
				err,
				"an account %q exists here already: if it is yours, sign in to it, and link this sign-on "+
					"under My account",
				p.Name,
			)
		}
		if err := link(tx, &p, identity, "linked"); err != nil {
			return err
		}
		return tx.Log("added", store.SortPerson, p.Name, strings.Join(p.Roles, ", "))
	})
	return p, err
}

// accountName turns a provider's name into a key: of a mail address the part before @, without accents. It is empty
// if nothing is left.
func accountName(name string) string {
	name, _, _ = strings.Cut(name, "@")
	plain, _, err := transform.String(transform.Chain(norm.NFD, runes.Remove(runes.In(unicode.Mn)), norm.NFC), name)
	if err != nil {
		return ""
	}
	key := strings.Map(func(r rune) rune {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9', r == '.', r == '-', r == '_':
			return r
		case r == ' ':
			return '-'
		}
		return -1
	}, strings.ToLower(plain))
	key = strings.Trim(key[:min(len(key), checklist.LongestKey)], ".-_")
	if !checklist.ValidKey(key) {
		return ""
	}
	return key
}

// withRoles gives somebody the roles of the provider's mapping, if there is one. The last administrator stays one.
func (s *Service) withRoles(ctx context.Context, p store.Person, x *signon.Identity) (store.Person, error) {
	roles := inOrder(x.Roles)
	if !x.Mapped || slices.Equal(roles, inOrder(p.Roles)) {
		return p, nil
	}
	changed := p
	changed.Roles = roles
	_, err := s.writeAccount(ctx, &access.Actor{}, &p, &changed)
	if problem.IsKind(err, problem.Conflict) {
		s.ledger.Log.WarnContext(ctx, "the roles stay unchanged", "person", p.Name, "why", err)
		return p, nil
	}
	return changed, err
}

// Identities lists a person's identities at providers.
func (s *Service) Identities(ctx context.Context, who *access.Actor, name string) ([]Identity, error) {
	p, err := s.lookingAfter(ctx, who, name)
	if err != nil {
		return nil, err
	}
	all, err := s.ledger.Store.Identities(ctx, p.ID)
	if err != nil {
		return nil, ledger.Failed(err, "reading the links of an account")
	}
	return all, nil
}

// Unlink removes the link of an account to a provider: one's own within ten minutes of the last proof, or as an
// administrator anybody's.
func (s *Service) Unlink(ctx context.Context, who *access.Actor, name, provider string) error {
	p, err := s.lookingAfter(ctx, who, name)
	if err != nil {
		return err
	}
	if p.ID == who.ID {
		if err := s.proved(who, "unlink an account"); err != nil {
			return err
		}
		if p.Password == "" && p.Passkeys == 0 {
			return problem.New(problem.Conflict, "you could no longer sign in; add a passkey first")
		}
	}
	_, err = s.changePeople(ctx, who, &p, func(tx *store.Tx) error {
		if err := tx.DropIdentity(p.ID, provider); err != nil {
			return err
		}
		return tx.Log("unlinked", store.SortPerson, p.Name, provider)
	})
	return err
}
