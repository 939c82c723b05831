package reports

import (
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/people"
	"dappertally/internal/reviewing"
	"dappertally/internal/team"
)

// Service answers the use cases of this part. Make it with New.
type Service struct {
	ledger    *ledger.Ledger
	people    *people.Service
	answers   *answers.Service
	reviewing *reviewing.Service
	team      *team.Service
}

// New makes the service on the records and the parts that it asks.
func New(
	l *ledger.Ledger,
	people *people.Service,
	answers *answers.Service,
	reviewing *reviewing.Service,
	team *team.Service,
) *Service {
	return &Service{l, people, answers, reviewing, team}
}
