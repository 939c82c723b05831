// Package people manages accounts and signing in.
package people

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Account is a person who can sign in.
type Account = store.Person

// People lists the team.
func (s *Service) People(ctx context.Context, who *access.Actor) ([]store.Person, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return nil, err
	}
	return s.everybody(ctx)
}

func (s *Service) everybody(ctx context.Context) ([]store.Person, error) {
	all, err := s.ledger.Store.People(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading accounts")
	}
	return all, nil
}

// Person finds one of the team by name.
func (s *Service) Person(ctx context.Context, who *access.Actor, name string) (store.Person, error) {
	if err := who.Permit(access.SeeWork); err != nil && who.Name != name {
		return store.Person{}, err
	}
	return s.named(ctx, name)
}

func (s *Service) named(ctx context.Context, name string) (store.Person, error) {
	p, err := s.ledger.Store.Person(ctx, name)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return p, problem.New(problem.NotFound, "there is no account %q", name)
	case err != nil:
		return p, ledger.Failed(err, "reading accounts")
	}
	return p, nil
}

// AddPerson adds an account. Without a password they can sign in once they have chosen one through a link.
func (s *Service) AddPerson(ctx context.Context, who *access.Actor, p store.Person, password string) (int64, error) {
	if err := who.Permit(ManagePeople); err != nil {
		return 0, err
	}
	return s.addPerson(ctx, who, p, password)
}

// FirstPerson adds an account for whoever has access to the service's machine.
func (s *Service) FirstPerson(ctx context.Context, p store.Person, password string) error {
	_, err := s.addPerson(ctx, &access.Actor{}, p, password)
	return err
}

func (s *Service) addPerson(ctx context.Context, who *access.Actor, p store.Person, password string) (int64, error) {
	var book fault.Book
	checklist.NoteKey(&book, "name", p.Name)
	validatePerson(&book, &p)
	if password != "" {
		validatePassword(&book, password, &p)
	}
	if err := problem.From("the account", book.List()); err != nil {
		return 0, err
	}
	if password != "" {
		hash, err := hashed(ctx, password)
		if err != nil {
			return 0, err
		}
		p.Password = hash
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddPerson(&p); err != nil {
			return ledger.Exists(err, "an account %q exists already", p.Name)
		}
		return tx.Log("added", store.SortPerson, p.Name, strings.Join(p.Roles, ", "))
	})
}

// validatePerson checks the fields of an account, and sorts its roles.
func validatePerson(book *fault.Book, p *store.Person) {
	if p.Title = strings.TrimSpace(p.Title); p.Title == "" {
		book.Field("title", "must be the display name")
	}
	for _, r := range p.Roles {
		if !slices.Contains(access.Roles, r) {
			book.Field("roles", "%q is not a role: reviewer, lead or administrator", r)
		}
	}
	p.Roles = inOrder(p.Roles)
}

// EditPerson changes an account: an administrator all of it, everybody else only their own shown name and disclosure.
func (s *Service) EditPerson(
	ctx context.Context, who *access.Actor, name string, v ledger.Version, changed store.Person,
) (int64, error) {
	old, err := s.Person(ctx, who, name)
	if err != nil {
		return 0, err
	}
	if old.ID != who.ID {
		if err := who.Permit(ManagePeople); err != nil {
			return 0, err
		}
	}
	if _, err := ledger.Based(map[string]store.Ref{name: {ID: old.ID, Revision: old.Revision}}, name, v); err != nil {
		return 0, err
	}
	var book fault.Book
	if changed.Name != old.Name {
		checklist.NoteKey(&book, "name", changed.Name)
	}
	validatePerson(&book, &changed)
	if err := problem.From("the account", book.List()); err != nil {
		return 0, err
	}
	if changed.Name != old.Name || !slices.Equal(changed.Roles, inOrder(old.Roles)) {
		if err := who.Permit(ManagePeople); err != nil {
			return 0, err
		}
	}
	return s.writeAccount(ctx, who, &old, &changed)
}

// writeAccount replaces the fields of an account.
func (s *Service) writeAccount(ctx context.Context, who *access.Actor, old, changed *store.Person) (int64, error) {
	changed.ID, changed.Revision = old.ID, old.Revision
	return s.changePeople(ctx, who, old, func(tx *store.Tx) error {
		if err := tx.EditPerson(changed); err != nil {
			return ledger.Exists(err, "an account %q exists already", changed.Name)
		}
		return tx.Log("changed", store.SortPerson, changed.Name, "")
	})
}

func inOrder(roles []access.Role) []access.Role {
	return slices.DeleteFunc(slices.Clone(access.Roles), func(r access.Role) bool { return !slices.Contains(roles, r) })
}

// SetDisabled disables signing in for somebody, immediately, or enables it again. What they recorded stays.
func (s *Service) SetDisabled(ctx context.Context, who *access.Actor, name string, disabled bool) (int64, error) {
	if err := who.Permit(ManagePeople); err != nil {
		return 0, err
	}
	return s.setDisabled(ctx, who, name, disabled)
}

func (s *Service) setDisabled(ctx context.Context, who *access.Actor, name string, disabled bool) (int64, error) {
	p, err := s.named(ctx, name)
	if err != nil {
		return 0, err
	}
	if disabled != p.Disabled.IsZero() {
		return 0, nil // it is already so
	}
	if p.ID == who.ID {
		return 0, problem.New(problem.Conflict, "you cannot disable your own account; another administrator can")
	}
	return s.changePeople(ctx, who, &p, func(tx *store.Tx) error {
		do, done := tx.Enable, "enabled"
		if disabled {
			do, done = tx.Disable, "disabled"
		}
		if err := do(p.ID); err != nil {
			return err
		}
		return tx.Log(done, store.SortPerson, p.Name, "")
	})
}

// changePeople makes a change that may remove an administrator, and refuses it if none would be left.
func (s *Service) changePeople(
	ctx context.Context, who *access.Actor, p *store.Person, do func(*store.Tx) error,
) (int64, error) {
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		before, err := tx.Administrators()
		if err != nil {
			return err
		}
		if err := do(tx); err != nil {
			return err
		}
		after, err := tx.Administrators()
		if err != nil {
			return err
		}
		if before > 0 && after == 0 {
			return problem.New(problem.Conflict,
				"%s is the last administrator who can sign in; make somebody else an administrator first", p.Name)
		}
		return nil
	})
}

// Reviewer returns the id of a reviewer; empty for nobody.
func (s *Service) Reviewer(ctx context.Context, name string, book *fault.Book) string {
	if name == "" {
		return ""
	}
	p, err := s.ledger.Store.Person(ctx, name)
	switch {
	case err != nil || !slices.Contains(p.Roles, access.Reviewer):
		book.Field("assigned", "there is no reviewer %q", name)
	case !p.Disabled.IsZero():
		book.Field("assigned", "the account %q is disabled", name)
	}
	return p.ID
}

// Titles returns the shown names of people, by name, in the order of accounts.
func (s *Service) Titles(ctx context.Context, wanted map[string]bool) ([]string, error) {
	all, err := s.everybody(ctx)
	if err != nil {
		return nil, err
	}
	var titles []string
	for _, p := range all {
		if wanted[p.Name] {
			titles = append(titles, cmp.Or(p.Title, p.Name))
		}
	}
	return titles, nil
}

// IDs are the ids of all accounts by name.
func IDs(tx *store.Tx) (map[string]string, error) { return tx.PeopleIDs() }

// IDs returns the ids of all accounts by name. The caller decides who can see which.
func (s *Service) IDs(ctx context.Context) (map[string]string, error) {
	people, err := s.everybody(ctx)
	if err != nil {
		return nil, err
	}
	ids := make(map[string]string, len(people))
	for _, p := range people {
		ids[p.Name] = p.ID
	}
	return ids, nil
}
