package api

import (
	"context"
	"net/http"

	"github.com/gin-gonic/gin"

	"dappertally/internal/access"
	"dappertally/internal/contract"
	"dappertally/internal/people"
	"dappertally/internal/service"
)

// request is the gin context of the request that a strict handler answers.
func request(ctx context.Context) *gin.Context {
	c := ctx.(*gin.Context)
	if own, ok := c.Get(keyOwn); ok {
		return own.(*gin.Context)
	}
	return c
}

// changed tells the caller the number of its change, once it is visible here: a
// program that knows no number may ask again at once.
func (h *handlers) changed(ctx context.Context, number int64) {
	_, _ = h.written(ctx, number) // what is not seen in time is written all the same
}

// done ends an operation that answers nothing: the change is told, or err is why there
// is none.
func (h *handlers) done(ctx context.Context, number int64, err error) error {
	if err == nil {
		h.changed(ctx, number)
	}
	return err
}

func (h *handlers) About(ctx context.Context, _ AboutRequest) (*contract.About, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	return &contract.About{
		Name:    "Dapper Tally",
		Team:    h.ledger.Keeper,
		Now:     h.ledger.Now(),
		Demo:    h.ledger.Demo,
		Change:  st.Number,
		Frames:  h.frames,
		Console: h.build,
	}, nil
}

func (h *handlers) WhoAmI(ctx context.Context, _ WhoAmIRequest) (*contract.Session, error) {
	return new(session(whoAsks(request(ctx)))), nil
}

func (h *handlers) SignIn(ctx context.Context, r SignInRequest) (*contract.Session, error) {
	c := request(ctx)
	secret, who, err := h.people.SignIn(ctx, r.Body.Name, r.Body.Password, c.RemoteIP())
	if err != nil {
		return nil, err
	}
	h.setCookie(c, secret, int(people.SessionLasts.Seconds()))
	return new(session(&who)), nil
}

func (h *handlers) SignOut(ctx context.Context, _ SignOutRequest) error {
	c := request(ctx)
	if secret, _ := c.Cookie(cookieName); secret != "" {
		if err := h.people.SignOut(ctx, secret); err != nil {
			return err
		}
	}
	h.setCookie(c, "", -1)
	return nil
}

func (h *handlers) setCookie(c *gin.Context, secret string, seconds int) {
	http.SetCookie(
		c.Writer,
		&http.Cookie{
			Name:     cookieName,
			Value:    secret,
			Path:     "/",
			MaxAge:   seconds,
			HttpOnly: true,
			Secure:   h.secure,
			SameSite: http.SameSiteStrictMode,
		},
	)
}

func session(who *access.Actor) contract.Session {
	if !who.SignedIn() {
		return contract.Session{May: []string{}}
	}
	return contract.Session{
		SignedIn: true,
		May:      capabilities(service.Capabilities(who)),
		Person: contract.Person{
			Name:       who.Name,
			Title:      who.Title,
			Roles:      roles(who.Roles),
			May:        capabilities(service.Capabilities(who)),
			Disclosure: who.Disclosure,
			Active:     true,
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

func (h *handlers) ListTokens(ctx context.Context, _ ListTokensRequest) (*contract.TokenList, error) {
	ts, err := h.people.Tokens(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	list := contract.TokenList{Tokens: []contract.Token{}}
	for i := range ts {
		list.Tokens = append(list.Tokens, token(&ts[i], ""))
	}
	return &list, nil
}

func (h *handlers) CreateToken(ctx context.Context, r CreateTokenRequest) (*contract.Token, error) {
	days := r.Body.Days
	if days == 0 {
		days = 90
	}
	t, secret, err := h.people.CreateToken(ctx, whoAsks(request(ctx)), r.Body.Label, roleNames(r.Body.Roles), days)
	if err != nil {
		return nil, err
	}
	return new(token(&t, secret)), nil
}

func token(t *people.Token, secret string) contract.Token {
	return contract.Token{
		Id:      t.ID,
		Label:   t.Label,
		Roles:   roles(t.Roles),
		Created: t.Created,
		Expires: t.Expires,
		Secret:  secret,
	}
}

func (h *handlers) RevokeToken(ctx context.Context, r RevokeTokenRequest) error {
	if err := h.people.RevokeToken(ctx, whoAsks(request(ctx)), r.Id); err != nil {
		return err
	}
	return nil
}

func (h *handlers) ListPeople(ctx context.Context, r ListPeopleRequest) (*contract.PersonList, error) {
	all, err := h.people.People(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	some, next, err := page(all, func(p people.Account) string { return p.Name }, r.Params.Limit, r.Params.Cursor)
	if err != nil {
		return nil, err
	}
	list := contract.PersonList{People: []contract.Person{}, Next: next}
	for _, p := range some {
		list.People = append(
			list.People,
			contract.Person{
				Name:       p.Name,
				Title:      p.Title,
				Roles:      roles(p.Roles),
				May:        capabilities(service.CapabilitiesOf(&p)),
				Disclosure: p.Disclosure,
				Active:     p.Password != "",
			},
		)
	}
	return &list, nil
}

func (h *handlers) AddPerson(ctx context.Context, r AddPersonRequest) (*contract.Person, error) {
	p := people.Account{
		Name:       r.Body.Name,
		Title:      r.Body.Title,
		Roles:      roleNames(r.Body.Roles),
		Disclosure: r.Body.Disclosure,
	}
	n, err := h.people.AddPerson(ctx, whoAsks(request(ctx)), p, r.Body.Password)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	return &contract.Person{
		Name:       p.Name,
		Title:      p.Title,
		Roles:      roles(p.Roles),
		May:        capabilities(service.CapabilitiesOf(&p)),
		Disclosure: p.Disclosure,
		Active:     true,
	}, nil
}
