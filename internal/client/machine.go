package client

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"golang.org/x/oauth2"

	"dappertally/internal/build"
	"dappertally/internal/contract"
)

// AtTheDoor is a machine that waits to be signed in from elsewhere.
type AtTheDoor struct {
	*oauth2.DeviceAuthResponse
	config oauth2.Config
	client *Client
}

// SignedInMachine is a machine that was signed in: its token, the token's id, and the one review in which it can
// record.
type SignedInMachine struct {
	Token, ID string
	Review    string
	Expires   time.Time
}

// The reasons why waiting ends without a token.
var (
	ErrTurnedAway = errors.New("the machine was rejected")
	ErrTooLate    = errors.New("the code has expired; run the command again")
)

// AwaitSignIn starts waiting for somebody who signs this machine in (RFC 8628). review can be empty.
func (c *Client) AwaitSignIn(ctx context.Context, machine, review string) (*AtTheDoor, error) {
	w := &AtTheDoor{client: c, config: oauth2.Config{
		ClientID: "dtally",
		Endpoint: oauth2.Endpoint{
			DeviceAuthURL: c.server + "/oauth/device", TokenURL: c.server + "/oauth/token", AuthStyle: oauth2.AuthStyleInParams,
		},
	}}
	if review != "" {
		w.config.Scopes = []string{"review:" + review}
	}
	var err error
	w.DeviceAuthResponse, err = w.config.DeviceAuth(w.through(ctx), oauth2.SetAuthURLParam("machine", machine))
	return w, oauthError(err)
}

// Await waits until somebody has decided, or the code has expired.
func (w *AtTheDoor) Await(ctx context.Context) (SignedInMachine, error) {
	t, err := w.config.DeviceAccessToken(w.through(ctx), w.DeviceAuthResponse)
	if err != nil {
		return SignedInMachine{}, oauthError(err)
	}
	id, _ := t.Extra("token_id").(string)
	scope, _ := t.Extra("scope").(string)
	review, ok := strings.CutPrefix(scope, "review:")
	if id == "" || !ok {
		return SignedInMachine{}, errors.New("the service signed this machine in without naming a review")
	}
	return SignedInMachine{Token: t.AccessToken, ID: id, Review: review, Expires: t.Expiry}, nil
}

// through makes the library send requests as this client does.
func (w *AtTheDoor) through(ctx context.Context) context.Context {
	own := w.client.http
	own.Transport = named{}
	return context.WithValue(ctx, oauth2.HTTPClient, &own)
}

// named tells the service which program calls.
type named struct{}

func (named) RoundTrip(r *http.Request) (*http.Response, error) {
	r = r.Clone(r.Context())
	r.Header.Set("User-Agent", contract.ClientAgent+build.Version())
	return http.DefaultTransport.RoundTrip(r)
}

// oauthError translates an error of the library.
func oauthError(err error) error {
	var refused *oauth2.RetrieveError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &refused) && refused.ErrorCode == "access_denied":
		return ErrTurnedAway
	case errors.As(err, &refused) && refused.ErrorCode == "expired_token", errors.Is(err, context.DeadlineExceeded):
		return ErrTooLate
	case errors.As(err, &refused) && refused.ErrorCode != "":
		return fmt.Errorf("%s: %s", refused.ErrorCode, refused.ErrorDescription)
	case errors.As(err, &refused) && refused.Response != nil:
		return refusal(answer{refused.Response.StatusCode, refused.Response.Header, refused.Body})
	case errors.Is(err, context.Canceled):
		return err
	}
	return fmt.Errorf("%w: %w", ErrUnreachable, err)
}
