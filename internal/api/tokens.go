package api

import (
	"context"

	"dappertally/internal/contract"
	"dappertally/internal/people"
)

func (h *handlers) ListTokens(ctx context.Context, _ ListTokensRequest) (*contract.TokenList, error) {
	return h.tokens(ctx, whoAsks(request(ctx)).Name)
}

func (h *handlers) ListTokensOf(ctx context.Context, r ListTokensOfRequest) (*contract.TokenList, error) {
	return h.tokens(ctx, r.Person)
}

func (h *handlers) tokens(ctx context.Context, person string) (*contract.TokenList, error) {
	ts, err := h.people.Tokens(ctx, whoAsks(request(ctx)), person)
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
		Used:    t.Used,
		Address: t.Address,
		Review:  t.Review,
		Secret:  secret,
	}
}

func (h *handlers) RevokeToken(ctx context.Context, r RevokeTokenRequest) error {
	who := whoAsks(request(ctx))
	return h.people.RevokeToken(ctx, who, who.Name, r.Id)
}

func (h *handlers) RevokeTokenOf(ctx context.Context, r RevokeTokenOfRequest) error {
	return h.people.RevokeToken(ctx, whoAsks(request(ctx)), r.Person, r.Id)
}
