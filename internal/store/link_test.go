package store_test

import (
	"errors"
	"testing"

	"github.com/go-sql-driver/mysql"

	"dappertally/internal/dbtest"
	"dappertally/internal/store"
)

// TestLook: a database that refuses a sign-in has answered; one without any answer counts as away until it is found.
func TestLook(t *testing.T) {
	dsn := dbtest.DSN(t)
	cfg, err := mysql.ParseDSN(dsn)
	if err != nil {
		t.Fatal(err)
	}
	cfg.Passwd += "x"
	stranger := opened(t, cfg.FormatDSN())
	var refused *mysql.MySQLError
	if err := stranger.Look(t.Context()); !errors.As(err, &refused) || stranger.Away() != nil {
		t.Errorf("refused: %v, away: %v", err, stranger.Away())
	}
	between := dbtest.Through(t, dsn)
	s := opened(t, between.DSN)
	if err := s.Ping(t.Context()); err != nil {
		t.Fatal(err)
	}
	between.Refuse(true)
	if err := s.Look(t.Context()); !errors.Is(err, store.ErrUnavailable) || s.Away() == nil {
		t.Errorf("nobody answers: %v, away: %v", err, s.Away())
	}
	if err := s.Ping(t.Context()); !errors.Is(err, store.ErrUnavailable) {
		t.Errorf("while it is away: %v", err)
	}
	between.Refuse(false)
	if err := s.Look(t.Context()); err != nil || s.Away() != nil {
		t.Errorf("found again: %v, away: %v", err, s.Away())
	}
	if err := s.Ping(t.Context()); err != nil {
		t.Errorf("afterwards: %v", err)
	}
}
