package people

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"net/url"
	"strings"
	"time"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
	"github.com/google/uuid"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Passkey is a public key with which somebody signs in (WebAuthn).
type Passkey = store.Passkey

const (
	mostPasskeys   = 20
	recoveryCodes  = 10
	ceremonyLasts  = 5 * time.Minute
	mostPasskeyTag = 100 // letters of its label
)

// askedPasskey is a challenge to a browser, stored until it answers.
type askedPasskey struct{ Session webauthn.SessionData }

// keyholder is a person for the library. The handle in a passkey is the person's id.
type keyholder struct {
	*store.Person
	passkeys []Passkey
	keys     []webauthn.Credential
}

func (k *keyholder) WebAuthnID() []byte {
	id, err := uuid.Parse(k.ID)
	if err != nil {
		return []byte(k.ID)
	}
	return id[:]
}

func (k *keyholder) WebAuthnName() string                       { return k.Name }
func (k *keyholder) WebAuthnDisplayName() string                { return k.Title }
func (k *keyholder) WebAuthnCredentials() []webauthn.Credential { return k.keys }

func (s *Service) keyholder(ctx context.Context, p *store.Person) (*keyholder, error) {
	k := &keyholder{Person: p}
	var err error
	if k.passkeys, err = s.ledger.Store.Passkeys(ctx, p.ID); err != nil {
		return nil, ledger.Failed(err, "reading passkeys")
	}
	k.keys = make([]webauthn.Credential, len(k.passkeys))
	for i, x := range k.passkeys {
		if err := json.Unmarshal(x.Document, &k.keys[i]); err != nil {
			return nil, ledger.Failed(err, "reading a passkey")
		}
	}
	return k, nil
}

// party returns this service as passkeys know it: by its host name.
func (s *Service) party(origin string) (*webauthn.WebAuthn, error) {
	at, err := url.Parse(origin)
	if err == nil {
		err = protocol.ValidateRPID(at.Hostname())
	}
	if err != nil {
		return nil, problem.New(problem.Conflict,
			"passkeys need a host name, but this service is reached by a number; open it by its name")
	}
	party, err := webauthn.New(&webauthn.Config{
		RPID: at.Hostname(), RPDisplayName: s.ledger.Team(), RPOrigins: []string{origin},
		AuthenticatorSelection: protocol.AuthenticatorSelection{
			ResidentKey: protocol.ResidentKeyRequirementRequired, UserVerification: protocol.VerificationPreferred,
		},
		Timeouts: webauthn.TimeoutsConfig{
			Login:        webauthn.TimeoutConfig{Enforce: true, Timeout: ceremonyLasts, TimeoutUVD: ceremonyLasts},
			Registration: webauthn.TimeoutConfig{Enforce: true, Timeout: ceremonyLasts, TimeoutUVD: ceremonyLasts},
		},
	})
	if err != nil {
		return nil, ledger.Failed(err, "preparing passkeys")
	}
	return party, nil
}

// Asked is a challenge to a browser, and the secret with which it answers.
type Asked struct {
	Ceremony string
	Options  json.RawMessage
}

func (s *Service) keepAsked(
	ctx context.Context, kind, person string, session *webauthn.SessionData, options any,
) (Asked, error) {
	text, err := json.Marshal(options)
	if err != nil {
		return Asked{}, ledger.Failed(err, "preparing passkeys")
	}
	out, at := Asked{newSecret(), text}, s.now()
	err = s.ledger.Store.AddCeremony(ctx, out.Ceremony, kind, person, askedPasskey{*session}, at, at.Add(ceremonyLasts))
	if err != nil {
		return Asked{}, ledger.Failed(err, "preparing passkeys")
	}
	return out, nil
}

// BeginPasskey starts adding a passkey to one's account.
func (s *Service) BeginPasskey(ctx context.Context, who *access.Actor, from Place) (Asked, error) {
	if err := s.proved(who, "add a passkey"); err != nil {
		return Asked{}, err
	}
	party, err := s.party(from.Origin)
	if err != nil {
		return Asked{}, err
	}
	k, err := s.own(ctx, who)
	if err != nil {
		return Asked{}, err
	}
	known := make([]protocol.CredentialDescriptor, len(k.keys))
	for i := range k.keys {
		known[i] = k.keys[i].Descriptor()
	}
	options, session, err := party.BeginRegistration(k, webauthn.WithExclusions(known))
	if err != nil {
		return Asked{}, ledger.Failed(err, "preparing passkeys")
	}
	return s.keepAsked(ctx, kindRegister, who.ID, session, options.Response)
}

func (s *Service) own(ctx context.Context, who *access.Actor) (*keyholder, error) {
	p, err := s.named(ctx, who.Name)
	if err != nil {
		return nil, err
	}
	return s.keyholder(ctx, &p)
}

// AddPasskey adds the passkey that a browser created. With the first one come recovery codes, which are shown only
// once.
func (s *Service) AddPasskey(
	ctx context.Context, who *access.Actor, ceremony, label string, credential json.RawMessage, from Place,
) (x Passkey, codes []string, err error) {
	if err := s.proved(who, "add a passkey"); err != nil {
		return x, nil, err
	}
	if label = strings.TrimSpace(label); label == "" || label != shortened(label, mostPasskeyTag) {
		return x, nil, problem.Field("/label", "must be the name of the device or program with the passkey, in 1 to %d characters", mostPasskeyTag)
	}
	var asked askedPasskey
	id, err := s.ledger.Store.TakeCeremony(ctx, ceremony, kindRegister, s.now(), &asked)
	if err != nil || id != who.ID {
		return x, nil, problem.New(problem.Conflict, "this took too long, or was already answered; start again")
	}
	party, err := s.party(from.Origin)
	if err != nil {
		return x, nil, err
	}
	k, err := s.own(ctx, who)
	if err != nil {
		return x, nil, err
	}
	made, err := protocol.ParseCredentialCreationResponseBytes(credential)
	if err != nil {
		return x, nil, problem.Field("/credential", "is not a passkey: %s", err)
	}
	key, err := party.CreateCredential(k, asked.Session, made)
	if err != nil {
		return x, nil, problem.Field("/credential", "is not the requested passkey: %s", err)
	}
	document, err := json.Marshal(key)
	if err != nil {
		return x, nil, ledger.Failed(err, "keeping a passkey")
	}
	x = Passkey{Credential: key.ID, Document: document, Label: label, Created: s.now()}
	if len(k.passkeys) == 0 {
		codes = newRecoveryCodes()
	}
	_, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddPasskey(who.ID, &x, mostPasskeys); err != nil {
			return ledger.Exists(err, "this passkey is already known, or there are already %d; remove one first", mostPasskeys)
		}
		if codes != nil {
			if err := tx.SetRecoveryCodes(who.ID, plain(codes)); err != nil {
				return err
			}
		}
		if err := tx.Enrolled(who.ID); err != nil {
			return err
		}
		return tx.Log("passkey added", store.SortPerson, who.Name, label)
	})
	return x, codes, err
}

// newRecoveryCodes returns codes of 50 bits each.
func newRecoveryCodes() []string {
	codes := make([]string, recoveryCodes)
	for i := range codes {
		text := rand.Text()[:10]
		codes[i] = text[:5] + "-" + text[5:]
	}
	return codes
}

func plain(codes []string) []string {
	out := make([]string, len(codes))
	for i, code := range codes {
		out[i] = plainCode(code)
	}
	return out
}

// NewRecoveryCodes replaces the recovery codes; they are shown only once.
func (s *Service) NewRecoveryCodes(ctx context.Context, who *access.Actor) ([]string, error) {
	if err := s.proved(who, "make recovery codes"); err != nil {
		return nil, err
	}
	if k, err := s.own(ctx, who); err != nil || len(k.passkeys) == 0 {
		return nil, errors.Join(err, problem.New(problem.Conflict, "recovery codes replace a passkey; add one first"))
	}
	codes := newRecoveryCodes()
	_, err := s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.SetRecoveryCodes(who.ID, plain(codes)); err != nil {
			return err
		}
		return tx.Log("recovery codes made", store.SortPerson, who.Name, "")
	})
	return codes, err
}

// Passkeys returns somebody's passkeys, and the number of their recovery codes.
func (s *Service) Passkeys(ctx context.Context, who *access.Actor, name string) ([]Passkey, int, store.Person, error) {
	p, err := s.lookingAfter(ctx, who, name)
	if err != nil {
		return nil, 0, p, err
	}
	all, err := s.ledger.Store.Passkeys(ctx, p.ID)
	if err != nil {
		return nil, 0, p, ledger.Failed(err, "reading passkeys")
	}
	codes, err := s.ledger.Store.RecoveryCodes(ctx, p.ID)
	if err != nil {
		return nil, 0, p, ledger.Failed(err, "reading passkeys")
	}
	return all, codes, p, nil
}

// DropPasskey removes a passkey of a person: one's own within ten minutes of the last proof, or as an administrator
// anybody's. With the last one go the recovery codes.
func (s *Service) DropPasskey(ctx context.Context, who *access.Actor, name, id string) error {
	p, err := s.lookingAfter(ctx, who, name)
	if err != nil {
		return err
	}
	if p.ID == who.ID {
		if err := s.proved(who, "remove a passkey"); err != nil {
			return err
		}
	}
	_, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		left, err := tx.DropPasskey(p.ID, id)
		if err != nil {
			return err
		}
		if left == 0 {
			if err := errors.Join(tx.DropPasskeys(p.ID), tx.WantSecond(p.ID, false)); err != nil {
				return err
			}
		}
		return tx.Log("passkey taken away", store.SortPerson, p.Name, "")
	})
	return err
}

// WantSecond sets whether one wants a second step after the password.
func (s *Service) WantSecond(ctx context.Context, who *access.Actor, wanted bool) error {
	if err := s.proved(who, "change how you sign in"); err != nil {
		return err
	}
	if k, err := s.own(ctx, who); err != nil || wanted && len(k.passkeys) == 0 {
		return errors.Join(err, problem.New(problem.Conflict, "a second step needs a passkey; add one first"))
	}
	_, err := s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.WantSecond(who.ID, wanted); err != nil {
			return err
		}
		done := "second step left off"
		if wanted {
			done = "second step wanted"
		}
		return tx.Log(done, store.SortPerson, who.Name, "")
	})
	return err
}

// AskPasskey starts signing in with only a passkey, whoever it belongs to.
func (s *Service) AskPasskey(ctx context.Context, from Place) (Asked, error) {
	party, err := s.party(from.Origin)
	if err != nil {
		return Asked{}, err
	}
	options, session, err := party.BeginDiscoverableLogin(webauthn.WithUserVerification(protocol.VerificationRequired))
	if err != nil {
		return Asked{}, ledger.Failed(err, "preparing passkeys")
	}
	return s.keepAsked(ctx, kindPasskey, "", session, options.Response)
}

var notPasskey = problem.New(problem.NotSignedIn, "this passkey is not known here, or the account is disabled")

// ByPasskey opens a session for the owner of a passkey. Unlocking it counts as both steps.
func (s *Service) ByPasskey(
	ctx context.Context, ceremony string, credential json.RawMessage, from Place,
) (Entered, error) {
	if err := s.mayTry(ctx, everyName, from); err != nil {
		return Entered{}, err
	}
	var asked askedPasskey
	if _, err := s.ledger.Store.TakeCeremony(ctx, ceremony, kindPasskey, s.now(), &asked); err != nil {
		return Entered{}, errors.Join(
			problem.New(problem.NotSignedIn, "this took too long; start again"),
			s.failed(ctx, everyName, from),
		)
	}
	party, err := s.party(from.Origin)
	if err != nil {
		return Entered{}, err
	}
	answer, err := protocol.ParseCredentialRequestResponseBytes(credential)
	if err != nil {
		return Entered{}, problem.Field("/credential", "is not an answer of a passkey: %s", err)
	}
	var k *keyholder
	_, key, err := party.ValidatePasskeyLogin(func(_, handle []byte) (webauthn.User, error) {
		id, err := uuid.FromBytes(handle)
		if err != nil {
			return nil, err
		}
		p, err := s.ledger.Store.PersonByID(ctx, id.String())
		if err != nil {
			return nil, err
		}
		k, err = s.keyholder(ctx, &p)
		return k, err
	}, asked.Session, answer)
	if err == nil {
		err = s.keepUsed(ctx, k, key)
	}
	if err != nil || !k.Disabled.IsZero() {
		s.ledger.Log.InfoContext(ctx, "passkey refused", "from", from.Address, "error", err)
		return Entered{}, errors.Join(notPasskey, s.failed(ctx, everyName, from),
			s.ledger.Note(ctx, &access.Actor{}, "sign-in failed", "session", "", "passkey"))
	}
	secret, who, err := s.open(ctx, k.Person, false, from)
	return Entered{Secret: secret, Who: who}, err
}

// askPasskey asks for one of somebody's passkeys.
func (s *Service) askPasskey(ctx context.Context, p *store.Person, from Place) (askedPasskey, json.RawMessage, error) {
	party, err := s.party(from.Origin)
	if err != nil {
		return askedPasskey{}, nil, err
	}
	k, err := s.keyholder(ctx, p)
	if err != nil {
		return askedPasskey{}, nil, err
	}
	options, session, err := party.BeginLogin(k)
	if err != nil {
		return askedPasskey{}, nil, ledger.Failed(err, "preparing passkeys")
	}
	text, err := json.Marshal(options.Response)
	return askedPasskey{*session}, text, err
}

// answered checks the answer of one of somebody's passkeys.
func (s *Service) answered(
	ctx context.Context, p *store.Person, asked *askedPasskey, credential json.RawMessage, from Place,
) error {
	party, err := s.party(from.Origin)
	if err != nil {
		return err
	}
	k, err := s.keyholder(ctx, p)
	if err != nil {
		return err
	}
	answer, err := protocol.ParseCredentialRequestResponseBytes(credential)
	if err != nil {
		return err
	}
	key, err := party.ValidateLogin(k, asked.Session, answer)
	if err != nil {
		return err
	}
	return s.keepUsed(ctx, k, key)
}

// keepUsed stores the counter of a used passkey. A counter that does not increase means that it was copied, and it is
// refused.
func (s *Service) keepUsed(ctx context.Context, k *keyholder, key *webauthn.Credential) error {
	if key.Authenticator.CloneWarning {
		return errors.New("the passkey's counter went back: there may be a copy of it")
	}
	document, err := json.Marshal(key)
	if err != nil {
		return err
	}
	for _, x := range k.passkeys {
		if string(x.Credential) == string(key.ID) {
			return s.ledger.Store.PasskeyUsed(ctx, x.ID, document, s.now())
		}
	}
	return store.ErrNotFound
}
