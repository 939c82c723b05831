package comparing

import (
	"fmt"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

var noon = time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)

// desk is a checklist with one criterion of each sort that the comparison distinguishes.
func desk(version int) *checklist.Checklist {
	return &checklist.Checklist{Key: "desk", Version: version, State: checklist.InForce, Sections: []checklist.Section{
		{Key: "speed", Weight: 1, Criteria: []checklist.Criterion{
			{
				Key:    "start",
				Kind:   checklist.Measure,
				Weight: 1,
				Unit:   "s",
				Better: "lower",
				Curve:  &checklist.Curve{Shape: checklist.Span, Poor: 100, Ideal: 0},
			},
		}},
		{Key: "ease", Weight: 1, Criteria: []checklist.Criterion{
			{Key: "menu", Kind: checklist.Grade, Weight: 1}, {Key: "print", Kind: checklist.Check, Weight: 1},
			{Key: "kernel", Kind: checklist.Fact}, {Key: "formats", Kind: checklist.Fact},
		}},
	}}
}

// made builds a review of desk@version; each step adds a reading.
func made(edition string, version int, steps ...func(*reading.Review)) reading.Review {
	r := reading.Review{
		ID:        fmt.Sprintf("%s@%d", edition, version),
		Edition:   edition,
		Checklist: fmt.Sprintf("desk@%d", version),
		State:     reading.Accepted,
		Accepted:  &noon,
	}
	for _, s := range steps {
		s(&r)
	}
	return r
}

func with(criterion, rig string, answer reading.Answer) func(*reading.Review) {
	return func(r *reading.Review) {
		r.Readings = append(
			r.Readings,
			reading.Reading{
				ID:        fmt.Sprintf("%s %d", r.ID, len(r.Readings)),
				Criterion: criterion,
				Rig:       rig,
				Reviewer:  "ines",
				At:        noon,
				Answer:    answer,
			},
		)
	}
}

func start(rig string, runs ...float64) func(*reading.Review) {
	return with("start", rig, reading.Answer{Runs: runs})
}

func menu(grade float64) func(*reading.Review) {
	return with("menu", "", reading.Answer{Grade: &grade})
}

func printing(check string) func(*reading.Review) {
	return with("print", "", reading.Answer{Check: check})
}

func kernel(version string) func(*reading.Review) {
	return with("kernel", "", reading.Answer{Fact: &reading.Fact{Text: version}})
}

// numbered is a kernel whose version was recorded as a number.
func numbered(version float64) func(*reading.Review) {
	return with("kernel", "", reading.Answer{Fact: &reading.Fact{Sort: reading.FactNumber, Number: version}})
}

func formats(list ...string) func(*reading.Review) {
	return with("formats", "", reading.Answer{Fact: &reading.Fact{List: list, Sort: reading.FactList}})
}

func tabled(version int, reviews ...reading.Review) *scoring.Table {
	return scoring.Tabulate(scoring.Input{Checklist: desk(version), Reviews: reviews}, scoring.Options{})
}

// placed returns a place for each edition: its desktop is its key, its base the distribution's first letter.
func placed(editions ...string) map[string]catalogue.Place {
	places := map[string]catalogue.Place{}
	for _, key := range editions {
		d, version, edition, _ := catalogue.SplitEdition(key)
		places[key] = catalogue.Place{
			Distribution: &catalogue.Distribution{Key: d, Family: []string{d[:1]}, Model: "fixed"},
			Release: &catalogue.Release{
				Version: version,
			}, Edition: &catalogue.Edition{Key: edition, Desktop: edition, Architecture: "amd64"},
		}
	}
	return places
}
