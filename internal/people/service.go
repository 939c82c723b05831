package people

import (
	"sync/atomic"
	"time"

	"dappertally/internal/ledger"
)

// Service answers the use cases of this part. Make it with New.
type Service struct {
	ledger *ledger.Ledger
	Clock  func() time.Time // by which sessions, tokens and links end: the real one, also in the demo
	Ways   Ways             // to sign in
	begun  atomic.Bool      // somebody can sign in

	Failures atomic.Int64 // attempts to sign in that have failed since the start
}

// New makes the service on the records and the parts that it asks.
func New(l *ledger.Ledger) *Service { return &Service{ledger: l, Clock: time.Now} }
