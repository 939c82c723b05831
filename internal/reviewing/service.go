package reviewing

import (
	"dappertally/internal/answers"
	"dappertally/internal/checklists"
	"dappertally/internal/ledger"
	"dappertally/internal/people"
	"dappertally/internal/policy"
)

// Service answers the use cases of this part. Make it with New.
type Service struct {
	ledger     *ledger.Ledger
	policy     *policy.Service
	people     *people.Service
	checklists *checklists.Service
	answers    *answers.Service
}

// New makes the service on the records and the parts that it asks.
func New(
	l *ledger.Ledger,
	policy *policy.Service,
	people *people.Service,
	checklists *checklists.Service,
	answers *answers.Service,
) *Service {
	return &Service{l, policy, people, checklists, answers}
}
