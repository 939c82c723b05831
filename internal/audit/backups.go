package audit

import (
	"context"
	"time"

	"dappertally/internal/ledger"
)

// LastBackup is when the newest backup was made that the trail knows of; zero if there is none.
func (s *Service) LastBackup(ctx context.Context) (time.Time, error) {
	at, err := s.ledger.Store.LastBackup(ctx)
	if err != nil {
		return at, ledger.Failed(err, "reading the audit trail")
	}
	return at, nil
}
