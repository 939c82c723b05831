package people

import (
	"sync/atomic"
	"time"

	"dappertally/internal/ledger"
)

// Service implements the use cases of this part. Make it with New.
type Service struct {
	ledger *ledger.Ledger
	Clock  func() time.Time // for the expiry of sessions, tokens and links: the real time, also in the demo
	Ways   Ways             // to sign in
	begun  atomic.Bool      // somebody can sign in

	Failures atomic.Int64 // attempts to sign in that have failed since the start
}

// New returns the service; it uses the records and other parts.
func New(l *ledger.Ledger) *Service { return &Service{ledger: l, Clock: time.Now} }
