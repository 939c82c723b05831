package api_test

import (
	"cmp"
	"math"
	"slices"
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/ranking"
)

type proposal struct {
	ID, State, Decision, DecidedBy string
	Comments                       []struct{ Person, Text string }
}

func (w *world) propose(status int, who string, edits ...checklist.Edit) proposal {
	w.t.Helper()
	r := w.must(
		status,
		who,
		"POST",
		"/api/v1/proposals",
		map[string]any{"title": "Less", "reason": "It is too long.", "edits": edits},
	)
	var p proposal
	if status == 201 {
		r.into(w.t, &p)
	}
	return p
}

func (w *world) decide(status int, who, id, state, reason string) *reply {
	w.t.Helper()
	tag := w.must(200, "marit", "GET", "/api/v1/proposals/"+id, nil).header.Get("ETag")
	return w.must(
		status,
		who,
		"PATCH",
		"/api/v1/proposals/"+id,
		map[string]string{"state": state, "reason": reason},
		"If-Match",
		tag,
	)
}

func number(x float64) *float64 { return &x }

func TestLifeOfAProposal(t *testing.T) {
	w := newWorld(t, true)
	drop := checklist.Edit{Drop: "image-size"}
	w.propose(401, "", drop)
	w.propose(403, "perrin", drop)
	w.propose(422, "ines", checklist.Edit{Drop: "luck"})
	w.propose(422, "ines")
	w.propose(422, "ines", checklist.Edit{Section: "performance", Weight: number(25)}) // changes nothing
	p := w.propose(201, "ines", drop)
	w.must(401, "", "GET", "/api/v1/proposals/"+p.ID, nil)
	w.must(201, "tomas", "POST", "/api/v1/proposals/"+p.ID+"/comments", map[string]string{"text": "Keep it."})
	w.must(422, "tomas", "POST", "/api/v1/proposals/"+p.ID+"/comments", map[string]string{"text": "  "})

	w.decide(403, "tomas", p.ID, "accepted", "")
	w.decide(403, "tomas", p.ID, "withdrawn", "")
	w.decide(422, "marit", p.ID, "declined", " ")
	w.decide(200, "marit", p.ID, "accepted", "agreed")
	w.decide(409, "marit", p.ID, "declined", "on second thoughts")
	w.must(200, "ines", "GET", "/api/v1/proposals/"+p.ID, nil).into(t, &p)
	if p.State != "accepted" || p.DecidedBy != "marit" || p.Decision != "agreed" || len(p.Comments) != 1 ||
		p.Comments[0].Person != "tomas" {
		t.Errorf("decided: %+v", p)
	}
	draft, _ := w.list("workshop@3")
	if _, there := draft.Criterion("image-size"); there || draft.State != checklist.Draft {
		t.Error("the draft of the next version does not have the change")
	}

	// Changes that the draft already has are not undone by a proposal made for the list in force.
	base, _ := w.list("workshop@2")
	size, _ := base.Criterion("image-size")
	heavier := *size
	heavier.Weight = 3
	clash := w.propose(201, "tomas", checklist.Edit{Section: "installation", Criterion: &heavier})
	if r := w.decide(409, "marit", clash.ID, "accepted", ""); !strings.Contains(string(r.body), "image-size") {
		t.Errorf("the clash is not named: %s", r.body)
	}
	w.decide(200, "tomas", clash.ID, "withdrawn", "")
	fits := w.propose(201, "tomas", checklist.Edit{Section: "performance", Weight: number(31)})
	w.decide(200, "marit", fits.ID, "accepted", "")
	if draft, _ = w.list("workshop@3"); draft.Sections[1].Weight != 31 {
		t.Errorf("performance weighs %v in the draft", draft.Sections[1].Weight)
	}
}

func TestEditProposal(t *testing.T) {
	w := newWorld(t, true)
	p := w.propose(201, "ines", checklist.Edit{Drop: "image-size"})
	at := "/api/v1/proposals/" + p.ID
	tag := w.must(200, "ines", "GET", at, nil).header.Get("ETag")
	changed := map[string]any{
		"title":  "More",
		"reason": "Both.",
		"edits":  []checklist.Edit{{Drop: "image-size"}, {Drop: "kernel"}},
	}
	w.must(403, "marit", "PUT", at, changed, "If-Match", tag)
	w.must(428, "ines", "PUT", at, changed)
	w.must(200, "ines", "PUT", at, changed, "If-Match", tag)
	w.must(412, "ines", "PUT", at, changed, "If-Match", tag)
}

// TestProposalEffectByHand computes from the published scorecards the effect of giving performance all the weight:
// every score becomes that section's.
func TestProposalEffectByHand(t *testing.T) {
	w := newWorld(t, true)
	zero := number(0)
	p := w.propose(
		201,
		"ines",
		checklist.Edit{Section: "installation", Weight: zero},
		checklist.Edit{Section: "software", Weight: zero},
		checklist.Edit{Section: "usability", Weight: zero},
	)
	var effect struct {
		Moves      []ranking.Move
		Difference checklist.Difference
	}
	w.must(401, "", "GET", "/api/v1/proposals/"+p.ID+"/effect", nil)
	w.must(200, "tomas", "GET", "/api/v1/proposals/"+p.ID+"/effect", nil).into(t, &effect)
	type entry struct {
		Edition  string
		Rank     int
		Overall  *float64
		Sections []struct {
			Key   string
			Score *float64
		}
	}
	var now struct{ Ranking []entry }
	w.must(200, "", "GET", "/api/v1/ranking", nil).into(t, &now)
	byEdition := map[string]entry{}
	for _, e := range now.Ranking {
		byEdition[e.Edition] = e
	}
	ranked := 0
	for _, m := range effect.Moves {
		e, ok := byEdition[m.Edition]
		if !ok {
			continue
		}
		ranked++
		if *m.Now != e.Rank || math.Abs(*m.ScoreNow-*e.Overall) > 1e-9 ||
			math.Abs(*m.ScoreThen-*e.Sections[1].Score) > 1e-9 {
			t.Errorf(
				"%s: %d, %v → %v; the ranking has %d, %v and performance %v",
				m.Edition,
				*m.Now,
				*m.ScoreNow,
				*m.ScoreThen,
				e.Rank,
				*e.Overall,
				*e.Sections[1].Score,
			)
		}
	}
	// Go down the list: an edition within half a point of the first of the heat shares its rank.
	then := slices.DeleteFunc(slices.Clone(effect.Moves), func(m ranking.Move) bool { return m.Then == nil })
	slices.SortFunc(then, func(a, b ranking.Move) int { return cmp.Compare(*b.ScoreThen, *a.ScoreThen) })
	first := 0
	for i, m := range then {
		if *then[first].ScoreThen-*m.ScoreThen > 0.5 {
			first = i
		}
		if *m.Then != first+1 {
			t.Errorf("%s has rank %d then, want %d", m.Edition, *m.Then, first+1)
		}
	}
	if ranked < 15 || len(effect.Difference.Sections) != 4 {
		t.Errorf("%d of the ranked editions are told, %d sections differ", ranked, len(effect.Difference.Sections))
	}
}
