package people

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Entered is the result of a correct password: a session, or a second step that is needed.
type Entered struct {
	Secret string // of the session; empty if a second step is needed
	Who    access.Actor
	Second *Second
}

// Second is a step after the password: a passkey, or a recovery code.
type Second struct {
	Pending  string          // the secret with which it is answered
	Options  json.RawMessage // for the browser: PublicKeyCredentialRequestOptions
	Recovery bool            // there are recovery codes
}

// The rules for a second step.
const (
	SecondRequired = "required"
	SecondOptional = "optional"
)

// secondLasts is how long a second step can take.
const secondLasts = 10 * time.Minute

// The purposes of a ceremony.
const (
	kindSecond   = "second"
	kindPasskey  = "passkey"
	kindRegister = "register"
)

// enter opens a session for somebody whose password was correct, or starts the second step. If one is needed and they
// have no passkey, the session allows nothing until they have one.
func (s *Service) enter(ctx context.Context, p *store.Person, from Place) (Entered, error) {
	needed, err := s.needsSecond(ctx, p)
	if err != nil {
		return Entered{}, err
	}
	if needed && p.Passkeys > 0 {
		second, err := s.beginSecond(ctx, p, from)
		return Entered{Second: second}, err
	}
	secret, who, err := s.open(ctx, p, needed, from)
	return Entered{Secret: secret, Who: who}, err
}

// needsSecond reports whether somebody needs a second step: they want it, or the rules require it.
func (s *Service) needsSecond(ctx context.Context, p *store.Person) (bool, error) {
	if p.Second {
		return true, nil
	}
	return s.RulesNeedSecond(ctx, p)
}

// RulesNeedSecond reports whether the rules require a second step of somebody.
func (s *Service) RulesNeedSecond(ctx context.Context, p *Account) (bool, error) {
	if !slices.Contains(p.Roles, access.Lead) && !slices.Contains(p.Roles, access.Administrator) {
		return false, nil
	}
	rule, err := s.SecondStep(ctx)
	return rule == SecondRequired, err
}

// SecondStep returns the rule for leads and administrators.
func (s *Service) SecondStep(ctx context.Context) (string, error) {
	rules, _, err := s.ledger.Store.Policy(ctx)
	if err != nil {
		return "", ledger.Failed(err, "reading the rules for signing in")
	}
	if rules.SecondStep == SecondRequired {
		return SecondRequired, nil
	}
	return SecondOptional, nil
}

// SetSecondStep sets the rule for leads and administrators. Whoever makes it required must have a passkey.
func (s *Service) SetSecondStep(ctx context.Context, who *access.Actor, rule string) (int64, error) {
	if err := who.Permit(ManagePeople); err != nil {
		return 0, err
	}
	if rule != SecondRequired && rule != SecondOptional {
		return 0, problem.Field("/secondStep", "must be required or optional, not %.70q", rule)
	}
	p, err := s.named(ctx, who.Name)
	if err != nil {
		return 0, err
	}
	if rule == SecondRequired && p.Passkeys == 0 {
		return 0, problem.New(problem.Conflict, "add a passkey to your own account first, so that you can still sign in afterwards")
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.SetSecondStep(rule); err != nil {
			return err
		}
		return tx.Log("second step "+rule, store.SortPolicy, "rules", "")
	})
}

// beginSecond starts a second step.
func (s *Service) beginSecond(ctx context.Context, p *store.Person, from Place) (*Second, error) {
	codes, err := s.ledger.Store.RecoveryCodes(ctx, p.ID)
	if err != nil {
		return nil, ledger.Failed(err, "signing in")
	}
	second := &Second{Pending: newSecret(), Recovery: codes > 0}
	at := s.now()
	asked, options, err := s.askPasskey(ctx, p, from)
	if err != nil {
		if codes == 0 {
			return nil, err
		}
		options = nil // if the service is reached by another address than the passkeys', a code remains
	}
	second.Options = options
	err = s.ledger.Store.AddCeremony(ctx, second.Pending, kindSecond, p.ID, asked, at, at.Add(secondLasts))
	if err != nil {
		return nil, ledger.Failed(err, "signing in")
	}
	return second, nil
}

var notSecond = problem.New(problem.NotSignedIn, "the second step did not succeed; sign in again")

// SecondPasskey completes signing in by a passkey after the password.
func (s *Service) SecondPasskey(
	ctx context.Context, pending string, credential json.RawMessage, from Place,
) (Entered, error) {
	return s.second(ctx, pending, from, func(p *store.Person, asked *askedPasskey) error {
		return s.answered(ctx, p, asked, credential, from)
	})
}

// SecondCode completes signing in by a recovery code after the password, which uses the code up.
func (s *Service) SecondCode(ctx context.Context, pending, code string, from Place) (Entered, error) {
	return s.second(ctx, pending, from, func(p *store.Person, _ *askedPasskey) error {
		who := actor(p)
		_, err := s.ledger.Write(ctx, &who, func(tx *store.Tx) error {
			if err := tx.UseRecoveryCode(p.ID, plainCode(code)); err != nil {
				return err
			}
			return tx.Log("recovery code used", store.SortPerson, p.Name, "")
		})
		return err
	})
}

// second completes signing in if the second step succeeds. A failure counts as a failed attempt to sign in.
func (s *Service) second(
	ctx context.Context, pending string, from Place, step func(*store.Person, *askedPasskey) error,
) (Entered, error) {
	var asked askedPasskey
	id, err := s.ledger.Store.TakeCeremony(ctx, pending, kindSecond, s.now(), &asked)
	if errors.Is(err, store.ErrNotFound) {
		return Entered{}, notSecond
	}
	if err != nil {
		return Entered{}, ledger.Failed(err, "signing in")
	}
	p, err := s.ledger.Store.PersonByID(ctx, id)
	if err != nil || !p.Disabled.IsZero() {
		return Entered{}, errors.Join(notSecond, err)
	}
	if err := s.mayTry(ctx, p.Name, from); err != nil {
		return Entered{}, err
	}
	if err := step(&p, &asked); err != nil {
		s.ledger.Log.InfoContext(ctx, "second step failed", "person", p.Name, "from", from.Address, "error", err)
		if err := s.failed(ctx, p.Name, from); err != nil {
			return Entered{}, err
		}
		return Entered{}, errors.Join(
			notSecond,
			s.ledger.Note(ctx, &access.Actor{}, "sign-in failed", "session", hidden(p.Name), "second step"),
		)
	}
	secret, who, err := s.open(ctx, &p, false, from)
	return Entered{Secret: secret, Who: who}, err
}
