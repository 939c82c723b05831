// Package demo contains the made-up scenario in which the product is shown: Second Wind, a workshop that gives old
// laptops a second life. Nothing in it is real.
package demo

import (
	"bytes"
	"context"
	_ "embed"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"time"

	"dappertally/core/bundle"
	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/intake"
	"dappertally/internal/people"
	"dappertally/internal/plainyaml"
	"dappertally/internal/service"
)

// Day is the day at which the demo's clock stands still.
var Day = time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC)

// Clock is the demo's clock: the present hour, always on Day, so that what is overdue stays overdue.
func Clock() time.Time {
	now := time.Now().UTC()
	return Day.Add(
		time.Duration(now.Hour())*time.Hour + time.Duration(now.Minute())*time.Minute + time.Duration(
			now.Second(),
		)*time.Second + time.Duration(now.Nanosecond()),
	)
}

// Team is the name of the team that runs the demo's service.
const Team = "Second Wind"

// Account is somebody who can sign in to the demo.
type Account struct {
	people.Account
	Secret string // the password, shown at the start
}

// Accounts are the people of the workshop.
var Accounts = []Account{
	{people.Account{Name: "marit", Title: "Marit Oyelaw", Roles: []string{access.Lead}}, "lamp-on-the-quay"},
	{people.Account{Name: "tomas", Title: "Tomas Wrenfield", Roles: []string{access.Reviewer}}, "three-old-laptops"},
	{
		people.Account{
			Name:       "ines",
			Title:      "Ines Callowmere",
			Roles:      []string{access.Reviewer},
			Disclosure: "Uses Kestrelby every day at home.",
		},
		"seven-blue-buckets",
	},
	{people.Account{Name: "odile", Title: "Odile Farrant", Roles: []string{access.Reviewer}}, "rain-on-tin-roof"},
	{
		people.Account{Name: "perrin", Title: "Perrin Askelow", Roles: []string{access.Administrator}},
		"keys-under-the-mat",
	},
}

// Load puts the demo into an empty service and returns the number of its last change.
func Load(ctx context.Context, s *service.Service) (change int64, err error) {
	return LoadCrowded(ctx, s, 0)
}

// LoadCrowded is Load with additional made-up editions, at most LargestCrowd, to try the product with many records.
func LoadCrowded(ctx context.Context, s *service.Service, editions int) (change int64, err error) {
	w, err := build()
	if err != nil {
		return 0, fmt.Errorf("the demo's data: %w", err)
	}
	for b := range w.crowd(editions, false) {
		w.bundle.Distributions = append(w.bundle.Distributions, b.Distributions...)
		w.bundle.Reviews = append(w.bundle.Reviews, b.Reviews...)
	}
	for _, a := range Accounts {
		if err := s.People.FirstPerson(ctx, a.Account, a.Secret); err != nil {
			return 0, fmt.Errorf("adding %s: %w", a.Name, err)
		}
	}
	if _, err = s.Intake.Import(ctx, &access.Actor{}, w.bundle, w.plans); err != nil {
		return 0, fmt.Errorf("importing the demo's data: %w", err)
	}
	following, stop := context.WithCancel(ctx)
	followed := make(chan struct{})
	go func() { s.Follow(following); close(followed) }()
	if err = s.Board.Refresh(ctx); err == nil {
		change, err = work(ctx, s)
	}
	stop()
	<-followed
	if err != nil {
		return 0, fmt.Errorf("the demo's proposals and test files: %w", err)
	}
	return change, nil
}

// Bundle returns the demo's records, the same bytes every time.
func Bundle() (*bundle.Bundle, error) {
	w, err := build()
	if err != nil {
		return nil, err
	}
	return w.bundle, nil
}

//go:embed checklist.yaml
var checklistYAML []byte

//go:embed catalogue.yaml
var catalogueYAML []byte

// plan is the catalogue in catalogue.yaml: with the quality around which readings are drawn, and the day on which a
// review was accepted.
type plan struct {
	Rigs          []catalogue.Rig
	Distributions []struct {
		catalogue.Distribution
		Releases []struct {
			catalogue.Release
			Editions []struct {
				Key, Desktop, Profile, Purpose string
				MemoryMiB, DiskGiB             int64
				Quality                        []float64
				Reviewed                       string
				First                          string // day of the review on the first version of the checklist
				Old                            bool   // before the second version was planned
			} `json:"editions"`
		} `json:"releases"`
	}
}

// world is the demo under construction.
type world struct {
	bundle *bundle.Bundle
	plans  map[string]intake.Plan
	list   *checklist.Checklist
	random *rand.Rand
	known  map[string]bool // answered criteria of wide scope, by scope's key

	thorough bool // two reviewers answer everything
}

func build() (*world, error) {
	w := &world{
		bundle: &bundle.Bundle{
			Format:     bundle.Format,
			Version:    bundle.Version,
			Checklists: make([]checklist.Checklist, 1),
		},
		plans:  map[string]intake.Plan{},
		random: rand.New(rand.NewPCG(20261123, 7)),
		known:  map[string]bool{},
	}
	w.list = &w.bundle.Checklists[0]
	if err := fromYAML(checklistYAML, w.list); err != nil {
		return nil, err
	}
	var p plan
	if err := readYAML(catalogueYAML, &p); err != nil {
		return nil, err
	}
	w.bundle.Rigs = p.Rigs
	var before []past
	for _, pd := range p.Distributions {
		d := pd.Distribution
		d.Releases = nil
		for _, pr := range pd.Releases {
			r := pr.Release
			r.Stage, r.Editions = "final", nil
			for _, pe := range pr.Editions {
				e := catalogue.Edition{
					Key: pe.Key, Line: pe.Key, Desktop: pe.Desktop, Purpose: pe.Purpose, Profile: pe.Profile, Architecture: "amd64",
					Needs: catalogue.Needs{MemoryMiB: pe.MemoryMiB, DiskGiB: pe.DiskGiB},
				}
				if e.Profile == "" {
					e.Profile = "full"
				}
				r.Editions = append(r.Editions, e)
				about := &subject{d, r, e, pe.Quality}
				if !pe.Old {
					w.review(about, pe.Reviewed)
				}
				if pe.First != "" {
					before = append(before, past{about, pe.First})
				}
			}
			d.Releases = append(d.Releases, r)
		}
		w.bundle.Distributions = append(w.bundle.Distributions, d)
	}
	if err := w.stories(); err != nil {
		return nil, err
	}
	if err := w.history(before); err != nil {
		return nil, err
	}
	w.second()
	if err := w.records(); err != nil {
		return nil, err
	}
	if err := w.pictures(); err != nil {
		return nil, err
	}
	w.clocked()
	if err := w.surveys(); err != nil {
		return nil, err
	}
	if err := w.measured(); err != nil {
		return nil, err
	}
	var text bytes.Buffer
	if err := bundle.Write(&text, w.bundle); err != nil {
		return nil, err
	}
	return w, w.bundle.Validate().Err()
}

// fromYAML reads YAML as strictly as a bundle is read.
func fromYAML(text []byte, into any) error {
	data, err := plainyaml.ToJSON(text)
	if err != nil {
		return err
	}
	return bundle.Decode(data, into).Err()
}

// readYAML reads YAML through encoding/json, which ignores case in names.
func readYAML(text []byte, into any) error {
	data, err := plainyaml.ToJSON(text)
	if err != nil {
		return err
	}
	return json.Unmarshal(data, into)
}

// id makes a UUID of version 7 for a time, the same one in every run.
func (w *world) id(at time.Time) string {
	var b [16]byte
	binary.BigEndian.PutUint64(b[:8], uint64(at.UnixMilli())<<16)
	binary.BigEndian.PutUint16(b[6:8], 0x7000|uint16(w.random.UintN(0x1000)))
	binary.BigEndian.PutUint64(b[8:], w.random.Uint64()>>2|1<<63)
	return fmt.Sprintf("%x-%x-%x-%x-%x", b[:4], b[4:6], b[6:8], b[8:10], b[10:])
}

// find returns the review of an edition.
func (w *world) find(edition string) (*reading.Review, error) {
	for i := range w.bundle.Reviews {
		if w.bundle.Reviews[i].Edition == edition {
			return &w.bundle.Reviews[i], nil
		}
	}
	return nil, fmt.Errorf("no review of %s", edition)
}
