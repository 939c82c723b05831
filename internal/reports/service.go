package reports

import (
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/people"
	"dappertally/internal/reviewing"
	"dappertally/internal/team"
)

// Service implements the use cases of this part. Make it with New.
type Service struct {
	ledger    *ledger.Ledger
	people    *people.Service
	answers   *answers.Service
	reviewing *reviewing.Service
	team      *team.Service
}

// New returns the service; it uses the records and other parts.
func New(
	l *ledger.Ledger,
	people *people.Service,
	answers *answers.Service,
	reviewing *reviewing.Service,
	team *team.Service,
) *Service {
	return &Service{l, people, answers, reviewing, team}
}
