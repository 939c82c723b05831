package store_test

import (
	"context"
	"errors"
	"sync"
	"testing"

	"dappertally/internal/dbtest"
	"dappertally/internal/store"
)

// TestRequestsAtOnce has many people request the same review at once, again and again: there is one request each time,
// with every requester.
func TestRequestsAtOnce(t *testing.T) {
	s := dbtest.Open(t)
	const people = 20
	for _, subject := range []string{"mossgate/12", "gullhaven/5.2", "kestrelby/3.1", "ivybeck/5.4"} {
		var wg sync.WaitGroup
		errs := make([]error, people)
		for i := range people {
			wg.Go(func() {
				_, errs[i] = s.Write(context.Background(), "", now, func(tx *store.Tx) error {
					id, err := tx.OpenRequest(subject)
					if errors.Is(err, store.ErrNotFound) {
						id, err = tx.AddRequest(subject)
					}
					if err != nil {
						return err
					}
					if err := tx.AddRequester(id, "", true); err != nil {
						return err
					}
					return tx.Log("asked", store.SortQueue, subject, "")
				})
			})
		}
		wg.Wait()
		for i, err := range errs {
			if err != nil {
				t.Errorf("%s, person %d: %v", subject, i, err)
			}
		}
		requests, err := s.Requests(context.Background())
		if err != nil {
			t.Fatal(err)
		}
		found, requesters := 0, 0
		for _, r := range requests {
			if r.Subject == subject {
				found, requesters = found+1, requesters+len(r.RequestedBy)
			}
		}
		if found != 1 || requesters != people {
			t.Errorf("%s: %d requests with %d requesters, want 1 with %d", subject, found, requesters, people)
		}
	}
}
