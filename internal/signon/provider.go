// Package signon asks providers of single sign-on (OpenID Connect) who somebody is: authorization code with PKCE.
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

// Provider is one of those that people may sign in by. Make it with Read.
type Provider struct {
	Config
	mu    sync.Mutex
	known *oidc.Provider
	http  http.Client
}

// Asked is what somebody was sent away with, kept until they come back.
type Asked struct {
	Provider string
	Nonce    string
	Verifier string // of PKCE (RFC 7636)
	To       string // where they go afterwards
	Person   string // id of whoever links an account; empty: they sign in
}

// Identity is who somebody is, as the provider says.
type Identity struct {
	Provider, Subject string
	Name, Title       string   // how they are called there
	Roles             []string // that the mapping gives them here
	Mapped            bool     // a mapping says so
}

// ErrUnreachable is a provider that cannot be asked now.
var ErrUnreachable = errors.New("the provider of single sign-on cannot be reached")

// patience bounds each question to a provider.
const patience = 10 * time.Second

// discovered is what the provider says of itself, asked once it is needed.
func (p *Provider) discovered(ctx context.Context) (*oidc.Provider, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.known == nil {
		// What is learnt is used for as long as the service runs, and so is the client that asks for keys.
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

// Begin gives the address where somebody is sent, and what to keep until they come back with that state.
func (p *Provider) Begin(ctx context.Context, state, back, to, person string) (address string, a Asked, err error) {
	known, err := p.discovered(ctx)
	if err != nil {
		return "", a, err
	}
	a = Asked{p.Key, rand.Text(), oauth2.GenerateVerifier(), to, person}
	return p.config(known, back).AuthCodeURL(state, oidc.Nonce(a.Nonce), oauth2.S256ChallengeOption(a.Verifier)), a, nil
}

// claims are what is read of an identity besides its subject. Providers call people in different ways.
type claims struct {
	Preferred string `json:"preferred_username"`
	Nickname  string `json:"nickname"`
	Email     string `json:"email"`
	Name      string `json:"name"`
}

// Finish asks the provider who came back with a code.
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
