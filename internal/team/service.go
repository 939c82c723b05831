package team

import (
	"time"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/people"
	"dappertally/internal/policy"
	"dappertally/internal/reviewing"
)

// Service implements the use cases of this part. Make it with New.
type Service struct {
	ledger     *ledger.Ledger
	suggesting *access.Attempts // for sending suggestions
	policy     *policy.Service
	people     *people.Service
	reviewing  *reviewing.Service
}

// New returns the service; it uses the records and other parts.
func New(l *ledger.Ledger, policy *policy.Service, people *people.Service, reviewing *reviewing.Service) *Service {
	return &Service{l, access.NewAttempts(access.Every(time.Minute, 10)), policy, people, reviewing}
}
