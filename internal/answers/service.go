package answers

import (
	"dappertally/internal/ledger"
	"dappertally/internal/policy"
)

// Service answers the use cases of this part. Make it with New.
type Service struct {
	ledger *ledger.Ledger
	policy *policy.Service
}

// New makes the service on the records and the parts that it asks.
func New(l *ledger.Ledger, policy *policy.Service) *Service {
	return &Service{l, policy}
}
