package answers

import (
	"dappertally/internal/ledger"
	"dappertally/internal/policy"
)

// Service implements the use cases of this part. Make it with New.
type Service struct {
	ledger *ledger.Ledger
	policy *policy.Service
}

// New returns the service; it uses the records and other parts.
func New(l *ledger.Ledger, policy *policy.Service) *Service {
	return &Service{l, policy}
}
