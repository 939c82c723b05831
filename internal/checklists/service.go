package checklists

import "dappertally/internal/ledger"

// Service answers the use cases of this part. Make it with New.
type Service struct {
	ledger *ledger.Ledger
}

// New makes the service on the records and the parts that it asks.
func New(l *ledger.Ledger) *Service {
	return &Service{l}
}
