package people

import (
	"context"
	"crypto/rand"
	"errors"
	"math/big"
	"strings"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// A machine under review is signed in from elsewhere, so that no password is typed on it (RFC 8628): it shows a short
// code, somebody approves it in the console, and it gets a token that can record in one review for a day.
const (
	deviceLasts      = 15 * time.Minute
	deviceTokenLasts = 24 * time.Hour
	// DeviceInterval is how often a machine can check whether it was approved.
	DeviceInterval = 5 * time.Second
	mostDevices    = 20 // waiting machines of one network
	mostDevicesAll = 1000
	mostMachine    = 100 // letters of its name
)

// triedDevice stands for machines' codes in the counts of failed attempts.
const triedDevice = "*device"

// Device is a machine that waits to be signed in.
type Device = store.Device

// Waiting is what a machine receives when it starts to wait.
type Waiting struct {
	Device string // its own secret
	Code   string // that people type
	Lasts  time.Duration
}

// The results for a machine that checks whether it was approved.
var (
	ErrPending  = errors.New("nobody has decided yet")
	ErrSlowDown = errors.New("the machine asks too often")
	ErrRefused  = errors.New("the machine was rejected")
	ErrExpired  = errors.New("the code has expired")
)

// codeLetters are those of RFC 8628, 6.1: no vowels, so that no words appear, and no similar characters.
const codeLetters = "BCDFGHJKLMNPQRSTVWXZ"

// newCode returns a code of eight letters for people to type: 34 bits, of which each network can guess a few.
func newCode() (string, error) {
	var code strings.Builder
	for range 8 {
		n, err := rand.Int(rand.Reader, big.NewInt(int64(len(codeLetters))))
		if err != nil {
			return "", err
		}
		code.WriteByte(codeLetters[n.Int64()])
	}
	return code.String(), nil
}

// AwaitDevice starts waiting for somebody who approves a machine. requested is the review that it asks for; it can be
// empty.
func (s *Service) AwaitDevice(ctx context.Context, machine, requested string, from Place) (Waiting, error) {
	code, err := newCode()
	if err != nil {
		return Waiting{}, ledger.Failed(err, "making a code")
	}
	w := Waiting{newSecret(), code, deviceLasts}
	at := s.now()
	err = s.ledger.Store.AddDevice(ctx, w.Device, code, &store.Device{
		Machine: shortened(machine, mostMachine), Requested: requested, Address: from.Address, Network: Network(from.Address),
		Made: at, Expires: at.Add(deviceLasts),
	}, mostDevices, mostDevicesAll)
	if errors.Is(err, store.ErrExists) {
		e := problem.New(problem.TooMany, "too many machines are waiting to sign in; try again later")
		e.After = time.Minute
		return w, e
	}
	if err != nil {
		return w, ledger.Failed(err, "making a code")
	}
	w.Code = code[:4] + "-" + code[4:]
	return w, nil
}

// WaitingDevice returns the machine with a code that somebody typed.
func (s *Service) WaitingDevice(ctx context.Context, who *access.Actor, code string, from Place) (Device, error) {
	if who.Session == "" {
		return Device{}, problem.New(problem.NotSignedIn, "sign in to sign a machine in")
	}
	if err := s.mayTry(ctx, triedDevice, from); err != nil {
		return Device{}, err
	}
	d, err := s.ledger.Store.DeviceByCode(ctx, plainCode(code), s.now())
	if errors.Is(err, store.ErrNotFound) || err == nil && d.Decided() {
		return d, errors.Join(noDevice, s.failed(ctx, triedDevice, from))
	}
	if err != nil {
		return d, ledger.Failed(err, "finding a machine")
	}
	return d, nil
}

var noDevice = problem.New(problem.NotFound,
	"no machine is waiting with this code; codes expire after 15 minutes, and dtally login shows "+
		"a new one")

// DecideDevice lets the machine with that code record in a review in the actor's name, for a day, or refuses it if
// review is empty. The caller checks whether the actor can record in that review.
func (s *Service) DecideDevice(ctx context.Context, who *access.Actor, code, review string, from Place) error {
	d, err := s.WaitingDevice(ctx, who, code, from)
	if err != nil {
		return err
	}
	at := s.now()
	_, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		err := tx.DecideDevice(plainCode(code), who.ID, review, at)
		if errors.Is(err, store.ErrNotFound) {
			return noDevice
		}
		if err != nil {
			return err
		}
		done := "machine signed in"
		if review == "" {
			done = "machine refused"
		}
		return tx.Log(done, store.SortPerson, who.Name, d.Machine)
	})
	return err
}

// DeviceToken gives a machine its token, once somebody has approved it; otherwise one of the errors above.
func (s *Service) DeviceToken(ctx context.Context, device string) (secret string, t Token, err error) {
	at := s.now()
	d, err := s.ledger.Store.Device(ctx, device, at)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return "", t, ErrExpired
	case err != nil:
		return "", t, ledger.Failed(err, "finding a machine")
	case !d.Decided() && at.Sub(d.Asked) < DeviceInterval-time.Second:
		return "", t, ErrSlowDown
	case !d.Decided():
		return "", t, ErrPending
	}
	label := "a machine under review"
	if d.Machine != "" {
		label = d.Machine
	}
	t = Token{
		Label: label, Roles: []access.Role{access.Reviewer}, Review: d.Review, Created: at, Expires: at.Add(deviceTokenLasts),
	}
	secret = newToken()
	_, err = s.ledger.Write(ctx, &access.Actor{ID: d.Person}, func(tx *store.Tx) error {
		if err := tx.TakeDevice(device); err != nil {
			return err
		}
		if d.Review == "" {
			return nil
		}
		if err := tx.AddToken(&t, secret, d.Person, mostTokens); err != nil {
			return err
		}
		return tx.Log("token made", store.SortReview, d.Review, label)
	})
	switch {
	case errors.Is(err, store.ErrExists):
		return "", t, problem.New(
			problem.Conflict,
			"the reviewer who approved the machine already has %d tokens and has to revoke one first",
			mostTokens,
		)
	case problem.IsKind(err, problem.NotFound):
		return "", t, ErrExpired
	case err != nil:
		return "", t, err
	case d.Review == "":
		return "", t, ErrRefused
	}
	return secret, t, nil
}
