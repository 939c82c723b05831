package api

import (
	"context"

	"dappertally/internal/contract"
	"dappertally/internal/people"
	"dappertally/internal/service"
)

func personView(p *people.Account) contract.Person {
	v := contract.Person{
		Name:       p.Name,
		Title:      p.Title,
		Roles:      roles(p.Roles),
		May:        capabilities(service.CapabilitiesOf(p)),
		Disclosure: p.Disclosure,
		Active:     p.Active(),
		Invited:    p.Invited,
		Disabled:   p.Disabled,
	}
	switch {
	case !p.Disabled.IsZero():
		v.State = "disabled"
	case p.Active():
		v.State = "active"
	case !p.Invited.IsZero():
		v.State = "invited"
	default:
		v.State = "without-password"
	}
	return v
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
	for i := range some {
		list.People = append(list.People, personView(&some[i]))
	}
	return &list, nil
}

func (h *handlers) AddPerson(ctx context.Context, r AddPersonRequest) (*contract.Person, error) {
	p := people.Account{
		Name: r.Body.Name, Title: r.Body.Title, Roles: roleNames(r.Body.Roles), Disclosure: r.Body.Disclosure,
	}
	n, err := h.people.AddPerson(ctx, whoAsks(request(ctx)), p, r.Body.Password)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	return h.person(ctx, p.Name)
}

func (h *handlers) ShowPerson(ctx context.Context, r ShowPersonRequest) (*contract.Person, error) {
	return h.person(ctx, r.Person)
}

// person returns a person as the caller can see them, and the revision that a change must name.
func (h *handlers) person(ctx context.Context, name string) (*contract.Person, error) {
	c := request(ctx)
	p, err := h.people.Person(ctx, whoAsks(c), name)
	if err != nil {
		return nil, err
	}
	c.Set(keyRevision, p.Revision)
	return new(personView(&p)), nil
}

func (h *handlers) EditPerson(ctx context.Context, r EditPersonRequest) (*contract.Person, error) {
	c := request(ctx)
	changed := people.Account{
		Name: r.Body.Name, Title: r.Body.Title, Roles: roleNames(r.Body.Roles), Disclosure: r.Body.Disclosure,
	}
	n, err := h.people.EditPerson(ctx, whoAsks(c), r.Person, version(r.Params.IfMatch), changed)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	if who := whoAsks(c); who.Name == r.Person {
		who.Name = r.Body.Name // whoever renames themselves gets the new name
	}
	return h.person(ctx, r.Body.Name)
}

func (h *handlers) SetDisabled(ctx context.Context, r SetDisabledRequest) (*contract.Person, error) {
	n, err := h.people.SetDisabled(ctx, whoAsks(request(ctx)), r.Person, r.Body.Disabled)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	return h.person(ctx, r.Person)
}

func (h *handlers) ListSessions(ctx context.Context, r ListSessionsRequest) (*contract.SignedInList, error) {
	who := whoAsks(request(ctx))
	all, err := h.people.Sessions(ctx, who, r.Person)
	if err != nil {
		return nil, err
	}
	list := contract.SignedInList{Sessions: []contract.SignedIn{}}
	for _, x := range all {
		list.Sessions = append(list.Sessions, contract.SignedIn{
			Id: x.ID, Created: x.Created, Used: x.Used, Expires: x.Expires, Address: x.Address, Program: x.Program,
			Current: x.ID == who.Session,
		})
	}
	return &list, nil
}

func (h *handlers) EndSessions(ctx context.Context, r EndSessionsRequest) error {
	return h.people.EndSession(ctx, whoAsks(request(ctx)), r.Person, "")
}

func (h *handlers) EndSession(ctx context.Context, r EndSessionRequest) error {
	return h.people.EndSession(ctx, whoAsks(request(ctx)), r.Person, r.Id)
}
