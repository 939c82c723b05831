package demo

import (
	"bytes"
	"context"
	"crypto/sha256"
	_ "embed"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/checklists"
	"dappertally/internal/ledger"
	"dappertally/internal/service"
)

// The day on which the second version of the checklist came into force; accepted reviews on the first were carried
// over to it within a week.
var secondInForce = time.Date(2026, 2, 16, 9, 0, 0, 0, time.UTC)

//go:embed first.yaml
var firstYAML []byte

// past is a review on the first version of the checklist.
type past struct {
	subject  *subject
	accepted string
}

// history adds what happened before the second version: the first version, the reviews on it, and what became of
// them. It has its own seed.
func (w *world) history(reviews []past) error {
	var edits []checklist.Edit
	if err := fromYAML(firstYAML, &edits); err != nil {
		return err
	}
	var book fault.Book
	first := checklist.Apply(w.list, edits, &book)
	if err := book.List().Err(); err != nil {
		return err
	}
	first.Policy.Rigs = ""
	first.Version, first.State, first.Title = 1, checklist.Retired, "Workshop checklist, first edition"
	w.bundle.Checklists = append(w.bundle.Checklists, *first)
	old := &world{
		bundle: w.bundle,
		list:   first,
		random: rand.New(rand.NewPCG(20240401, 3)),
		known:  map[string]bool{},
		plans:  w.plans,
	}
	second := w.list
	for i := range w.bundle.Reviews {
		if r := &w.bundle.Reviews[i]; r.Accepted != nil && r.Accepted.Before(secondInForce) {
			w.carried(old, r, first, second)
		}
	}
	slices.SortStableFunc(reviews, func(a, b past) int { return strings.Compare(a.accepted, b.accepted) })
	for _, p := range reviews {
		old.review(p.subject, p.accepted)
	}
	w.list = second
	lining := *old
	lining.list = second
	lining.lines()
	if err := old.confirmed(); err != nil {
		return err
	}
	for i := range w.bundle.Reviews {
		old.extras(&w.bundle.Reviews[i], second)
	}
	return nil
}

// carried gives a review on the second version its origin: a review on the first one, with the answers to what both
// ask in the same way.
func (w *world) carried(old *world, r *reading.Review, first, second *checklist.Checklist) {
	before := reading.Review{
		ID:        old.id(r.Accepted.AddDate(0, 0, -9)),
		Edition:   r.Edition,
		Checklist: first.Name(),
		State:     reading.Accepted,
		Accepted:  r.Accepted,
		Readings:  []reading.Reading{},
	}
	for _, x := range r.Readings {
		older, asked := first.Criterion(x.Criterion)
		newer, _ := second.Criterion(x.Criterion)
		if asked && checklist.AskedAlike(older, newer) {
			before.Readings = append(before.Readings, x)
		}
	}
	after := secondInForce.AddDate(0, 0, 4)
	r.Accepted, r.Carried = &after, before.ID
	fresh := after.Add(-30 * time.Hour)
	for i := range r.Readings {
		x := &r.Readings[i]
		older, asked := first.Criterion(x.Criterion)
		newer, _ := second.Criterion(x.Criterion)
		if !asked || !checklist.AskedAlike(older, newer) { // asked again
			fresh = fresh.Add(11 * time.Minute)
			received := fresh.Add(time.Minute)
			x.At, x.Received = fresh, &received
		}
	}
	w.bundle.Reviews = append(w.bundle.Reviews, before)
}

// extras adds what is not scored: facts, and the same quantities measured in another way or at another time.
func (w *world) extras(r *reading.Review, second *checklist.Checklist) {
	if len(r.Readings) == 0 || r.State == reading.Planned {
		return
	}
	at, reviewer := r.Readings[0].At, r.Readings[0].Reviewer
	add := func(x reading.Reading) {
		at = at.Add(3 * time.Minute)
		received := at.Add(time.Minute)
		x.ID, x.At, x.Received, x.Reviewer = w.id(at), at, &received, reviewer
		r.Readings = append(r.Readings, x)
	}
	if r.Checklist == second.Name() && r.State != reading.Underway {
		for _, key := range extraFacts {
			add(reading.Reading{Criterion: key, Answer: reading.Answer{Fact: w.extraFact(key)}})
		}
	}
	for _, x := range slices.Clone(r.Readings) {
		for _, other := range elsewise[x.Criterion] {
			if x.Answer.Runs == nil || x.Replaces != "" || x.Disturbance != "" || x.Context == other.context {
				continue
			}
			again := x
			again.Adjustment, again.Note, again.Repeat = nil, "", false
			again.Context = other.context
			again.Answer = reading.Answer{Runs: make([]float64, len(x.Answer.Runs))}
			for i, run := range x.Answer.Runs {
				again.Answer.Runs[i] = rounded(run * other.factor * (1 + 0.006*w.random.NormFloat64()))
			}
			add(again)
		}
	}
}

// elsewise lists the ways of measuring that are not scored.
var elsewise = map[string][]struct {
	context checklist.Context
	factor  float64
}{
	"cold-start": {
		{checklist.Context{Method: "start-log", Setup: "default", Phase: "updated"}, 0.71},
		{checklist.Context{Method: "stopwatch", Setup: "default", Phase: "fresh"}, 0.97},
	},
	"memory-idle":   {{checklist.Context{Method: "memory-available", Setup: "default", Phase: "fresh"}, 0.94}},
	"memory-used":   {{checklist.Context{Method: "memory-resident", Setup: "default", Phase: "after-use"}, 1.62}},
	"browser-start": {{checklist.Context{Method: "stopwatch", Setup: "default", Phase: "after-use"}, 0.61}},
}

var extraFacts = []string{
	"display-server",
	"init-system",
	"bundled-formats",
	"package-count",
	"desktop-version",
	"shell",
}

func (w *world) extraFact(key string) *reading.Fact {
	pick := func(words ...string) *reading.Fact { return &reading.Fact{Text: words[w.random.IntN(len(words))]} }
	switch key {
	case "display-server":
		return pick("Lantern", "Lantern", "Oldglass")
	case "init-system":
		return pick("firstlight", "firstlight", "dayspring", "plain scripts")
	case "bundled-formats":
		all := []string{"bale", "crate", "hamper"}
		return &reading.Fact{Sort: reading.FactList, List: all[:1+w.random.IntN(len(all))]}
	case "package-count":
		return &reading.Fact{Sort: reading.FactNumber, Number: float64(1100 + w.random.IntN(1400))}
	case "desktop-version":
		return &reading.Fact{Text: fmt.Sprintf("%d.%d", 4+w.random.IntN(3), w.random.IntN(9))}
	}
	return pick("plainsh", "plainsh", "reefsh")
}

func putFile(ctx context.Context, s *service.Service, who *access.Actor, content []byte) error {
	_, err := s.Reviewing.PutFile(ctx, who, fmt.Sprintf("%x", sha256.Sum256(content)), bytes.NewReader(content))
	return err
}

//go:embed kit/bench-script.sh
var benchScript []byte

//go:embed kit/menu-tasks.txt
var menuTasks []byte

// work adds what is not in a bundle: the test files, and the proposals.
func work(ctx context.Context, s *service.Service) (change int64, err error) {
	actor := func(name string) (*access.Actor, error) { return s.People.ActorNamed(ctx, name) }
	marit, err := actor("marit")
	if err != nil {
		return 0, err
	}
	ines, err := actor("ines")
	if err != nil {
		return 0, err
	}
	tomas, err := actor("tomas")
	if err != nil {
		return 0, err
	}
	for _, content := range [][]byte{benchScript, menuTasks} {
		if err := putFile(ctx, s, marit, content); err != nil {
			return 0, err
		}
	}
	drop, _, err := s.Checklists.Propose(ctx, tomas, checklists.Proposal{
		Title:  "No more image size",
		Reason: "Everybody has a line that takes three gigabytes; nobody asks for it.",
		Edits:  []checklist.Edit{{Drop: "image-size"}},
	})
	if err != nil {
		return 0, err
	}
	p, err := s.Checklists.Proposal(ctx, marit, drop)
	if err != nil {
		return 0, err
	}
	if _, err := s.Checklists.Decide(ctx, marit, drop, ledger.Version(p.Revision), checklists.ProposalDeclined, "The school on the island still fetches it over the radio link."); err != nil {
		return 0, err
	}
	list, err := s.Checklists.ChecklistNamed(ctx, "workshop@2")
	if err != nil {
		return 0, err
	}
	start, _ := list.Criterion("cold-start")
	heavier := *start
	heavier.Weight, heavier.Curve = 6, &checklist.Curve{Shape: checklist.Span, Poor: 75, Ideal: 12}
	weight := 35.0
	open, _, err := s.Checklists.Propose(ctx, ines, checklists.Proposal{
		Title: "Start-up counts double, on a straight scale",
		Reason: "Pensioners wait for it every morning, and the difference from 20 to 15 seconds is felt as " +
			"much as the difference from 60 to 55.",
		Edits: []checklist.Edit{
			{Section: "performance", Criterion: &heavier},
			{Section: "performance", Weight: &weight},
			{Drop: "kernel-build"},
		},
	})
	if err != nil {
		return 0, err
	}
	if _, err := s.Checklists.Comment(ctx, tomas, open, "For start-up, yes. But the tinkerers will miss the kernel build."); err != nil {
		return 0, err
	}
	if _, err := loadTeam(ctx, s); err != nil {
		return 0, err
	}
	return loadReports(ctx, s)
}
