package ranking

import (
	"math/rand/v2"
	"reflect"
	"testing"

	"dappertally/core/checklist"
)

// A sparse steadiness has the same content as the whole one.
func TestSparse(t *testing.T) {
	table, r := noisy(1)
	how := Variation{Draws: 3000, Seed: 5, Vary: VaryBoth}
	whole, err := Vary(t.Context(), table, checklist.Audience{}, &r, how)
	if err != nil {
		t.Fatal(err)
	}
	sparse, err := VaryColumns(t.Context(), table.Columns(), table.Varied, checklist.Audience{}, &r, how)
	if err != nil {
		t.Fatal(err)
	}
	if want := whole.Sparse(); !reflect.DeepEqual(sparse, want) {
		t.Errorf("%+v, want %+v", sparse, want)
	}
	e := sparse.Editions[0]
	if kept := e.AtLeast(e.Shares[0].Share + 1e-9); len(kept.Shares) >= len(e.Shares) || len(e.Shares) == 0 {
		t.Errorf("of %v at least more than its first share: %v", e.Shares, kept.Shares)
	}
	if none := e.AtLeast(2); none.Shares == nil || len(none.Shares) != 0 || none.Low != e.Low {
		t.Errorf("of no share: %+v", none)
	}
}

// A window keeps every count, wherever it comes.
func TestWindow(t *testing.T) {
	const limit = 400
	random := rand.New(rand.NewPCG(1, 2))
	for range 50 {
		var w window
		want := make([]int64, limit)
		for range random.IntN(300) {
			at, parts := random.IntN(limit), random.Int64N(9)
			w.add(at, parts, limit)
			want[at] += parts
		}
		got := make([]int64, limit)
		copy(got[w.from:], w.counts)
		if !reflect.DeepEqual(got, want) || w.from+len(w.counts) > limit {
			t.Fatalf("window %+v, want %v", w, want)
		}
	}
}
