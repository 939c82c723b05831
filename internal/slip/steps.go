package slip

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/internal/survey"
)

// Fate is what submitting does with one item of a slip.
type Fate string

// The fates.
const (
	New     Fate = "new"
	Same    Fate = "same"     // it exists already
	Replace Fate = "replaces" // it was corrected on the slip after it was sent
	Left    Fate = "left out" // it does not answer what is asked, which is not an error
	Refused Fate = "refused"
)

// Step is what submitting does with one item of a slip.
type Step struct {
	Fate    Fate             `json:"fate"`
	Subject string           `json:"subject"` // a state's key, or a criterion
	Why     string           `json:"why,omitempty"`
	State   *reading.System  `json:"state,omitempty"`
	Reading *reading.Reading `json:"reading,omitempty"`
	Confirm bool             `json:"confirm,omitempty"` // its values outside the plausible range are confirmed
}

// There is what the review already holds.
type There struct {
	States   []reading.System
	Readings []reading.Reading
	Reviewer string
}

// Steps determines what submitting a slip does to a review on a checklist version.
func (s *Slip) Steps(list *checklist.Checklist, there There) []Step {
	p := planner{s, list, there}
	var steps []Step
	for i := range s.States {
		steps = append(steps, p.state(&s.States[i]))
	}
	for i := range s.Readings {
		steps = append(steps, p.reading(&s.Readings[i])...)
	}
	for i := range s.States {
		steps = append(steps, p.facts(&s.States[i])...)
	}
	return steps
}

type planner struct {
	slip  *Slip
	list  *checklist.Checklist
	there There
}

func (p *planner) state(x *State) Step {
	e := &reading.System{
		Head:  reading.Head{ID: x.Key, At: x.At.UTC().Truncate(time.Microsecond)},
		Note:  x.Note,
		Rig:   cmp.Or(x.Rig, p.slip.Rig),
		Facts: map[string]reading.Fact{},
	}
	for key, value := range x.Facts {
		e.Facts[key], _ = fact(value) // checked when the slip was read
	}
	step := Step{Fate: New, Subject: x.Key, State: e}
	var book fault.Book
	reading.ValidatePart(&reading.Entry{System: e}, p.list, &book)
	if faults := book.List(); len(faults) > 0 {
		step.Fate, step.Why = Refused, faults.Line()
		return step
	}
	i := slices.IndexFunc(p.there.States, func(o reading.System) bool { return o.ID == x.Key })
	if i < 0 {
		return step
	}
	old := p.there.States[i]
	old.Reviewer = ""
	step.Fate, step.Why = Replace, "it was corrected on the slip"
	if asJSON(old) == asJSON(*e) {
		step.Fate, step.Why = Same, ""
	}
	return step
}

// reading returns the steps of one reading: one, or one for each criterion that names its fact.
func (p *planner) reading(x *Reading) []Step {
	if x.Fact == "" {
		c, ok := p.list.Criterion(x.Criterion)
		if !ok {
			return []Step{
				{
					Fate:    Refused,
					Subject: x.Criterion,
					Why:     fmt.Sprintf("checklist %s has no criterion %q", p.list.Name(), x.Criterion),
				},
			}
		}
		return []Step{p.one(x, c, x.ID)}
	}
	var steps []Step
	for c := range p.asking(x.Fact) {
		y := *x
		y.Method, y.Unit = cmp.Or(x.Method, survey.Method(x.Fact)), cmp.Or(x.Unit, survey.Unit(x.Fact))
		steps = append(steps, p.surveyed(&y, c, derived(x.ID, c.Key)))
	}
	return steps
}

// asking iterates over the criteria that name a fact.
func (p *planner) asking(key string) func(func(*checklist.Criterion) bool) {
	return func(yield func(*checklist.Criterion) bool) {
		for i := range p.list.Sections {
			for j := range p.list.Sections[i].Criteria {
				if c := &p.list.Sections[i].Criteria[j]; c.Survey == key && !yield(c) {
					return
				}
			}
		}
	}
}

// facts returns the steps of a state's facts for which the slip has no reading with runs.
func (p *planner) facts(x *State) []Step {
	var steps []Step
	for i := range p.list.Sections {
		for j := range p.list.Sections[i].Criteria {
			c := &p.list.Sections[i].Criteria[j]
			value, ok := x.Facts[c.Survey]
			if !ok ||
				slices.ContainsFunc(
					p.slip.Readings, func(r Reading) bool { return r.Fact == c.Survey && r.State == x.Key },
				) {
				continue
			}
			f, _ := fact(value)
			answer, err := answers(c, &f)
			if err != nil {
				steps = append(steps, Step{Fate: Left, Subject: c.Key, Why: err.Error()})
				continue
			}
			r := Reading{
				At:     x.At,
				State:  x.Key,
				Rig:    x.Rig,
				Phase:  x.Phase,
				Answer: answer,
				Method: survey.Method(c.Survey),
				Unit:   survey.Unit(c.Survey),
			}
			if survey.Moves(c.Survey) {
				r.Disturbance = x.Disturbance
			}
			if !c.Scored() {
				r.value = &f // a list stays a list
			}
			steps = append(steps, p.surveyed(&r, c, derived(x.Key, c.Key)))
		}
	}
	return steps
}

// surveyed returns the step of a reading from a survey; none if the criterion requires another method or phase.
func (p *planner) surveyed(x *Reading, c *checklist.Criterion, id string) Step {
	phase := cmp.Or(x.Phase, p.slip.Phase)
	switch {
	case c.Context.Method != "" && c.Context.Method != x.Method:
		return Step{
			Fate:    Left,
			Subject: c.Key,
			Why:     fmt.Sprintf("it needs the method %s, and the survey used %s", c.Context.Method, x.Method),
		}
	case c.Context.Phase != "" && phase == "":
		return Step{
			Fate:    Refused,
			Subject: c.Key,
			Why: fmt.Sprintf(
				"it is asked in the phase %s, and the slip has no phase for the survey; set it with --phase "+
					"or in the file",
				c.Context.Phase,
			),
		}
	case c.Context.Phase != "" && c.Context.Phase != phase:
		return Step{
			Fate:    Left,
			Subject: c.Key,
			Why:     fmt.Sprintf("it is asked in the phase %s, and the survey was in %s", c.Context.Phase, phase),
		}
	}
	y := *x
	if c.Context.Method == "" && !checklist.Registered(y.Method, p.list.Vocabulary.Methods) {
		y.Method = "" // any will do, and this one has no name in the vocabulary
	}
	return p.one(&y, c, id)
}

// one returns the step of a reading that answers c.
func (p *planner) one(x *Reading, c *checklist.Criterion, id string) Step {
	step := Step{Subject: c.Key, Confirm: x.Confirm}
	answer, err := x.answer(c)
	if err != nil {
		step.Fate, step.Why = Refused, err.Error()
		return step
	}
	r := &reading.Reading{
		ID: id, Criterion: c.Key, Reviewer: p.there.Reviewer, Rig: cmp.Or(x.Rig, p.slip.Rig),
		At: x.At.UTC().Truncate(time.Microsecond), System: x.State,
		Context: checklist.Context{
			Method: cmp.Or(x.Method, c.Context.Method),
			Setup:  cmp.Or(x.Setup, p.slip.Setup, c.Context.Setup),
			Phase:  cmp.Or(x.Phase, p.slip.Phase, c.Context.Phase),
		},
		Answer: answer, Bound: x.Bound, Disturbance: x.Disturbance, Repeat: x.Repeat, Note: x.Note,
	}
	for _, b := range x.Boots {
		r.Boots = append(r.Boots, reading.Boot(b))
	}
	if x.Adjust != nil {
		r.Adjustment = &reading.Adjustment{Amount: x.Adjust.Amount, Reason: x.Adjust.Reason}
	}
	step.Reading = r
	p.fate(&step)
	return step
}

// fate compares a reading with the checklist and with existing readings.
func (p *planner) fate(step *Step) {
	r := step.Reading
	var book fault.Book
	reading.Validate(r, p.list, &book)
	if len(book.List()) == 0 {
		reading.ValidateValue(r, p.list, &book)
	}
	if faults := book.List(); len(faults) > 0 {
		step.Fate, step.Why = Refused, faults.Line()
		return
	}
	step.Fate, step.Why = New, ""
	last := p.last(r.ID)
	if last == nil {
		return
	}
	now, then := *r, *last
	now.ID, then.ID = "", ""
	then.Received, then.Replaces = nil, ""
	if asJSON(now) == asJSON(then) {
		step.Fate = Same
		return
	}
	// The id is derived from the content, so that submitting twice does no harm.
	r.ID, r.Replaces = derived(last.ID, asJSON(now)), last.ID
	step.Fate, step.Why = Replace, "it was corrected on the slip"
}

// last follows an existing reading to the one that replaced it last.
func (p *planner) last(id string) *reading.Reading {
	var found *reading.Reading
	for range p.there.Readings {
		i := slices.IndexFunc(p.there.Readings, func(x reading.Reading) bool {
			return found == nil && x.ID == id || found != nil && x.Replaces == found.ID
		})
		if i < 0 {
			break
		}
		found = &p.there.Readings[i]
	}
	return found
}

func (x *Reading) answer(c *checklist.Criterion) (reading.Answer, error) {
	if x.value != nil {
		return reading.Answer{Fact: x.value}, nil
	}
	return Answered(c, x.Answer, x.Unit, x.NotTested, x.NotApplicable)
}

// answers converts a fact to an answer of the criterion's kind.
func answers(c *checklist.Criterion, f *reading.Fact) (string, error) {
	text := f.String()
	first := strings.ToLower(strings.TrimRight(strings.SplitN(text+" ", " ", 2)[0], ",:;"))
	switch c.Kind {
	case checklist.Fact:
		return cmp.Or(text, "none"), nil
	case checklist.Measure:
		if f.Sort == reading.FactNumber {
			return text, nil
		}
		return "", fmt.Errorf("it is a measure, and the survey found %q", text)
	case checklist.Check:
		switch first {
		case "yes", "on":
			return reading.Works, nil
		case "no", "off", "none":
			return reading.Fails, nil
		}
		return "", fmt.Errorf("it is a check, and the survey found %q", text)
	case checklist.Level:
		for _, l := range c.Levels {
			if strings.EqualFold(l.Key, text) || strings.EqualFold(l.Title, text) || strings.EqualFold(l.Key, first) {
				return l.Key, nil
			}
		}
		return "", fmt.Errorf("it has no level for %q", text)
	case checklist.Count:
		return counts(c, f)
	}
	return "", fmt.Errorf("it is a %s, which needs a person", c.Kind)
}

// counts returns which items of a count a list of facts contains.
func counts(c *checklist.Criterion, f *reading.Fact) (string, error) {
	if f.Sort != reading.FactList || len(c.Items) == 0 {
		return "", fmt.Errorf("it counts listed items, and the survey found %q", f)
	}
	var words []string
	for _, it := range c.Items {
		fate := "failed"
		if slices.ContainsFunc(
			f.List, func(x string) bool { return strings.EqualFold(x, it.Key) || strings.EqualFold(x, it.Title) },
		) {
			fate = "worked"
		}
		words = append(words, it.Key+"="+fate)
	}
	return strings.Join(words, " "), nil
}

var namespace = uuid.MustParse("6f2f0b5e-5c3e-4f0e-9b77-2d0c9c4f8a11")

// derived returns an id derived from others, so that the same slip always makes the same readings.
func derived(parts ...string) string {
	return uuid.NewSHA1(namespace, []byte(strings.Join(parts, "\x00"))).String()
}

func asJSON(v any) string {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err) // these types can always be encoded
	}
	return string(data)
}
