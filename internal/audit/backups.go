package audit

import (
	"context"
	"time"

	"dappertally/internal/ledger"
)

// LastBackup returns when the newest backup in the trail was made; zero if there is none.
func (s *Service) LastBackup(ctx context.Context) (time.Time, error) {
	at, err := s.ledger.Store.LastBackup(ctx)
	if err != nil {
		return at, ledger.Failed(err, "reading the audit trail")
	}
	return at, nil
}
