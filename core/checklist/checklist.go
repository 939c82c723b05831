// Package checklist defines the shared weighted checklist: its sections and criteria, the scoring rules, its
// audiences and its policy.
package checklist

import "fmt"

// State is the stage in the life of a checklist version.
type State string

// The states of a version.
const (
	Draft   State = "draft"
	InForce State = "in-force"
	Retired State = "retired"
)

// Checklist is one version of a checklist.
type Checklist struct {
	Key        string     `json:"key"`
	Version    int        `json:"version"`
	Title      string     `json:"title,omitempty"`
	State      State      `json:"state"`
	Maximum    float64    `json:"maximum,omitempty"` // points of a perfect total; 0 means 100
	Policy     Policy     `json:"policy,omitzero"`
	Vocabulary Vocabulary `json:"vocabulary,omitzero"`
	Kit        []KitFile  `json:"kit,omitempty"`
	Shots      []Named    `json:"shots,omitempty"`
	Sections   []Section  `json:"sections"`
	Audiences  []Audience `json:"audiences,omitempty"`
	Measuring  Measuring  `json:"measuring,omitzero"`
}

// Policy is how a checklist's points become a ranking. For nil fields the methods below return the defaults.
type Policy struct {
	MinCoverage  *float64 `json:"minCoverage,omitempty"`
	DeadHeat     *float64 `json:"deadHeat,omitempty"`
	Balance      *float64 `json:"balance,omitempty"`
	Reviewers    string   `json:"reviewers,omitempty"` // mean or median
	Disagreement *float64 `json:"disagreement,omitempty"`
	Decisive     []string `json:"decisive,omitempty"`
	Rigs         string   `json:"rigs,omitempty"` // as-measured or adjusted
}

// How measures count if editions were measured on different rigs.
const (
	AsMeasured = "as-measured" // only rigs on which the edition was measured; also the default
	Adjusted   = "adjusted"    // estimated values for the missing rigs
)

// AdjustsRigs reports whether values are estimated for the rigs on which an edition was not measured.
func (p Policy) AdjustsRigs() bool { return p.Rigs == Adjusted }

// Adjusts reports whether values are estimated for a criterion.
func (p Policy) Adjusts(c *Criterion) bool { return p.AdjustsRigs() && c.Measured() && c.Across == "" }

// CoverageNeeded is the least coverage, 0–1, that an edition needs to be ranked.
func (p Policy) CoverageNeeded() float64 { return or(p.MinCoverage, 0.8) }

// Margin is the largest difference in points within which editions share a dead heat.
func (p Policy) Margin() float64 { return or(p.DeadHeat, 0.5) }

// Exponent is the balance r of the power mean over sections, −10 to 1.
func (p Policy) Exponent() float64 { return or(p.Balance, 1) }

// GradesApart is how far reviewers' grades may differ without a remark.
func (p Policy) GradesApart() float64 { return or(p.Disagreement, 3) }

// Vocabulary lists the words that contexts are chosen from.
type Vocabulary struct {
	Methods []Named `json:"methods,omitempty"`
	Setups  []Named `json:"setups,omitempty"`
	Phases  []Named `json:"phases,omitempty"`
}

// Named is a key with a title for people.
type Named struct {
	Key   string `json:"key"`
	Title string `json:"title,omitempty"`
}

// KitFile is a test file that every reviewer uses, identified by its hash.
type KitFile struct {
	Name   string `json:"name"`
	Size   int64  `json:"size"`
	SHA256 string `json:"sha256"`
	Note   string `json:"note,omitempty"`
}

// Section is a weighted part of a checklist.
type Section struct {
	Key      string      `json:"key"`
	Title    string      `json:"title,omitempty"`
	Weight   float64     `json:"weight"`
	Criteria []Criterion `json:"criteria"`
}

// Audience is a named set of weights and gates for one kind of reader. What it does not name is as in the checklist.
type Audience struct {
	Key      string             `json:"key"`
	Title    string             `json:"title,omitempty"`
	Sections map[string]float64 `json:"sections,omitempty"`
	Criteria map[string]float64 `json:"criteria,omitempty"`
	Gates    map[string]float64 `json:"gates,omitempty"`
}

// Name returns the checklist's key and version as key@version.
func (c *Checklist) Name() string { return fmt.Sprintf("%s@%d", c.Key, c.Version) }

// MaximumPoints is the total that a perfect edition reaches.
func (c *Checklist) MaximumPoints() float64 {
	if c.Maximum == 0 {
		return 100
	}
	return c.Maximum
}

// find returns a criterion and its section; nil if there is no such key.
func (c *Checklist) find(key string) (*Section, *Criterion) {
	for i := range c.Sections {
		s := &c.Sections[i]
		for j := range s.Criteria {
			if s.Criteria[j].Key == key {
				return s, &s.Criteria[j]
			}
		}
	}
	return nil, nil
}

// Criterion finds a criterion by its key.
func (c *Checklist) Criterion(key string) (*Criterion, bool) {
	_, criterion := c.find(key)
	return criterion, criterion != nil
}

// SectionOf returns the key of the section that holds a criterion; empty if there is none.
func (c *Checklist) SectionOf(criterion string) string {
	if s, _ := c.find(criterion); s != nil {
		return s.Key
	}
	return ""
}

// Audience finds an audience by its key. The empty key stands for the checklist's own weights and gates.
func (c *Checklist) Audience(key string) (Audience, bool) {
	if key == "" {
		return Audience{}, true
	}
	for _, a := range c.Audiences {
		if a.Key == key {
			return a, true
		}
	}
	return Audience{}, false
}

// SectionWeight is the section's weight for this audience.
func (a Audience) SectionWeight(s *Section) float64 {
	if w, ok := a.Sections[s.Key]; ok {
		return w
	}
	return s.Weight
}

// CriterionWeight is the criterion's weight within its section for this audience.
func (a Audience) CriterionWeight(c *Criterion) float64 {
	if w, ok := a.Criteria[c.Key]; ok {
		return w
	}
	return c.Weight
}

// Gate returns the points that the criterion needs for this audience, and whether it has a gate.
func (a Audience) Gate(c *Criterion) (float64, bool) {
	if g, ok := a.Gates[c.Key]; ok {
		return g, true
	}
	if c.Gate != nil {
		return *c.Gate, true
	}
	return 0, false
}

func or(p *float64, otherwise float64) float64 {
	if p == nil {
		return otherwise
	}
	return *p
}
