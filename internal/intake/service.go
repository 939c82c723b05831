package intake

import (
	"dappertally/internal/answers"
	"dappertally/internal/cataloguing"
	"dappertally/internal/checklists"
	"dappertally/internal/ledger"
	"dappertally/internal/reports"
	"dappertally/internal/reviewing"
)

// Service implements the use cases of this part. Make it with New.
type Service struct {
	ledger      *ledger.Ledger
	answers     *answers.Service
	checklists  *checklists.Service
	reports     *reports.Service
	reviewing   *reviewing.Service
	cataloguing *cataloguing.Service
}

// New returns the service; it uses the records and other parts.
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
