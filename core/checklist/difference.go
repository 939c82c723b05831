package checklist

import (
	"math"
	"reflect"
	"slices"
	"strings"
)

// Difference is what differs between two versions of a checklist, described for people.
type Difference struct {
	Older     string            `json:"older"`
	Newer     string            `json:"newer"`
	Sections  []SectionChange   `json:"sections"` // in the newer version's order, dropped ones last
	Criteria  []CriterionChange `json:"criteria"` // likewise
	Shifted   []CriterionChange `json:"shifted"`  // unchanged except for their share, since other weights changed
	Audiences []Amended         `json:"audiences"`
	Rest      []string          `json:"rest"` // title, policy, vocabulary, kit and shots
}

// What may have changed about a section, a criterion or an audience.
const (
	Added         = "added"
	Dropped       = "dropped"
	WeightChanged = "weight-changed"
	Moved         = "moved"
	RuleChange    = "rule changed"
	GateChange    = "gate changed"
	NeedsOther    = "needs changed"
	TakenOther    = "procedure changed"
	Wording       = "wording only"
)

// SectionChange is a section that differs. Shares are of the total, 0–1.
type SectionChange struct {
	Key      string   `json:"key"`
	Title    string   `json:"title"`
	Sorts    []string `json:"sorts"`
	OldShare float64  `json:"oldShare"`
	NewShare float64  `json:"newShare"`
}

// CriterionChange is a criterion that differs. Shares are of the total, 0–1, as
// the lists' own weights have it.
type CriterionChange struct {
	Key      string   `json:"key"`
	Title    string   `json:"title"`
	Section  string   `json:"section"`
	Sorts    []string `json:"sorts"`
	OldShare float64  `json:"oldShare"`
	NewShare float64  `json:"newShare"`
	Details  []string `json:"details"` // before and after, one line each
}

// Amended is any other difference, with both values.
type Amended struct {
	Key     string   `json:"key"`
	Title   string   `json:"title"`
	Sorts   []string `json:"sorts"`
	Details []string `json:"details"`
}

// Differ returns what differs from the older version to the newer.
func Differ(older, newer *Checklist) Difference {
	d := Difference{
		Older: older.Name(), Newer: newer.Name(),
		Sections: []SectionChange{}, Criteria: []CriterionChange{}, Shifted: []CriterionChange{}, Audiences: []Amended{},
	}
	was, is := Shares(older, Audience{}), Shares(newer, Audience{})
	d.sections(older, newer)
	for _, s := range newer.Sections {
		for i := range s.Criteria {
			d.criterion(older, s.Key, &s.Criteria[i], was, is)
		}
	}
	for _, s := range older.Sections {
		for i := range s.Criteria {
			if c := &s.Criteria[i]; !has(newer, c.Key) {
				d.Criteria = append(
					d.Criteria,
					CriterionChange{
						Key:      c.Key,
						Title:    c.Title,
						Section:  s.Key,
						Sorts:    []string{Dropped},
						OldShare: was[c.Key],
						Details:  []string{},
					},
				)
			}
		}
	}
	d.audiences(older, newer)
	d.Rest = rest(older, newer)
	return d
}

func has(c *Checklist, criterion string) bool {
	_, ok := c.Criterion(criterion)
	return ok
}

func (c *Checklist) section(key string) (*Section, bool) {
	i := slices.IndexFunc(c.Sections, func(s Section) bool { return s.Key == key })
	if i < 0 {
		return nil, false
	}
	return &c.Sections[i], true
}

func (d *Difference) sections(older, newer *Checklist) {
	was, is := older.SectionShares(Audience{}), newer.SectionShares(Audience{})
	before := map[string]float64{}
	for i, s := range older.Sections {
		before[s.Key] = was[i]
	}
	for i, s := range newer.Sections {
		change := SectionChange{Key: s.Key, Title: s.Title, NewShare: is[i]}
		old, ok := older.section(s.Key)
		switch {
		case !ok:
			change.Sorts = []string{Added}
		default:
			change.OldShare = before[s.Key]
			if !equal(change.OldShare, change.NewShare) {
				change.Sorts = append(change.Sorts, WeightChanged)
			} else if old.Title != s.Title {
				change.Sorts = append(change.Sorts, Wording)
			}
		}
		if change.Sorts != nil {
			d.Sections = append(d.Sections, change)
		}
	}
	for _, s := range older.Sections {
		if _, ok := newer.section(s.Key); !ok {
			d.Sections = append(
				d.Sections,
				SectionChange{Key: s.Key, Title: s.Title, Sorts: []string{Dropped}, OldShare: before[s.Key]},
			)
		}
	}
}

func (d *Difference) criterion(older *Checklist, section string, c *Criterion, was, is map[string]float64) {
	change := CriterionChange{
		Key:      c.Key,
		Title:    c.Title,
		Section:  section,
		OldShare: was[c.Key],
		NewShare: is[c.Key],
		Details:  []string{},
	}
	old, ok := older.Criterion(c.Key)
	if !ok {
		change.Sorts = []string{Added}
		d.Criteria = append(d.Criteria, change)
		return
	}
	shifted := !equal(change.OldShare, change.NewShare)
	if shifted && !equal(old.Weight, c.Weight) {
		change.Sorts = append(change.Sorts, WeightChanged)
		change.tell("weight", written(old.Weight), written(c.Weight))
	}
	if from := older.SectionOf(c.Key); from != section {
		change.Sorts = append(change.Sorts, Moved)
		change.tell("section", from, section)
	}
	if !SameRule(old, c) {
		change.Sorts = append(change.Sorts, RuleChange)
		change.rules(old, c)
	}
	if !reflect.DeepEqual(old.Gate, c.Gate) {
		change.Sorts = append(change.Sorts, GateChange)
		change.tell("gate", optional(old.Gate), optional(c.Gate))
	}
	if !slices.Equal(old.Needs, c.Needs) {
		change.Sorts = append(change.Sorts, NeedsOther)
		change.tell("needs", strings.Join(old.Needs, ", "), strings.Join(c.Needs, ", "))
	}
	if old.Procedure.String() != c.Procedure.String() {
		change.Sorts = append(change.Sorts, TakenOther)
		change.Details = append(change.Details, procedures(old.Procedure, c.Procedure)...)
	}
	if wording := worded(old, c); len(wording) > 0 {
		if change.Sorts == nil {
			change.Sorts = []string{Wording}
		}
		change.Details = append(change.Details, wording...)
	}
	switch {
	case change.Sorts != nil:
		d.Criteria = append(d.Criteria, change)
	case shifted:
		d.Shifted = append(d.Shifted, change)
	}
}

func equal(a, b float64) bool { return math.Abs(a-b) <= 1e-9 }
