package api

import (
	"context"

	"github.com/gin-gonic/gin"

	"dappertally/internal/access"
	"dappertally/internal/build"
	"dappertally/internal/contract"
	"dappertally/internal/people"
	"dappertally/internal/service"
)

// request returns the gin context of a strict handler's request.
func request(ctx context.Context) *gin.Context {
	c := ctx.(*gin.Context)
	if own, ok := c.Get(keyOwn); ok {
		return own.(*gin.Context)
	}
	return c
}

// changed adds the number of the change to the answer, once the change is visible here: a program that ignores the
// number can read at once.
func (h *handlers) changed(ctx context.Context, number int64) {
	_, _ = h.written(ctx, number) // what is not seen in time is written all the same
}

// done ends an operation without a body: if there is no error, the number of the change is added to the answer.
func (h *handlers) done(ctx context.Context, number int64, err error) error {
	if err == nil {
		h.changed(ctx, number)
	}
	return err
}

func (h *handlers) About(ctx context.Context, _ AboutRequest) (*contract.About, error) {
	if _, err := h.state(ctx); err != nil {
		return nil, err
	}
	about := contract.About{
		Name:    "Dapper Tally",
		Team:    h.ledger.Team(),
		Now:     h.ledger.Now(),
		Demo:    h.ledger.Demo,
		Frames:  h.frames,
		Console: h.build,
		Version: build.Version(), Release: build.Release(), Commit: build.Commit(), Schema: build.Schema,
	}
	var err error
	if about.Clients, err = clients(h.programs); err != nil {
		return nil, err
	}
	for _, p := range h.people.Ways.Providers {
		about.Providers = append(about.Providers, contract.SignOnProvider{Key: p.Key, Title: p.Title})
	}
	about.NoPasswords = h.people.Ways.NoWords
	if whoAsks(request(ctx)).SignedIn() {
		return &about, nil
	}
	if about.SetUp, err = h.people.AwaitsSetUp(ctx); err != nil {
		return nil, err
	}
	return &about, nil
}

func (h *handlers) WhoAmI(ctx context.Context, _ WhoAmIRequest) (*contract.Session, error) {
	return new(session(whoAsks(request(ctx)))), nil
}

func (h *handlers) SignIn(ctx context.Context, r SignInRequest) (*contract.Session, error) {
	c := request(ctx)
	in, err := h.people.SignIn(ctx, r.Body.Name, r.Body.Password, h.place(c))
	if err != nil {
		return nil, err
	}
	return h.entered(c, &in), nil
}

// entered gives the browser a session, or tells it which second step is needed.
func (h *handlers) entered(c *gin.Context, in *people.Entered) *contract.Session {
	if x := in.Second; x != nil {
		asked := contract.SecondAsked{Pending: x.Pending, Options: x.Options, Recovery: x.Recovery}
		return &contract.Session{May: []string{}, Second: asked}
	}
	h.setCookie(c, in.Secret, int(people.SessionLasts.Seconds()))
	return new(session(&in.Who))
}

func (h *handlers) SignOut(ctx context.Context, _ SignOutRequest) error {
	c := request(ctx)
	if secret := h.sessionSecret(c); secret != "" {
		if err := h.people.SignOut(ctx, secret); err != nil {
			return err
		}
	}
	h.setCookie(c, "", -1)
	return nil
}

func session(who *access.Actor) contract.Session {
	if !who.SignedIn() {
		return contract.Session{May: []string{}}
	}
	return contract.Session{
		SignedIn: true,
		Enrols:   who.Enrols,
		May:      capabilities(service.Capabilities(who)),
		Person: contract.Person{
			Name:       who.Name,
			Title:      who.Title,
			Roles:      roles(who.Roles),
			May:        capabilities(service.Capabilities(who)),
			Disclosure: who.Disclosure,
			Active:     true,
			State:      "active",
		},
	}
}

func capabilities(all []access.Action) []string {
	out := make([]string, len(all))
	for i, a := range all {
		out[i] = a.Key
	}
	return out
}

func roles(names []string) []contract.Role {
	out := make([]contract.Role, len(names))
	for i, n := range names {
		out[i] = contract.Role(n)
	}
	return out
}

func roleNames(rs []contract.Role) []string {
	out := make([]string, len(rs))
	for i, r := range rs {
		out[i] = string(r)
	}
	return out
}
