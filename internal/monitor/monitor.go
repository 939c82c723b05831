// Package monitor shows administrators the state of the service: its instances, the database servers, the newest
// backup and slow requests.
package monitor

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"sync"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/build"
	"dappertally/internal/ledger"
	"dappertally/internal/store"
)

// See is the permission to see all of it.
var See = access.NewAction("see-operations", "see how the service runs", access.Administrator)

// Permissions lists the restricted actions of this part.
var Permissions = []access.Action{See}

// Report is what an instance writes about itself to the database.
type Report struct {
	Address  string    `json:"address"` // host and listening address
	Version  string    `json:"version"`
	Schema   int       `json:"schema"` // schema that the program needs
	Started  time.Time `json:"started"`
	Change   int64     `json:"change"` // the newest change that it has seen
	Behind   int64     `json:"behind"` // number of changes in the database that it had not seen
	Requests int       `json:"requests"`
	Failed   int       `json:"failed"` // requests answered with a status of 500 or more
	Slow     []Request `json:"slow,omitempty"`
}

// Request is an answered request.
type Request struct {
	At         time.Time     `json:"at"`
	Method     string        `json:"method"`
	Route      string        `json:"route"`
	Status     int           `json:"status"`
	Took       time.Duration `json:"took"`
	Database   time.Duration `json:"database"` // time of the database's work in it
	Statements int64         `json:"statements"`
	ID         string        `json:"request"` // its id in the log
}

// Instance is an instance that uses the database, with its latest report.
type Instance struct {
	Report
	ID     string
	Silent time.Duration // time since its last report
	Asked  bool          // it is the one that answers
}

// Overview is the state of the service, as one instance sees it.
type Overview struct {
	Schema     int64 // of the database
	Change     int64 // the newest of the database
	Instances  []Instance
	Nodes      []store.DatabaseNode
	LastBackup time.Time     // zero: none is known
	BackupDays int           // maximum age; 0: any
	Slow       []SlowRequest // of all instances, the newest first
}

// SlowRequest is a slow request, with the address of its instance.
type SlowRequest struct {
	Request
	Instance string
}

// The interval of reports, how long an instance is shown after its last one, from when on a request is slow, and how
// many slow requests an instance keeps.
const (
	every     = 10 * time.Second
	shownFor  = time.Minute
	SlowFrom  = time.Second
	slowKept  = 20
	perMinute = time.Minute / every
)

// Service counts requests, writes the reports and reads them. Make it with New.
type Service struct {
	Address    string // host and listening address of this instance
	BackupDays int    // maximum age of the newest backup; 0: any

	ledger  *ledger.Ledger
	id      string
	started time.Time

	mu    sync.Mutex
	turns [perMinute]turn // the last minute, the newest first
	slow  []Request       // the newest last
}

// turn is what was answered between two reports.
type turn struct{ requests, failed int }

// New returns the service on the records.
func New(l *ledger.Ledger) *Service {
	return &Service{ledger: l, id: ledger.NewID(), started: time.Now().UTC()}
}

// Answered counts a request, and keeps it if it was slow.
func (s *Service) Answered(r *Request) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.turns[0].requests++
	if r.Status >= 500 {
		s.turns[0].failed++
	}
	if r.Took < SlowFrom {
		return
	}
	if len(s.slow) == slowKept {
		s.slow = slices.Delete(s.slow, 0, 1)
	}
	s.slow = append(s.slow, *r)
}

// report returns the present report of this instance. With next, it starts counting anew.
func (s *Service) report(change int64, next bool) *Report {
	s.mu.Lock()
	defer s.mu.Unlock()
	seen := s.ledger.Seen()
	r := &Report{
		Address: s.Address, Version: build.Version(), Schema: build.Schema, Started: s.started,
		Change: seen, Behind: max(0, change-seen), Slow: slices.Clone(s.slow),
	}
	for _, t := range s.turns {
		r.Requests += t.requests
		r.Failed += t.failed
	}
	if next {
		copy(s.turns[1:], s.turns[:])
		s.turns[0] = turn{}
	}
	return r
}

// Run writes a report of this instance every few seconds, until ctx ends; then it removes the instance from the list.
func (s *Service) Run(ctx context.Context) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	for {
		if err := s.write(ctx); err != nil && ctx.Err() == nil {
			s.ledger.Log.DebugContext(ctx, "the instance's report was not written", "error", err)
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			leaving, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Second)
			defer cancel()
			_ = s.ledger.Store.EndInstance(leaving, s.id) // otherwise it leaves the list after a minute
			return
		}
	}
}

func (s *Service) write(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, every/2)
	defer cancel()
	change, err := s.ledger.LastChange(ctx)
	if err != nil {
		return err
	}
	text, err := json.Marshal(s.report(change, true))
	if err != nil {
		return err
	}
	return s.ledger.Store.PutInstance(ctx, s.id, text)
}

// Overview returns the state of the service. This instance is shown as it is; the others as of their last report.
func (s *Service) Overview(ctx context.Context, who *access.Actor) (*Overview, error) {
	if err := who.Permit(See); err != nil {
		return nil, err
	}
	st := s.ledger.Store
	o := &Overview{BackupDays: s.BackupDays}
	var err error
	failed := func(err error) (*Overview, error) { return nil, ledger.Failed(err, "reading how the service runs") }
	if o.Change, err = s.ledger.LastChange(ctx); err != nil {
		return failed(err)
	}
	if o.Schema, _, err = st.SchemaVersions(ctx); err != nil {
		return failed(err)
	}
	if o.LastBackup, err = st.LastBackup(ctx); err != nil {
		return failed(err)
	}
	known, err := st.Instances(ctx, shownFor)
	if err != nil {
		return failed(err)
	}
	own := Instance{Report: *s.report(o.Change, false), ID: s.id, Asked: true}
	for _, x := range known {
		next := Instance{ID: x.ID, Silent: x.Silent}
		if x.ID == s.id {
			continue
		}
		if err := json.Unmarshal(x.Report, &next.Report); err != nil {
			next.Report = Report{Version: "unknown"} // from a program whose reports have another format
		}
		o.Instances = append(o.Instances, next)
	}
	o.Instances = append(o.Instances, own)
	slices.SortFunc(o.Instances, func(a, b Instance) int { return cmp.Compare(a.ID, b.ID) }) // ids sort by time
	o.Nodes = st.DatabaseNodes(ctx)
	for i := range o.Instances {
		for _, r := range o.Instances[i].Slow {
			o.Slow = append(o.Slow, SlowRequest{r, o.Instances[i].Address})
		}
	}
	slices.SortFunc(o.Slow, func(a, b SlowRequest) int { return b.At.Compare(a.At) })
	return o, nil
}
