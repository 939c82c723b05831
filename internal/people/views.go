package people

import (
	"context"
	"errors"
	"strings"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// SavedView is the address of a page that a person saved.
type SavedView = store.SavedView

// mostViews is how many views a person can save.
const mostViews = 100

var notSignedInForViews = problem.New(problem.NotSignedIn, "sign in to save views")

// SavedViews lists one's own views, by title.
func (s *Service) SavedViews(ctx context.Context, who *access.Actor) ([]SavedView, error) {
	if !who.SignedIn() {
		return nil, notSignedInForViews
	}
	views, err := s.ledger.Store.SavedViews(ctx, who.ID)
	if err != nil {
		return nil, ledger.Failed(err, "reading views")
	}
	return views, nil
}

// SaveView saves a page of the console under a title, replacing what had that title.
func (s *Service) SaveView(ctx context.Context, who *access.Actor, title, address string) (SavedView, error) {
	if !who.SignedIn() {
		return SavedView{}, notSignedInForViews
	}
	v := SavedView{
		Title:   strings.TrimSpace(title),
		Address: address,
		Created: s.ledger.Now().Truncate(time.Microsecond),
	}
	switch {
	case v.Title == "":
		return v, problem.Field("/title", "a view needs a title")
	case !strings.HasPrefix(address, "/") || strings.HasPrefix(address, "//") || strings.ContainsAny(address, "\\\r\n\t"):
		return v, problem.Field("/address", "%.70q is not a page of the console", address)
	}
	err := s.ledger.Store.SaveView(ctx, who.ID, &v, mostViews)
	if errors.Is(err, store.ErrExists) {
		return v, problem.New(problem.Conflict, "you already have %d views; delete one first", mostViews)
	}
	if err != nil {
		return v, ledger.Failed(err, "keeping a view")
	}
	return v, nil
}

// DropView removes one of one's own views.
func (s *Service) DropView(ctx context.Context, who *access.Actor, id string) error {
	if !who.SignedIn() {
		return notSignedInForViews
	}
	if err := s.ledger.Store.DropView(ctx, who.ID, id); err != nil {
		return ledger.Failed(err, "dropping a view")
	}
	return nil
}
