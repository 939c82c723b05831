// Package signon asks providers of single sign-on (OpenID Connect) for a person's identity: authorization code with
// PKCE.
package signon

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"
)

// Provider is a provider with which people can sign in. Make it with Read.
type Provider struct {
	Config
	mu    sync.Mutex
	known *oidc.Provider
	http  http.Client
}

// Asked is a request to a provider, stored until the person comes back.
type Asked struct {
	Provider string
	Nonce    string
	Verifier string // of PKCE (RFC 7636)
	To       string // where they continue afterwards
	Person   string // id of the account to link; empty: they sign in
}

// Identity is a person's identity according to the provider.
type Identity struct {
	Provider, Subject string
	Name, Title       string   // their name there
	Roles             []string // their roles here, by the mapping
	Mapped            bool     // whether a mapping sets roles
}

// ErrUnreachable is a provider that cannot be asked now.
var ErrUnreachable = errors.New("the provider of single sign-on cannot be reached")

// patience is the time limit of each request to a provider.
const patience = 10 * time.Second

// discovered returns the provider's metadata, requested when first needed.
func (p *Provider) discovered(ctx context.Context) (*oidc.Provider, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.known == nil {
		// The metadata is used as long as the service runs, and so is the client for keys.
		found, err := oidc.NewProvider(oidc.ClientContext(context.WithoutCancel(ctx), &p.http), p.Issuer)
		if err != nil {
			return nil, fmt.Errorf("%w: %w", ErrUnreachable, err)
		}
		p.known = found
	}
	return p.known, nil
}

func (p *Provider) config(known *oidc.Provider, back string) *oauth2.Config {
	return &oauth2.Config{
		ClientID: p.ClientID, ClientSecret: p.secret, Endpoint: known.Endpoint(), RedirectURL: back,
		Scopes: append([]string{oidc.ScopeOpenID}, p.Scopes...),
	}
}

// Begin returns the address to which the person is sent, and what to store until they come back with that state.
func (p *Provider) Begin(ctx context.Context, state, back, to, person string) (address string, a Asked, err error) {
	known, err := p.discovered(ctx)
	if err != nil {
		return "", a, err
	}
	a = Asked{p.Key, rand.Text(), oauth2.GenerateVerifier(), to, person}
	return p.config(known, back).AuthCodeURL(state, oidc.Nonce(a.Nonce), oauth2.S256ChallengeOption(a.Verifier)), a, nil
}

// claims are the parts of an identity besides its subject. Providers use different names for people.
type claims struct {
	Preferred string `json:"preferred_username"`
	Nickname  string `json:"nickname"`
	Email     string `json:"email"`
	Name      string `json:"name"`
}

// Finish asks the provider for the identity of a person who came back with a code.
func (p *Provider) Finish(ctx context.Context, a *Asked, code, back string) (Identity, error) {
	known, err := p.discovered(ctx)
	if err != nil {
		return Identity{}, err
	}
	asking := oidc.ClientContext(ctx, &p.http)
	got, err := p.config(known, back).Exchange(asking, code, oauth2.VerifierOption(a.Verifier))
	var refused *oauth2.RetrieveError
	switch {
	case errors.As(err, &refused):
		return Identity{}, fmt.Errorf("the provider refused the code: %w", err)
	case err != nil:
		return Identity{}, fmt.Errorf("%w: %w", ErrUnreachable, err)
	}
	raw, ok := got.Extra("id_token").(string)
	if !ok {
		return Identity{}, errors.New("the provider gave no ID token")
	}
	token, err := known.Verifier(&oidc.Config{ClientID: p.ClientID}).Verify(asking, raw)
	if err != nil {
		return Identity{}, fmt.Errorf("the ID token is not valid: %w", err)
	}
	if token.Nonce != a.Nonce {
		return Identity{}, errors.New("the ID token belongs to another sign-in")
	}
	if token.Subject == "" || len(token.Subject) > 255 {
		return Identity{}, errors.New("the ID token names nobody")
	}
	return p.identity(token)
}

func (p *Provider) identity(token *oidc.IDToken) (Identity, error) {
	var c claims
	all := map[string]any{}
	if err := errors.Join(token.Claims(&c), token.Claims(&all)); err != nil {
		return Identity{}, fmt.Errorf("the ID token cannot be read: %w", err)
	}
	x := Identity{Provider: p.Key, Subject: token.Subject, Title: c.Name, Name: firstOf(c.Preferred, c.Nickname, c.Email)}
	if x.Title == "" {
		x.Title = x.Name
	}
	if p.RolesClaim == "" {
		return x, nil
	}
	x.Mapped = true
	for _, value := range texts(all[p.RolesClaim]) {
		for _, role := range p.Roles[value] {
			if !slices.Contains(x.Roles, role) {
				x.Roles = append(x.Roles, role)
			}
		}
	}
	return x, nil
}

func firstOf(texts ...string) string {
	for _, t := range texts {
		if t != "" {
			return t
		}
	}
	return ""
}

// texts is a claim that is a text or a list of texts.
func texts(claim any) (all []string) {
	switch c := claim.(type) {
	case string:
		return []string{c}
	case []any:
		for _, x := range c {
			if text, ok := x.(string); ok {
				all = append(all, text)
			}
		}
	}
	return all
}
