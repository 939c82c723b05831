package policy

import "dappertally/internal/ledger"

// Service implements the use cases of this part. Make it with New.
type Service struct {
	ledger *ledger.Ledger
}

// New returns the service; it uses the records and other parts.
func New(l *ledger.Ledger) *Service {
	return &Service{l}
}
