package intake

import (
	"dappertally/internal/answers"
	"dappertally/internal/cataloguing"
	"dappertally/internal/checklists"
	"dappertally/internal/ledger"
	"dappertally/internal/reports"
	"dappertally/internal/reviewing"
)

// Service answers the use cases of this part. Make it with New.
type Service struct {
	ledger      *ledger.Ledger
	answers     *answers.Service
	checklists  *checklists.Service
	reports     *reports.Service
	reviewing   *reviewing.Service
	cataloguing *cataloguing.Service
}

// New makes the service on the records and the parts that it asks.
func New(
	l *ledger.Ledger,
	answers *answers.Service,
	checklists *checklists.Service,
	reports *reports.Service,
	reviewing *reviewing.Service,
	cataloguing *cataloguing.Service,
) *Service {
	return &Service{l, answers, checklists, reports, reviewing, cataloguing}
}
