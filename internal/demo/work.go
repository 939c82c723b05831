package demo

import (
	"bytes"
	"context"
	"fmt"
	"image/color"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/comparing"
	"dappertally/core/planning"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/reviewing"
	"dappertally/internal/service"
	"dappertally/internal/team"
)

// loadTeam adds what the workshop does besides reviewing: requests and the lead's order, suggestions from readers, a
// known issue, a comparison plan with a bench session, and pictures.
func loadTeam(ctx context.Context, s *service.Service) (change int64, err error) {
	who := map[string]*access.Actor{"": {}}
	for _, a := range Accounts {
		if who[a.Name], err = s.People.ActorNamed(ctx, a.Name); err != nil {
			return 0, err
		}
	}
	if _, err := s.Reviewing.AddKnownIssue(ctx, who["odile"], &reading.KnownIssue{
		Key: "wireless-sleep", Title: "Wireless is gone after suspend", Origin: "driver", Component: "brine wireless driver",
		Text: "Old laptops with the brine card wake without a network, more often after a long sleep.", Workaround: "Unload and load the driver: one of our menu entries does it, see the test files.",
	}); err != nil {
		return 0, err
	}
	for _, request := range []struct{ who, subject, reason string }{
		{"odile", "gullhaven/5.2/pebbledash", "the classroom on the island has six machines for it"},
		{"tomas", "gullhaven/5.2/pebbledash", "two pensioners asked at the counter"},
		{"perrin", "an edition for low-power boards", "somebody left a box of them at the door"},
		{"ines", "cinderfen/2026-05-02/latchwork", ""},
	} {
		if _, _, err := s.Team.Ask(ctx, who[request.who], request.subject, request.reason); err != nil {
			return 0, err
		}
	}
	for _, x := range []team.Suggestion{
		{Sort: "review", Subject: "gullhaven/5.2/pebbledash", Text: "Our library has twelve old machines. Would it run on two gigabytes?", Contact: "the library of Saltmarsh End"},
		{Sort: "correction", Subject: "oakshott/1.8/awning", Text: "You write that it requires 20 GiB of disk; the makers' page has had 16 since June."},
		{Sort: "checklist", Subject: "usability", Text: "Please check whether the clock can be made large. Half of us cannot read it."},
	} {
		if _, err := s.Team.Suggest(ctx, who[""], "demo", x); err != nil {
			return 0, err
		}
	}
	held, err := s.Team.Suggestions(ctx, who["marit"])
	if err != nil {
		return 0, err
	}
	for _, x := range held {
		if x.Sort == "review" {
			if _, err := s.Team.DecideSuggestion(ctx, who["marit"], x.ID, ledger.Version(x.Revision), "accepted", ""); err != nil {
				return 0, err
			}
		}
	}
	_, version, err := s.Team.Queue(ctx, who["marit"], 0)
	if err != nil {
		return 0, err
	}
	if _, err := s.Team.Order(ctx, who["marit"], ledger.Version(version), []string{"gullhaven/5.2/pebbledash", "eiderloft/2026-04/latchwork"}); err != nil {
		return 0, err
	}
	if err := bench(ctx, s, who); err != nil {
		return 0, err
	}
	if err := early(ctx, s, who); err != nil {
		return 0, err
	}
	if err := away(ctx, s, who); err != nil {
		return 0, err
	}
	if err := upload(ctx, s, who["tomas"]); err != nil {
		return 0, err
	}
	if err := components(ctx, s, who["marit"]); err != nil {
		return 0, err
	}
	return shots(ctx, s, who["tomas"])
}

// bench plans the autumn comparison and opens a session of it.
func bench(ctx context.Context, s *service.Service, who map[string]*access.Actor) error {
	plan, _, err := s.Team.AddPlan(ctx, who["marit"], planning.Plan{
		Title: "Which base for the old laptops", Question: "Which of the bases starts fastest and leaves the most memory on the old laptop, with the same desktop?", Asks: "base",
		Contenders: []planning.Contender{
			{Edition: "bramblewick/7.0/hearthside", Why: "what we give away now"},
			{Edition: "gullhaven/5.2/hearthside", Why: "requested most"},
			{Edition: "ivybeck/6.0/hearthside", Why: "the makers claim that it keeps old machines going"},
			{Edition: "mossgate/12/hearthside", Why: "led last autumn"},
		},
		Equal: []string{
			"desktop",
		}, Held: []string{"full install, updated the same day", "no account added"}, LeftOut: []string{"games: nobody plays them on these"},
		Checklist: "workshop@2", Criteria: []string{"cold-start", "memory-idle", "memory-used", "browser-start", "copy-folder", "smoothness", "printing"}, Rigs: []string{"bench-old", "bench-new"},
	})
	if err != nil {
		return err
	}
	session, _, err := s.Team.OpenBench(ctx, who["tomas"], plan, "bench-old", 1123)
	if err != nil {
		return err
	}
	_, err = s.Team.Place(
		ctx,
		who["tomas"],
		session,
		team.Placing{ID: "019a8f00-0000-7000-8000-000000000001", Placing: planning.Placing{
			Question: "Which feels quicker to a volunteer who does not know which is which?",
			Order: [][]string{
				{"mossgate/12/hearthside"},
				{"bramblewick/7.0/hearthside", "gullhaven/5.2/hearthside"},
				{"ivybeck/6.0/hearthside"},
			},
			Note: "six volunteers, two minutes each",
		}},
	)
	if err != nil {
		return err
	}
	return benchDone(ctx, s, who["tomas"], plan)
}

// benchDone is a closed session, whose result counts.
func benchDone(ctx context.Context, s *service.Service, who *access.Actor, plan string) error {
	session, change, err := s.Team.OpenBench(ctx, who, plan, "bench-new", 1109)
	if err != nil {
		return err
	}
	if _, err := s.Team.Place(ctx, who, session, team.Placing{ID: "019a8f00-0000-7000-8000-000000000002", Placing: planning.Placing{
		Question: "Which scrolls a long page most smoothly, side by side?",
		Order:    [][]string{{"mossgate/12/hearthside"}, {"gullhaven/5.2/hearthside"}, {"bramblewick/7.0/hearthside", "ivybeck/6.0/hearthside"}},
		Note:     "four volunteers, the same page",
	}}); err != nil {
		return err
	}
	b, _, err := s.Team.Bench(ctx, who, session, change)
	if err != nil {
		return err
	}
	_, err = s.Team.CloseBench(ctx, who, session, ledger.Version(b.Bench.Revision), true)
	return err
}

// components adds the release dates of the kernel's versions.
func components(ctx context.Context, s *service.Service, who *access.Actor) error {
	policy, ref, err := s.Policy.Rules(ctx)
	if err != nil {
		return err
	}
	kernel := comparing.Component{Fact: "kernel"}
	for n, day := 0, time.Date(2024, 1, 8, 0, 0, 0, 0, time.UTC); day.Before(Day); n, day = n+1, day.AddDate(0, 0, 70) {
		kernel.Versions = append(
			kernel.Versions, comparing.Version{Version: fmt.Sprintf("6.%d", 6+n), Date: day.Format(time.DateOnly)},
		)
	}
	policy.Components = []comparing.Component{kernel}
	_, err = s.Policy.SetRules(ctx, who, ledger.Version(ref.Revision), policy)
	return err
}

// early adds a reviewed pre-release, and its final release, which is out.
func early(ctx context.Context, s *service.Service, who map[string]*access.Actor) error {
	for _, r := range []catalogue.Release{
		{Version: "3.0-beta", Date: "2026-10-05", Tier: "regular", Stage: "pre-release", Replaces: []string{"2.7"}},
		{Version: "3.0", Date: "2026-11-12", Tier: "regular", Stage: "final", EndOfSupport: "2028-05-12", Replaces: []string{"3.0-beta"}},
	} {
		if _, err := s.Cataloguing.AddRelease(ctx, who["odile"], "thistledown", &r); err != nil {
			return err
		}
		if _, err := s.Cataloguing.AddEdition(ctx, who["odile"], "thistledown/"+r.Version, &catalogue.Edition{
			Key: "pebbledash", Desktop: "Pebbledash", Architecture: "amd64", Profile: "full", Needs: catalogue.Needs{MemoryMiB: 1024, DiskGiB: 20},
		}); err != nil {
			return err
		}
	}
	id, _, err := s.Reviewing.AddReview(
		ctx, who["odile"], reviewing.NewReview{Edition: "thistledown/3.0-beta/pebbledash", Assigned: "odile"},
	)
	if err != nil {
		return err
	}
	for criterion, a := range map[string]reading.Answer{"wireless": {Check: reading.Workaround}, "suspend": {Check: reading.Works}, "firewall": {Level: "on"}} {
		if _, err := s.Reviewing.Record(ctx, who["odile"], id, reviewing.Sent{Reading: reading.Reading{ID: ledger.NewID(), Criterion: criterion, Rig: "bench-old", Answer: a}}); err != nil {
			return err
		}
	}
	if _, err := s.Reviewing.PutEntry(ctx, who["odile"], id, 0, reading.Entry{Finding: &reading.Finding{
		Head: reading.Head{ID: ledger.NewID()}, Sort: "weakness", Title: "Wireless needs its firmware on a stick", Severity: "major", Nature: "defect", Seen: "always", Sure: "certain", Criterion: "wireless",
		Workaround: "Put the firmware on the installation stick first.",
	}}); err != nil {
		return err
	}
	for _, step := range []struct{ who, to, reason string }{
		{"odile", reading.Submitted, "a first look at the beta; the rest waits for the final release"},
		{"marit", reading.Accepted, ""},
	} {
		r, err := s.Reviewing.Review(ctx, who[step.who], id)
		if err != nil {
			return err
		}
		if _, err := s.Reviewing.MoveReview(ctx, who[step.who], id, ledger.Version(r.Revision), step.to, step.reason); err != nil {
			return err
		}
	}
	return nil
}

// shots adds the standard screenshots of the review in progress.
func shots(ctx context.Context, s *service.Service, who *access.Actor) (change int64, err error) {
	all, err := s.Reviewing.Reviews(ctx, who)
	if err != nil {
		return 0, err
	}
	for _, r := range all {
		if r.State != reading.Underway {
			continue
		}
		for shot, content := range map[string][]byte{"first-desktop": picture(color.RGBA{47, 94, 104, 255}, 0), "menu-open": picture(color.RGBA{47, 94, 104, 255}, 2)} {
			name := named(content)
			if _, err := s.Reviewing.PutFile(ctx, who, name, bytes.NewReader(content)); err != nil {
				return 0, err
			}
			e := reading.Evidence{
				Head:   reading.Head{ID: ledger.NewID()},
				Shot:   shot,
				SHA256: name,
				Name:   shot + ".png",
			}
			if change, err = s.Reviewing.PutEntry(ctx, who, r.ID, 0, reading.Entry{Evidence: &e}); err != nil {
				return 0, err
			}
		}
	}
	return change, nil
}
