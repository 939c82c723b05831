package e2e

import (
	"encoding/json"
	"io"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"dappertally/internal/contract"
)

// get reads an address of the service as the person who is signed in.
func (c *client) get(path string) []byte {
	c.t.Helper()
	kept := readLogin(c.t, c)
	req, err := http.NewRequest(http.MethodGet, c.server+"/api/v1"+path, nil)
	if err != nil {
		c.t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+kept.Token)
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		c.t.Fatal(err)
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != http.StatusOK {
		c.t.Fatalf("%s: %d, %v: %s", path, res.StatusCode, err, body)
	}
	return body
}

// told reads the demo over the network only, as somebody who does not know how it was made.
type told struct {
	t      *testing.T
	client *client
}

func ask[T any](d *told, path string) (v T) {
	d.t.Helper()
	if err := json.Unmarshal(d.client.get(path), &v); err != nil {
		d.t.Fatalf("%s: %v", path, err)
	}
	return v
}

type tracesView struct {
	Traces []struct {
		Criterion string
		Readings  []struct {
			Counts  bool
			Why     string
			Reading struct {
				Reviewer, Rig, Note, Replaces, Disturbance string
				Context                                    struct{ Method string }
				Adjustment                                 *struct{ Reason string }
				Repeat                                     bool
				Answer                                     struct {
					Grade *float64
					Runs  []float64
				}
			}
		}
	}
}

// traced reports whether a condition holds for one of the traces of a criterion.
func (d *told) traced(edition, criterion string, says func(i int, v tracesView) bool) bool {
	d.t.Helper()
	all := ask[tracesView](d, "/scorecards/"+edition+"/traces")
	for i, tr := range all.Traces {
		if tr.Criterion == criterion && says(i, all) {
			return true
		}
	}
	return false
}

// TestEveryStory finds every story of the demo.
func TestEveryStory(t *testing.T) {
	t.Parallel()
	d := &told{t, newClient(t, serve(t)).login("marit")}
	for story, found := range stories {
		t.Run(url.PathEscape(story), func(t *testing.T) {
			d.t = t
			if !found(d) {
				t.Error("it is not to be found")
			}
		})
	}
}

// stories maps each story to how it is found over the network.
var stories = map[string]func(*told) bool{
	"a published report with a correction that a reader led to": func(d *told) bool {
		r := ask[contract.Report](d, "/reports/spring-pensioners")
		s := ask[contract.SuggestionList](d, "/suggestions")
		return len(r.Revisions) == 2 && r.Revisions[0].Erratum != nil &&
			slices.ContainsFunc(s.Suggestions, func(x contract.Suggestion) bool {
				return x.Id == r.Revisions[0].Erratum.Suggestion && x.Subject == "report/spring-pensioners" && string(x.State) == "accepted"
			})
	},
	"a start-up time with a boot menu in it": func(d *told) bool {
		return d.traced("bramblewick/7.0/hearthside", "cold-start", func(i int, v tracesView) bool {
			for _, r := range v.Traces[i].Readings {
				if r.Counts && r.Reading.Adjustment != nil &&
					strings.Contains(r.Reading.Adjustment.Reason, "boot menu") {
					return true
				}
			}
			return false
		})
	},
	"a memory reading under a screen recorder": func(d *told) bool {
		return d.traced("kestrelby/3.1/pebbledash", "memory-idle", func(i int, v tracesView) bool {
			for _, r := range v.Traces[i].Readings {
				if !r.Counts && strings.Contains(r.Why, "screen recorder") {
					return true
				}
			}
			return false
		})
	},
	"the same memory read by two methods": func(d *told) bool {
		methods := map[string]bool{}
		d.traced("oakshott/1.8/awning", "memory-idle", func(i int, v tracesView) bool {
			for _, r := range v.Traces[i].Readings {
				methods[r.Reading.Context.Method] = methods[r.Reading.Context.Method] || r.Counts
			}
			return false
		})
		return len(methods) == 2 && methods["memory-available"] && !methods["memory-resident"]
	},
	"a line that got worse at one thing and fixed another": func(d *told) bool {
		h := ask[contract.HistoryView](d, "/lines/kestrelby/pebbledash")
		last := h.Successions[len(h.Successions)-1]
		worse, better := false, false
		for _, c := range last.Criteria {
			worse = worse || (c.Criterion == "printing" && c.Development == "worse")
			better = better || (c.Criterion == "screen-reader" && c.Development == "improved")
		}
		return worse && better && len(last.Findings.Fixed) == 1 && len(last.Findings.New) > 0 && last.Given != nil &&
			last.Given.Advice == "upgrade"
	},
	"an order that flips between the old and the new rig": func(d *told) bool {
		h := ask[contract.HeadToHeadView](d, "/head-to-head?newest=true")
		for _, f := range h.HeadToHead.DependsOnMachine {
			if f.Criterion == "photo-batch" && f.A == "driftmoor/9.3/awning" && f.B == "oakshott/1.8/awning" {
				return slices.Equal(f.Better, []string{"bench-old"}) && slices.Equal(f.Worse, []string{"bench-new"})
			}
		}
		return false
	},
	"a dead heat at the top for one audience": func(d *told) bool {
		r := ask[contract.Ranking](d, "/ranking?audience=pensioner")
		return r.Ranking[0].DeadHeat && r.Ranking[1].Rank == 1
	},
	"a winner that a small change of one weight topples": func(d *told) bool {
		v := ask[contract.TippingView](d, "/tipping?audience=pensioner&newest=true")
		for _, p := range v.Tipping.Sections {
			if (p.Up != nil && p.Up.Share-p.Share < 0.05) || (p.Down != nil && p.Share-p.Down.Share < 0.05) {
				return true
			}
		}
		return false
	},
	"a winner that nothing topples": func(d *told) bool {
		v := ask[contract.SteadinessView](d, "/steadiness?audience=classroom&newest=true&vary=both&draws=3000")
		return slices.ContainsFunc(
			v.Steadiness.Editions, func(e contract.EditionRanks) bool { return e.First > 0.999 && e.High == 1 },
		)
	},
	"unsteady runs with a re-run": func(d *told) bool {
		return d.traced("mossgate/12/hearthside", "browser-start", func(i int, v tracesView) bool {
			for _, r := range v.Traces[i].Readings {
				if r.Counts && r.Reading.Repeat && r.Reading.Replaces != "" {
					return true
				}
			}
			return false
		})
	},
	"a surprising result confirmed by a second method": func(d *told) bool {
		q := ask[contract.QualityView](d, "/quality")
		for _, s := range q.Surprises {
			if strings.Contains(s.Confirmed, "method") {
				return true
			}
		}
		return false
	},
	"a failed gate": func(d *told) bool {
		r := ask[contract.Ranking](d, "/ranking")
		return len(r.Barred) == 1 && r.Barred[0].Edition == "thistledown/2.7/pebbledash" &&
			r.Barred[0].Barred[0].Criterion == "wireless"
	},
	"untested for want of a printer": func(d *told) bool {
		c := ask[contract.ScorecardView](d, "/scorecards/driftmoor/9.3/awning")
		for _, x := range c.Scorecard.Criteria {
			if x.Key == "printing" {
				return x.State == "not-tested" && strings.Contains(x.Reason, "no printer") &&
					*c.Scorecard.High > *c.Scorecard.Low+1
			}
		}
		return false
	},
	"reviewers four grades apart, reconciled": func(d *told) bool {
		low, met := false, false
		d.traced("eiderloft/2026-04/latchwork", "adapting", func(i int, v tracesView) bool {
			for _, r := range v.Traces[i].Readings {
				g := r.Reading.Answer.Grade
				low = low || (!r.Counts && g != nil && *g == 5 && strings.Contains(r.Why, "replaced"))
				met = met || (r.Counts && strings.Contains(r.Reading.Note, "discussed"))
			}
			return false
		})
		return low && met
	},
	"a claim refuted": func(d *told) bool {
		var id string
		for _, r := range ask[contract.ReviewList](d, "/reviews?limit=1000").Reviews {
			if r.Edition == "kestrelby/3.1/pebbledash" {
				id = r.Id
			}
		}
		for _, e := range ask[contract.EntryList](d, "/reviews/"+id+"/entries").Entries {
			if e.Entry.Claim != nil && e.Entry.Claim.State == "refuted" {
				return true
			}
		}
		return false
	},
	"an installer option that said it worked and did not": func(d *told) bool {
		c := ask[contract.Comparison](
			d, "/comparison?edition=pennyfarrow/4.4/pebbledash&edition=bramblewick/7.0/hearthside",
		)
		return slices.ContainsFunc(
			c.Editions[0].Findings,
			func(f contract.Finding) bool { return f.Severity == "blocking" && f.Criterion == "options-honest" },
		)
	},
	"reviews submitted, half done and planned, one overdue": func(d *told) bool {
		states := map[string]int{}
		overdue := false
		for _, r := range ask[contract.ReviewList](d, "/reviews?limit=1000").Reviews {
			states[string(r.State)]++
			overdue = overdue || (r.State == "planned" && r.Due != "" && r.Due < "2026-11-23")
		}
		return states["submitted"] == 1 && states["underway"] == 1 && states["planned"] == 1 && overdue
	},
	"a rolling distribution due for a new look": func(d *told) bool {
		q := ask[struct {
			Items []struct {
				Subject string
				Why     []struct{ Sort string }
			}
		}](d, "/queue")
		return slices.ContainsFunc(q.Items, func(x struct {
			Subject string
			Why     []struct{ Sort string }
		}) bool {
			return strings.HasPrefix(x.Subject, "cinderfen/") || strings.HasPrefix(x.Subject, "eiderloft/")
		})
	},
	"a side-by-side test that counts in head-to-head": func(d *told) bool {
		h := ask[contract.HeadToHeadView](
			d, "/head-to-head?edition=mossgate/12/hearthside&edition=ivybeck/6.0/hearthside",
		)
		for _, m := range h.HeadToHead.Pairs[0].Criteria {
			if m.Placing != "" {
				return m.Outcome == "loss" // ivybeck is the first by key
			}
		}
		return false
	},
	"a kernel that lay behind the newest known": func(d *told) bool {
		c := ask[contract.Comparison](d, "/comparison?edition=gullhaven/5.2/hearthside&edition=oakshott/1.8/awning")
		for _, row := range c.FactRows {
			for _, cell := range row.Cells {
				if row.Criterion == "kernel" && cell.Behind != nil && cell.Behind.Versions > 0 {
					return true
				}
			}
		}
		return false
	},
	"standard shots side by side": func(d *told) bool {
		c := ask[contract.Comparison](
			d, "/comparison?edition=gullhaven/5.2/hearthside&edition=bramblewick/7.0/hearthside",
		)
		return len(c.Editions[0].Shots) > 1 && len(c.Editions[1].Shots) > 1 &&
			len(d.client.get("/files/"+c.Editions[0].Shots[0].SHA256)) > 500
	},
	"a release based on another that was reviewed": func(d *told) bool {
		c := ask[contract.Comparison](
			d, "/comparison?baseline=based-on&edition=pennyfarrow/4.4/pebbledash&edition=bramblewick/7.0/hearthside",
		)
		return c.Against["pennyfarrow/4.4/pebbledash"] == "kestrelby/3.1/pebbledash" && len(c.Without) == 1
	},
	"a lead that changed hands over three years": func(d *told) bool {
		return len(ask[contract.LeaderList](d, "/leaders").Reigns) > 5
	},
	"a version of the checklist that asks other questions": func(d *told) bool {
		h := ask[contract.HistoryView](d, "/lines/gullhaven/hearthside")
		p := h.Points[0]
		return p.Checklist == "workshop@1" && math.Abs(*p.Overall-*p.Ground) > 1
	},
	"an open proposal": func(d *told) bool {
		return strings.Contains(string(d.client.get("/proposals")), `"state":"open"`)
	},
	"enough of it": func(d *told) bool {
		readings := strings.Count(string(d.client.get("/exports/readings?form=jsonl")), "\n")
		d.t.Logf("%d readings", readings)
		return readings >= 6000 && readings <= 10000
	},
}
