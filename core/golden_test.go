package core_test

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/quality"
	"dappertally/core/ranking"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

type goldenCase struct {
	Options struct {
		Audience   string
		At         *time.Time
		RigWeights map[string]float64
		CommonRigs bool
	}
	Scorecards   any
	Ranking      any
	Comparison   any
	Quality      any
	Records      any
	HeadToHead   any
	Explain      any
	Tipping      any
	CommonGround any
	Effect       any
}

// TestGolden compares scorecards and rankings with the results of an independent implementation of the same rules.
func TestGolden(t *testing.T) {
	files, _ := filepath.Glob("testdata/golden/*.bundle.json")
	if len(files) == 0 {
		t.Fatal("no golden cases")
	}
	for _, file := range files {
		name := strings.TrimSuffix(filepath.Base(file), ".bundle.json")
		b := parse(t, file)
		var cases []goldenCase
		load(t, strings.Replace(file, ".bundle.", ".expected.", 1), &cases)
		for i, g := range cases {
			t.Run(fmt.Sprintf("%s/%d", name, i), func(t *testing.T) {
				opts := scoring.Options{
					Audience:   g.Options.Audience,
					At:         g.Options.At,
					RigWeights: g.Options.RigWeights,
					CommonRigs: g.Options.CommonRigs,
				}
				newest, err := scoring.Newest(b.Checklists, "")
				if err != nil {
					t.Fatal(err)
				}
				audience, ok := newest.Audience(opts.Audience)
				if !ok {
					t.Fatalf("no audience %q", opts.Audience)
				}
				table := scoring.Tabulate(b.Input(newest), opts)
				agree(t, "scorecards", g.Scorecards, generic(t, table.Scorecards(audience)))
				r, err := ranking.Rank(table.Columns(), audience, ranking.By{})
				if err != nil {
					t.Fatal(err)
				}
				agree(t, "ranking", g.Ranking, generic(t, r))
				if g.Comparison == nil {
					return
				}
				c, err := comparing.Compare(table, table.Editions[0], nil)
				if err != nil {
					t.Fatal(err)
				}
				agree(t, "comparison", g.Comparison, generic(t, c))
				agree(t, "head-to-head", g.HeadToHead, generic(t, comparing.MatchUp(table, nil, nil)))
				cards := table.Scorecards(audience)
				if g.Explain != nil {
					a, b := card(t, cards, r.Ranking[0].Edition), card(t, cards, r.Ranking[1].Edition)
					e, err := ranking.Explain(newest, a, b, &r)
					if err != nil {
						t.Fatal(err)
					}
					agree(t, "explain", g.Explain, generic(t, e))
				}
				if g.Tipping != nil {
					points, err := ranking.TippingPoints(table.Columns(), audience, &r)
					if err != nil {
						t.Fatal(err)
					}
					agree(t, "tipping", g.Tipping, generic(t, points))
				}
				agree(t, "records", g.Records, generic(t, comparing.RecordsOf(b.Checklists, b.Input(newest), opts.At)))
				agree(t, "quality", g.Quality, generic(t, quality.Of(table, quality.LinesOf(b.Distributions))))
				if g.CommonGround != nil {
					older, err := scoring.Newest(b.Checklists, "desk@1")
					if err != nil {
						t.Fatal(err)
					}
					ground, err := comparing.CommonGround(b.Input(newest), older, newest, opts)
					if err != nil {
						t.Fatal(err)
					}
					agree(t, "common ground", g.CommonGround, generic(t, ground))
				}
				if g.Effect != nil {
					var proposed checklist.Checklist
					load(t, strings.Replace(file, ".bundle.", ".proposed.", 1), &proposed)
					effect, err := ranking.EffectOf(b.Input(newest), &proposed, opts)
					if err != nil {
						t.Fatal(err)
					}
					agree(t, "effect", g.Effect, generic(t, effect))
				}
			})
		}
	}
}

// agree checks that got contains everything in want: numbers to 1e-9, all else exactly. got can have more keys.
func agree(t *testing.T, at string, want, got any) {
	t.Helper()
	switch w := want.(type) {
	case map[string]any:
		g, ok := got.(map[string]any)
		if !ok {
			t.Errorf("%s: want an object, got %v", at, got)
			return
		}
		for k := range w {
			agree(t, at+"/"+k, w[k], g[k])
		}
	case []any:
		g, _ := got.([]any)
		if len(g) != len(w) {
			t.Errorf("%s: want %d entries, got %d", at, len(w), len(g))
			return
		}
		for i := range w {
			agree(t, fmt.Sprintf("%s/%d", at, i), w[i], g[i])
		}
	case float64:
		g, ok := got.(float64)
		if !ok || math.Abs(g-w) > 1e-9*max(1, math.Abs(w)) {
			t.Errorf("%s: want %v, got %v", at, w, got)
		}
	default:
		if want != got {
			t.Errorf("%s: want %v, got %v", at, want, got)
		}
	}
}

func parse(t *testing.T, file string) *bundle.Bundle {
	t.Helper()
	f, err := os.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	b, err := bundle.Parse(f, 64<<20)
	if err != nil {
		t.Fatalf("%s: %v", file, err)
	}
	return b
}

func load(t *testing.T, file string, into any) {
	t.Helper()
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal(data, into); err != nil {
		t.Fatal(err)
	}
}

func generic(t *testing.T, v any) (out any) {
	t.Helper()
	data, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal(data, &out); err != nil {
		t.Fatal(err)
	}
	return out
}

// TestGoldenFrames compares the summaries of frame times with independent results.
func TestGoldenFrames(t *testing.T) {
	data, err := os.ReadFile("testdata/golden/frames.csv")
	if err != nil {
		t.Fatal(err)
	}
	var times []float64
	for _, line := range strings.Fields(string(data))[1:] {
		_, text, _ := strings.Cut(line, ",")
		ms, err := strconv.ParseFloat(text, 64)
		if err != nil {
			t.Fatal(err)
		}
		times = append(times, ms)
	}
	frames, err := reading.SumFrames(slices.Values(times))
	if err != nil {
		t.Fatal(err)
	}
	var want any
	load(t, "testdata/golden/frames.expected.json", &want)
	agree(t, "frames", want, generic(t, frames))
}

func card(t *testing.T, cards []scoring.Scorecard, edition string) *scoring.Scorecard {
	t.Helper()
	i := slices.IndexFunc(cards, func(c scoring.Scorecard) bool { return c.Edition == edition })
	if i < 0 {
		t.Fatalf("no scorecard of %s", edition)
	}
	return &cards[i]
}

// TestGoldenSteadiness compares the shares of 20,000 draws with those of 200,000 from an independent implementation:
// each within the tolerance, percentiles within 1.
func TestGoldenSteadiness(t *testing.T) {
	files, _ := filepath.Glob("testdata/golden/*.steadiness.json")
	if len(files) == 0 {
		t.Fatal("no golden cases")
	}
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".steadiness.json"), func(t *testing.T) {
			var want struct {
				ranking.Steadiness
				Tolerance float64
			}
			load(t, file, &want)
			b := parse(t, strings.Replace(file, ".steadiness.", ".bundle.", 1))
			newest, err := scoring.Newest(b.Checklists, "")
			if err != nil {
				t.Fatal(err)
			}
			table := scoring.Tabulate(b.Input(newest), scoring.Options{})
			r, err := ranking.Rank(table.Columns(), checklist.Audience{}, ranking.By{})
			if err != nil {
				t.Fatal(err)
			}
			got, err := ranking.Vary(
				t.Context(),
				table,
				checklist.Audience{},
				&r,
				ranking.Variation{Draws: 20_000, Seed: 7, Kappa: want.Kappa, Vary: want.Vary},
			)
			if err != nil {
				t.Fatal(err)
			}
			if len(got.Editions) != len(want.Editions) || (got.Beats == nil) != (want.Beats == nil) {
				t.Fatalf(
					"%d editions, pairs %t; want %d, %t",
					len(got.Editions),
					got.Beats != nil,
					len(want.Editions),
					want.Beats != nil,
				)
			}
			for i, w := range want.Editions {
				g := got.Editions[i]
				if g.Edition != w.Edition || math.Abs(float64(g.Low-w.Low)) > 1 ||
					math.Abs(float64(g.High-w.High)) > 1 ||
					math.Abs(g.First-w.First) > want.Tolerance {
					t.Errorf(
						"%s: %d to %d, first %v; want %s %d to %d, %v",
						g.Edition,
						g.Low,
						g.High,
						g.First,
						w.Edition,
						w.Low,
						w.High,
						w.First,
					)
				}
				for rank := range w.Ranks {
					if math.Abs(g.Ranks[rank]-w.Ranks[rank]) > want.Tolerance {
						t.Errorf("%s rank %d: %v, want %v", g.Edition, rank+1, g.Ranks[rank], w.Ranks[rank])
					}
				}
				for j := range want.Beats {
					if x := want.Beats[i][j]; x != nil && math.Abs(*got.Beats[i][j]-*x) > want.Tolerance {
						t.Errorf("%s against %d: %v, want %v", g.Edition, j, *got.Beats[i][j], *x)
					}
				}
			}
		})
	}
}
