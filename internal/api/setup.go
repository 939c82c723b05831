package api

import (
	"context"

	"dappertally/internal/contract"
	"dappertally/internal/people"
)

func (h *handlers) SetUp(ctx context.Context, r SetUpRequest) (*contract.Begun, error) {
	c, b := request(ctx), r.Body
	with := people.SetUp{
		Team:  b.Team,
		First: people.Account{Name: b.Name, Title: b.Title, Roles: roleNames(b.Roles)},
	}
	for _, p := range b.People {
		with.Others = append(with.Others, people.Account{Name: p.Name, Title: p.Title, Roles: roleNames(p.Roles)})
	}
	done, err := h.people.SetUp(ctx, b.Code, b.Password, with, h.place(c))
	if err != nil {
		return nil, err
	}
	h.changed(ctx, done.Change)
	h.setCookie(c, done.Session, int(people.SessionLasts.Seconds()))
	begun := contract.Begun{Session: session(&done.Who), Links: []contract.LinkFor{}, Expires: done.Until}
	for _, l := range done.Links {
		begun.Links = append(begun.Links, contract.LinkFor{Name: l.Name, Address: h.welcome(c, l.Secret)})
	}
	return &begun, nil
}
