package people

import (
	"context"

	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Machine does what whoever has access to the service's machine can do without signing in. Requests over the network
// must never use it.
type Machine struct{ s *Service }

// OnTheMachine returns these actions.
func (s *Service) OnTheMachine() Machine { return Machine{s} }

// People lists all accounts.
func (m Machine) People(ctx context.Context) ([]Account, error) {
	return m.s.everybody(ctx)
}

// SetDisabled disables signing in for somebody, or enables it again.
func (m Machine) SetDisabled(ctx context.Context, name string, disabled bool) error {
	_, err := m.s.setDisabled(ctx, &access.Actor{}, name, disabled)
	return err
}

// SetRoles sets somebody's roles.
func (m Machine) SetRoles(ctx context.Context, name string, roles []access.Role) error {
	old, err := m.s.named(ctx, name)
	if err != nil {
		return err
	}
	changed := old
	changed.Roles = roles
	var book fault.Book
	validatePerson(&book, &changed)
	if err := problem.From("the account", book.List()); err != nil {
		return err
	}
	_, err = m.s.writeAccount(ctx, &access.Actor{}, &old, &changed)
	return err
}

// SetPassword sets somebody's password, ends all their sessions, and removes their passkeys, so that the password is
// enough.
func (m Machine) SetPassword(ctx context.Context, name, password string) error {
	p, err := m.s.named(ctx, name)
	if err != nil {
		return err
	}
	_, err = m.s.setPassword(ctx, &access.Actor{}, &p, password, "password set", func(tx *store.Tx) error {
		if err := tx.DropPasskeys(p.ID); err != nil {
			return err
		}
		return tx.WantSecond(p.ID, false)
	})
	return err
}

// Erase removes a person's names, disclosure and addresses from the records, disables the account, and erases the
// details of their entries in the audit trail. What they recorded stays, under a meaningless name.
func (m Machine) Erase(ctx context.Context, name string) (instead string, err error) {
	p, err := m.s.named(ctx, name)
	if err != nil {
		return "", err
	}
	gone := p
	gone.Name, gone.Title, gone.Roles, gone.Disclosure = "gone-"+p.ID[len(p.ID)-8:], "Somebody who left", nil, ""
	_, err = m.s.changePeople(ctx, &access.Actor{}, &p, func(tx *store.Tx) error {
		if err := tx.EditPerson(&gone); err != nil {
			return err
		}
		if err := tx.Disable(p.ID); err != nil {
			return err
		}
		if err := tx.ForgetPerson(p.ID, p.Name, gone.Name); err != nil {
			return err
		}
		if err := tx.Log("erased", store.SortPerson, gone.Name, ""); err != nil {
			return err
		}
		return tx.EraseFromAudit(p.ID)
	})
	return gone.Name, err
}
