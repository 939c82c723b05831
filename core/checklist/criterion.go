package checklist

// Scope is what a reading applies to.
type Scope string

// The scopes; the empty one is the edition.
const (
	ScopeEdition      Scope = "edition"
	ScopeRelease      Scope = "release"
	ScopeDistribution Scope = "distribution"
)

// Wide reports whether readings of a scope count for editions that have none of their own.
func (s Scope) Wide() bool { return s == ScopeRelease || s == ScopeDistribution }

// Criterion is one question of the checklist.
type Criterion struct {
	Key              string   `json:"key"`
	Title            string   `json:"title,omitempty"`
	Guidance         string   `json:"guidance,omitempty"`
	Kind             Kind     `json:"kind"`
	Weight           float64  `json:"weight,omitempty"`
	Unit             string   `json:"unit,omitempty"`
	Better           string   `json:"better,omitempty"` // lower or higher
	Context          Context  `json:"context,omitzero"`
	Runs             Runs     `json:"runs,omitzero"`
	Plausible        *Range   `json:"plausible,omitempty"` // plausible values of a measure
	Curve            *Curve   `json:"curve,omitempty"`
	WorkaroundPoints *float64 `json:"workaroundPoints,omitempty"`
	WorkaroundShare  *float64 `json:"workaroundShare,omitempty"`
	Items            []Item   `json:"items,omitempty"`
	Levels           []Rung   `json:"levels,omitempty"`
	Gate             *float64 `json:"gate,omitempty"`
	Needs            []string `json:"needs,omitempty"`
	Across           string   `json:"across,omitempty"` // "" or worst
	Scope            Scope    `json:"scope,omitempty"`
	Survey           string   `json:"survey,omitempty"` // the surveyed fact that answers it

	Procedure *Procedure `json:"procedure,omitempty"` // how a client takes the measure automatically
	// Reference: a measure that is never scored, but shows whether a rig itself has changed: its figure depends on the
	// machine and not on what is reviewed. Its procedure is run first in every session.
	Reference bool `json:"reference,omitempty"`
}

// Context makes readings comparable, together with the rig. In a criterion's rule an empty field accepts every value.
type Context struct {
	Method string `json:"method,omitempty"`
	Setup  string `json:"setup,omitempty"`
	Phase  string `json:"phase,omitempty"`
}

// Accepts reports whether a reading made in context x scores under rule c.
func (c Context) Accepts(x Context) bool {
	return (c.Method == "" || c.Method == x.Method) &&
		(c.Setup == "" || c.Setup == x.Setup) &&
		(c.Phase == "" || c.Phase == x.Phase)
}

// Runs is how a measure is repeated and summarized.
type Runs struct {
	Expect    int      `json:"expect,omitempty"`
	Summary   string   `json:"summary,omitempty"`   // median (default), mean, best
	Tolerance *float64 `json:"tolerance,omitempty"` // relative scatter that still counts as steady
}

// Item is one entry of a count.
type Item struct {
	Key    string   `json:"key"`
	Title  string   `json:"title,omitempty"`
	Weight *float64 `json:"weight,omitempty"`
}

// Rung is one of a criterion's ordered levels.
type Rung struct {
	Key    string  `json:"key"`
	Title  string  `json:"title,omitempty"`
	Points float64 `json:"points"`
}

// LowerIsBetter reports whether lower values of a measure are better.
func (c *Criterion) LowerIsBetter() bool { return c.Better == "lower" }

// Workaround is the points of a check that only works with a workaround.
func (c *Criterion) Workaround() float64 { return or(c.WorkaroundPoints, 60) }

// WorkaroundWorth returns the share of an item's weight that a workaround earns.
func (c *Criterion) WorkaroundWorth() float64 { return or(c.WorkaroundShare, 0.6) }

// Tolerance returns the relative difference below which values are too close to call.
func (c *Criterion) Tolerance() float64 { return or(c.Runs.Tolerance, 0.05) }

// ItemWeight returns the weight of an item, and whether the criterion has that item.
func (c *Criterion) ItemWeight(key string) (float64, bool) {
	for _, it := range c.Items {
		if it.Key == key {
			return or(it.Weight, 1), true
		}
	}
	return 0, false
}

// LevelKeys are the criterion's levels in their order.
func (c *Criterion) LevelKeys() []string {
	keys := make([]string, len(c.Levels))
	for i := range c.Levels {
		keys[i] = c.Levels[i].Key
	}
	return keys
}
