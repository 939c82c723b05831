package people

import (
	"time"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
)

// Service answers the use cases of this part. Make it with New.
type Service struct {
	ledger   *ledger.Ledger
	attempts *access.Attempts // to sign in
}

// New makes the service on the records and the parts that it asks.
func New(l *ledger.Ledger) *Service {
	return &Service{l, access.NewAttempts(access.Every(6*time.Second, 10))}
}
