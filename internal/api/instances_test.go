package api_test

import (
	"context"
	"slices"
	"testing"
	"time"

	"dappertally/core/catalogue"
	"dappertally/internal/access"
	"dappertally/internal/people"
)

// TestInstancesSeeEachOther writes on one instance and reads on another.
func TestInstancesSeeEachOther(t *testing.T) {
	open := instances(t)
	first := open()
	writes, _, _ := start(t, first, still)
	reads, _, _ := start(t, open(), still)
	ctx := context.Background()
	account := people.Account{Name: "rosalind", Title: "Rosalind", Roles: []string{access.Reviewer}}
	if err := writes.People.FirstPerson(ctx, account, "a long enough secret"); err != nil {
		t.Fatal(err)
	}
	p, err := first.Person(ctx, "rosalind")
	if err != nil {
		t.Fatal(err)
	}
	n, err := writes.Cataloguing.AddRig(
		ctx, &access.Actor{ID: p.ID, Name: p.Name, Roles: p.Roles}, &catalogue.Rig{Key: "bench-a"},
	)
	if err != nil {
		t.Fatal(err)
	}
	began := time.Now()
	state, err := reads.State(ctx, n)
	if err != nil {
		t.Fatal(err)
	}
	if !slices.ContainsFunc(state.Catalogue.Rigs, func(r catalogue.Rig) bool { return r.Key == "bench-a" }) {
		t.Errorf("the other instance does not see the rig after change %d", n)
	}
	t.Logf("seen after %s", time.Since(began))
}
