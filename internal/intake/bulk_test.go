package intake_test

import (
	"bytes"
	"context"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"dappertally/core/bundle"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/demo"
	"dappertally/internal/service"
	"dappertally/internal/servicetest"
)

// TestBulk: a bulk import has the same result as other imports, in one transaction or in several.
func TestBulk(t *testing.T) {
	const editions = 50
	whole := func(s *service.Service) []byte {
		t.Helper()
		if err := s.Board.Refresh(t.Context()); err != nil {
			t.Fatal(err)
		}
		b := bundled(t, s, &access.Actor{})
		// Entries that the demo adds after the import have new ids each time.
		b.Reviews = slices.DeleteFunc(
			b.Reviews, func(r reading.Review) bool { return !strings.HasPrefix(r.Edition, "crowd-") },
		)
		var out bytes.Buffer
		if err := bundle.Write(&out, b); err != nil {
			t.Fatal(err)
		}
		return out.Bytes()
	}
	ordinary := servicetest.Empty(t)
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	if _, err := demo.LoadCrowded(ctx, ordinary, editions); err != nil {
		t.Fatal(err)
	}
	bulk := servicetest.Empty(t)
	if _, err := demo.Load(ctx, bulk); err != nil {
		t.Fatal(err)
	}
	if err := bulk.Board.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	crowd, err := demo.Crowd(editions, false)
	if err != nil {
		t.Fatal(err)
	}
	var readings atomic.Int64
	if err := bulk.Intake.Bulk(ctx, crowd, 2, func(n int) { readings.Add(int64(n)) }); err != nil {
		t.Fatal(err)
	}
	if readings.Load() < 50*editions {
		t.Errorf("%d readings were written", readings.Load())
	}
	pieces, marit, _ := servicetest.Loaded(t)
	there := bundled(t, pieces, marit)
	one := bundle.Bundle{Rigs: there.Rigs, Checklists: there.Checklists}
	if crowd, err = demo.Crowd(editions, false); err != nil {
		t.Fatal(err)
	}
	for b := range crowd {
		one.Distributions = append(one.Distributions, b.Distributions...)
		one.Reviews = append(one.Reviews, b.Reviews...)
	}
	if done, err := pieces.Intake.ImportBundle(ctx, marit, &one, false, (&heard{}).watch()); err != nil || !done.Written {
		t.Fatalf("%+v, %v", done, err)
	}
	want := whole(ordinary)
	for i, s := range []*service.Service{bulk, pieces} {
		got, at := whole(s), 0
		for at < min(len(got), len(want)) && got[at] == want[at] {
			at++
		}
		if at < max(len(got), len(want)) {
			t.Errorf("%d: %d bytes, and %d: …%.200s and …%.200s", i, len(got), len(want), got[at:], want[at:])
		}
	}
}
