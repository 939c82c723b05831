package people

import (
	"context"

	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Machine does what whoever has access to the service's machine may do without signing in. Nothing that comes over the
// network may ask for it.
type Machine struct{ s *Service }

// OnTheMachine is what may be done there.
func (s *Service) OnTheMachine() Machine { return Machine{s} }

// People lists all accounts.
func (m Machine) People(ctx context.Context) ([]Account, error) {
	all, err := m.s.ledger.Store.People(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading accounts")
	}
	return all, nil
}

// SetDisabled keeps somebody from signing in, or lets them again.
func (m Machine) SetDisabled(ctx context.Context, name string, disabled bool) error {
	_, err := m.s.setDisabled(ctx, &access.Actor{}, name, disabled)
	return err
}

// SetRoles sets what somebody may do.
func (m Machine) SetRoles(ctx context.Context, name string, roles []access.Role) error {
	old, err := m.s.named(ctx, name)
	if err != nil {
		return err
	}
	changed := old
	changed.Roles = roles
	var book fault.Book
	sound(&book, &changed)
	if err := problem.From("the account", book.List()); err != nil {
		return err
	}
	_, err = m.s.changePeople(ctx, &access.Actor{}, &old, func(tx *store.Tx) error {
		if err := tx.EditPerson(&changed); err != nil {
			return err
		}
		return tx.Log("changed", store.SortPerson, changed.Name, difference(&old, &changed))
	})
	return err
}

// SetPassword sets somebody's password, and ends all that they had signed in.
func (m Machine) SetPassword(ctx context.Context, name, password string) error {
	p, err := m.s.named(ctx, name)
	if err != nil {
		return err
	}
	_, err = m.s.setPassword(ctx, &access.Actor{}, &p, password, "password set", nil)
	return err
}
