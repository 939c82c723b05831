package api_test

import (
	"context"
	"testing"
	"time"

	"dappertally/internal/service"

	"dappertally/core/catalogue"
)

// TestInstancesSeeEachOther writes on one instance and reads on another.
func TestInstancesSeeEachOther(t *testing.T) {
	open := instances(t)
	first := open()
	writes, _ := start(t, first)
	reads, _ := start(t, open())
	ctx := context.Background()
	if err := writes.FirstPerson(ctx, service.Account{Name: "ines", Title: "Ines", Roles: []string{service.Reviewer}}, "long enough"); err != nil {
		t.Fatal(err)
	}
	p, err := first.Person(ctx, "ines")
	if err != nil {
		t.Fatal(err)
	}
	n, err := writes.AddRig(ctx, &service.Actor{ID: p.ID, Name: "ines", Roles: p.Roles}, &catalogue.Rig{Key: "bench-a"})
	if err != nil {
		t.Fatal(err)
	}
	began := time.Now()
	state, err := reads.State(ctx, n)
	if err != nil {
		t.Fatal(err)
	}
	if len(state.Catalogue.Rigs) != 1 {
		t.Errorf("the other instance sees %d rigs after change %d", len(state.Catalogue.Rigs), n)
	}
	t.Logf("seen after %s", time.Since(began))
}
