package ledger_test

import (
	"errors"
	"log/slog"
	"testing"
	"time"

	"dappertally/internal/dbtest"
	"dappertally/internal/problem"
	"dappertally/internal/service"
)

func TestReadyTellsWhyNot(t *testing.T) {
	s := service.New(dbtest.Open(t), slog.New(slog.DiscardHandler), time.Now)
	var e *problem.Error
	if err := s.Ready(t.Context()); !errors.As(err, &e) || e.Kind != problem.Unavailable {
		t.Errorf("before it has read its records: %v", err)
	}
}
