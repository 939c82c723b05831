package api

import (
	"context"
	"net/http"

	"github.com/gin-gonic/gin"

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

// apart gives each operation a context of its own. A gin context serves other requests
// afterwards, while the database's driver may look at the one that it was given still.
func apart(operation StrictHandlerFunc, _ string) StrictHandlerFunc {
	return func(c *gin.Context, asked any) (any, error) {
		own := c.Copy()
		own.Set(keyOwn, c)
		return operation(own, asked)
	}
}

// changed tells the caller the number of its change, once it is visible here: a
// program that knows no number may ask again at once.
func (h *handlers) changed(ctx context.Context, number int64) {
	_, _ = h.written(ctx, number) // what is not seen in time is written all the same
}

func (h *handlers) About(ctx context.Context, _ AboutRequestObject) (AboutResponseObject, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	return About200JSONResponse{Name: "Dapper Tally", Team: h.Team, Now: h.Now(), Demo: h.Demo, Change: st.Number}, nil
}

func (h *handlers) WhoAmI(ctx context.Context, _ WhoAmIRequestObject) (WhoAmIResponseObject, error) {
	return WhoAmI200JSONResponse(session(whoAsks(request(ctx)))), nil
}

func (h *handlers) SignIn(ctx context.Context, r SignInRequestObject) (SignInResponseObject, error) {
	c := request(ctx)
	secret, who, err := h.Service.SignIn(ctx, r.Body.Name, r.Body.Password, c.RemoteIP())
	if err != nil {
		return nil, err
	}
	h.setCookie(c, secret, int(service.SessionLasts.Seconds()))
	return SignIn200JSONResponse(session(&who)), nil
}

func (h *handlers) SignOut(ctx context.Context, _ SignOutRequestObject) (SignOutResponseObject, error) {
	c := request(ctx)
	if secret, _ := c.Cookie(cookieName); secret != "" {
		if err := h.Service.SignOut(ctx, secret); err != nil {
			return nil, err
		}
	}
	h.setCookie(c, "", -1)
	return SignOut204Response{}, nil
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

func session(who *service.Actor) Session {
	if !who.SignedIn() {
		return Session{}
	}
	return Session{
		SignedIn: true,
		Person: Person{
			Name:       who.Name,
			Title:      who.Title,
			Roles:      roles(who.Roles),
			Disclosure: who.Disclosure,
			Active:     true,
		},
	}
}

func roles(names []string) []Role {
	out := make([]Role, len(names))
	for i, n := range names {
		out[i] = Role(n)
	}
	return out
}

func roleNames(rs []Role) []string {
	out := make([]string, len(rs))
	for i, r := range rs {
		out[i] = string(r)
	}
	return out
}

func (h *handlers) ListTokens(ctx context.Context, _ ListTokensRequestObject) (ListTokensResponseObject, error) {
	ts, err := h.Tokens(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	list := TokenList{Tokens: []Token{}}
	for i := range ts {
		list.Tokens = append(list.Tokens, token(&ts[i], ""))
	}
	return ListTokens200JSONResponse(list), nil
}

func (h *handlers) CreateToken(ctx context.Context, r CreateTokenRequestObject) (CreateTokenResponseObject, error) {
	days := r.Body.Days
	if days == 0 {
		days = 90
	}
	t, secret, err := h.Service.CreateToken(ctx, whoAsks(request(ctx)), r.Body.Label, roleNames(r.Body.Roles), days)
	if err != nil {
		return nil, err
	}
	return CreateToken201JSONResponse(token(&t, secret)), nil
}

func token(t *service.Token, secret string) Token {
	return Token{
		Id:      t.ID,
		Label:   t.Label,
		Roles:   roles(t.Roles),
		Created: t.Created,
		Expires: t.Expires,
		Secret:  secret,
	}
}

func (h *handlers) RevokeToken(ctx context.Context, r RevokeTokenRequestObject) (RevokeTokenResponseObject, error) {
	if err := h.Service.RevokeToken(ctx, whoAsks(request(ctx)), r.Id); err != nil {
		return nil, err
	}
	return RevokeToken204Response{}, nil
}

func (h *handlers) ListPeople(ctx context.Context, r ListPeopleRequestObject) (ListPeopleResponseObject, error) {
	all, err := h.People(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	some, next, err := page(all, func(p service.Account) string { return p.Name }, r.Params.Limit, r.Params.Cursor)
	if err != nil {
		return nil, err
	}
	list := PersonList{People: []Person{}, Next: next}
	for _, p := range some {
		list.People = append(
			list.People,
			Person{
				Name:       p.Name,
				Title:      p.Title,
				Roles:      roles(p.Roles),
				Disclosure: p.Disclosure,
				Active:     p.Password != "",
			},
		)
	}
	return ListPeople200JSONResponse(list), nil
}

func (h *handlers) AddPerson(ctx context.Context, r AddPersonRequestObject) (AddPersonResponseObject, error) {
	p := service.Account{
		Name:       r.Body.Name,
		Title:      r.Body.Title,
		Roles:      roleNames(r.Body.Roles),
		Disclosure: r.Body.Disclosure,
	}
	n, err := h.Service.AddPerson(ctx, whoAsks(request(ctx)), p, r.Body.Password)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	return AddPerson201JSONResponse{
		Name:       p.Name,
		Title:      p.Title,
		Roles:      roles(p.Roles),
		Disclosure: p.Disclosure,
		Active:     true,
	}, nil
}
