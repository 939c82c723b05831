package reviewing

import (
	"dappertally/internal/answers"
	"dappertally/internal/checklists"
	"dappertally/internal/ledger"
	"dappertally/internal/people"
	"dappertally/internal/policy"
)

// Service implements the use cases of this part. Make it with New.
type Service struct {
	ledger     *ledger.Ledger
	policy     *policy.Service
	people     *people.Service
	checklists *checklists.Service
	answers    *answers.Service
}

// New returns the service; it uses the records and other parts.
func New(
	l *ledger.Ledger,
	policy *policy.Service,
	people *people.Service,
	checklists *checklists.Service,
	answers *answers.Service,
) *Service {
	return &Service{l, policy, people, checklists, answers}
}
