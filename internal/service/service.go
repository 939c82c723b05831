// Package service combines the parts: each of them owns its records and its use cases, and this is all of them on one
// database.
package service

import (
	"log/slog"
	"time"

	"dappertally/internal/answers"
	"dappertally/internal/audit"
	"dappertally/internal/cataloguing"
	"dappertally/internal/checklists"
	"dappertally/internal/intake"
	"dappertally/internal/ledger"
	"dappertally/internal/monitor"
	"dappertally/internal/notices"
	"dappertally/internal/people"
	"dappertally/internal/policy"
	"dappertally/internal/reports"
	"dappertally/internal/reviewing"
	"dappertally/internal/store"
	"dappertally/internal/team"
)

// Service is all parts together. Make it with New.
type Service struct {
	*ledger.Ledger
	Policy      *policy.Service
	People      *people.Service
	Cataloguing *cataloguing.Service
	Answers     *answers.Service
	Checklists  *checklists.Service
	Reviewing   *reviewing.Service
	Team        *team.Service
	Reports     *reports.Service
	Intake      *intake.Service
	Notices     *notices.Service
	Audit       *audit.Service
	Monitor     *monitor.Service
}

// New returns the service on a migrated store. now is the clock of all records; the demo's stands still on one day.
// Call Follow as well.
func New(st *store.Store, log *slog.Logger, now func() time.Time) *Service {
	return compose(ledger.New(st, log, now))
}

// Dated returns the service with a clock that stands still at a moment, for records that are imported with an earlier
// date.
func (s *Service) Dated(at time.Time) *Service { return compose(s.Ledger.Dated(at)) }

func compose(l *ledger.Ledger) *Service {
	s := &Service{Ledger: l}
	s.Policy = policy.New(l)
	s.People = people.New(l)
	s.Cataloguing = cataloguing.New(l)
	s.Answers = answers.New(l, s.Policy)
	s.Checklists = checklists.New(l)
	s.Reviewing = reviewing.New(l, s.Policy, s.People, s.Checklists, s.Answers)
	s.Team = team.New(l, s.Policy, s.People, s.Reviewing)
	s.Reports = reports.New(l, s.People, s.Answers, s.Reviewing, s.Team)
	s.Intake = intake.New(l, s.Answers, s.Checklists, s.Reports, s.Reviewing, s.Cataloguing)
	s.Notices = notices.New(l, s.People, s.Reviewing, s.Checklists, s.Team)
	s.Audit = audit.New(l, s.People)
	s.Monitor = monitor.New(l)
	return s
}
