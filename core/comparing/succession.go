package comparing

import (
	"fmt"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Development is how a criterion changed from one release to the next.
type Development string

// The developments.
const (
	Improved    Development = "improved"
	Worsened    Development = "worse"
	Same        Development = "same" // also if too close to call
	SplitByRig  Development = "split by rig"
	Newly       Development = "newly answered"
	NoLonger    Development = "no longer answered"
	FactChanged Development = "fact changed"
	FactSame    Development = "fact same"
	Otherwise   Development = "asked otherwise" // the two checklist versions ask or score it differently
	Unlike      Development = "not comparable"
)

// Succession compares a release of an edition line with an earlier one.
type Succession struct {
	Older    Stand           `json:"older"`
	Newer    Stand           `json:"newer"`
	Ground   []string        `json:"ground"` // keys of the common ground; nil if the version is the same
	Criteria []Developed     `json:"criteria"`
	Counts   map[string]int  `json:"counts"` // criteria, by development
	Findings FindingsOf      `json:"findings"`
	Changes  []ChangeSeen    `json:"changes"`
	Advice   ProposedAdvice  `json:"advice"`
	Given    *reading.Advice `json:"given"` // what a person decided; nil: nothing yet
}

// Stand is one side of a succession: an edition with its current review on a checklist version.
type Stand struct {
	Edition   string   `json:"edition"`
	Review    string   `json:"review"`
	Checklist string   `json:"checklist"`
	Overall   *float64 `json:"overall"` // on its own checklist version
	Ground    *float64 `json:"ground"`  // on the common ground, weighted by the newer version
	Barred    []string `json:"barred"`  // criteria whose gates were failed
}

// Developed is one criterion, compared from release to release.
type Developed struct {
	Criterion   string      `json:"criterion"`
	Development Development `json:"development"`
	Older       *float64    `json:"older"` // points
	Newer       *float64    `json:"newer"`
	Rows        []Row       `json:"rows"` // of a measure, by rig; the baseline is the older release
	Was         string      `json:"was,omitempty"`
	Is          string      `json:"is,omitempty"` // facts
	Gained      []string    `json:"gained,omitempty"`
	Lost        []string    `json:"lost,omitempty"`
	Reason      string      `json:"reason,omitempty"` // why it is not comparable
}

// FindingsOf groups the findings of two releases by what became of them.
type FindingsOf struct {
	New        []reading.Finding `json:"new"`
	Fixed      []reading.Finding `json:"fixed"`
	StillThere []reading.Finding `json:"stillThere"`
	Changed    []reading.Finding `json:"changed"`
	Open       []reading.Finding `json:"open"` // of the older release, without a follow-up
}

// ChangeSeen is a change, and whether it removes something.
type ChangeSeen struct {
	reading.Change
	Removal bool `json:"removal"`
}

// Side is an edition in the table of its checklist version, with its current review and the reviews that this one
// continues, the newest first.
type Side struct {
	Table   *scoring.Table
	Card    *scoring.Scorecard
	Edition string
	Reviews []*reading.Review
	Ground  *float64
}

// SucceedOn is Succeed for the checklist versions that the two releases have. If these differ, ground returns what
// both ask and score in the same way, and the scores on it.
func SucceedOn(older, newer Side, ground func(a, b *checklist.Checklist) (Ground, error)) (Succession, error) {
	a, b := older.Table.Checklist, newer.Table.Checklist
	if a.Name() == b.Name() {
		return Succeed(older, newer, nil), nil
	}
	g, err := ground(a, b)
	if err != nil {
		return Succession{}, err
	}
	older.Ground, newer.Ground = g.Of(older.Edition, a.Name()), g.Of(newer.Edition, b.Name())
	return Succeed(older, newer, g.Criteria), nil
}

// Succeed compares a release of a line with an earlier one. If their checklist versions differ, ground holds what
// both ask and score in the same way, and each side has its score on it; otherwise ground is nil.
func Succeed(older, newer Side, ground []string) Succession {
	s := Succession{
		Older:    older.stand(),
		Newer:    newer.stand(),
		Ground:   ground,
		Criteria: []Developed{},
		Counts:   map[string]int{},
		Changes:  []ChangeSeen{},
	}
	if ground == nil {
		s.Older.Ground, s.Newer.Ground = s.Older.Overall, s.Newer.Overall
	}
	for i, c := range newer.Table.Criteria {
		if d, ok := developed(&older, &newer, i, c); ok {
			s.Criteria = append(s.Criteria, d)
			s.Counts[string(d.Development)]++
		}
	}
	for _, c := range older.Table.Criteria {
		cell := older.cell(c.Key)
		if _, asked := newer.Table.Index(c.Key); !asked && cell != nil && cell.State == scoring.Answered {
			s.Criteria = append(
				s.Criteria,
				Developed{
					Criterion:   c.Key,
					Development: NoLonger,
					Older:       cell.Points,
					Was:         factOf(cell),
					Reason:      newer.Table.Checklist.Name() + " does not ask it",
					Rows:        []Row{},
				},
			)
			s.Counts[string(NoLonger)]++
		}
	}
	s.Findings = findingsOf(&older, &newer)
	for _, r := range newer.Reviews {
		for _, c := range r.Changes {
			s.Changes = append(s.Changes, ChangeSeen{c, c.Is == ""})
		}
		if len(r.Advice) > 0 && s.Given == nil {
			s.Given = &r.Advice[len(r.Advice)-1]
		}
	}
	slices.SortStableFunc(s.Changes, func(a, b ChangeSeen) int { return a.At.Compare(b.At) })
	s.Advice = propose(&s, newer.Table.Checklist.Policy.Margin())
	return s
}

func (x *Side) stand() Stand {
	s := Stand{
		Edition:   x.Edition,
		Review:    x.Card.Review,
		Checklist: x.Table.Checklist.Name(),
		Overall:   x.Card.Overall,
		Ground:    x.Ground,
		Barred:    []string{},
	}
	for _, b := range x.Card.Barred {
		s.Barred = append(s.Barred, b.Criterion)
	}
	return s
}

// cell returns the side's cell for a criterion; nil if its checklist version does not ask it.
func (x *Side) cell(criterion string) *scoring.Cell {
	e := x.Table.Row(x.Edition)
	i, ok := x.Table.Index(criterion)
	if !ok || e < 0 {
		return nil
	}
	return x.Table.Cell(e, i)
}

func factOf(c *scoring.Cell) string {
	if f := c.NewestFact(); f != nil {
		return f.String()
	}
	return ""
}

// developed returns how criterion i of the newer version changed; ok is false if neither side answered it.
func developed(older, newer *Side, i int, c *checklist.Criterion) (d Developed, ok bool) {
	was, is := older.cell(c.Key), newer.cell(c.Key)
	answered := func(cell *scoring.Cell) bool { return cell != nil && cell.State == scoring.Answered }
	d = Developed{Criterion: c.Key, Rows: []Row{}}
	if answered(was) {
		d.Older = was.Points
	}
	if answered(is) {
		d.Newer = is.Points
	}
	switch {
	case !answered(was) && !answered(is):
		return d, false
	case !answered(was):
		d.Development, d.Is = Newly, factOf(is)
		if was == nil {
			d.Reason = older.Table.Checklist.Name() + " does not ask it"
		}
		return d, true
	case !answered(is):
		d.Development, d.Was, d.Reason = NoLonger, factOf(was), reasonOf(is)
		return d, true
	}
	before, _ := older.Table.Checklist.Criterion(c.Key)
	if !checklist.SameRule(before, c) && !(!c.Scored() && !before.Scored()) {
		d.Development, d.Reason = Otherwise, fmt.Sprintf(
			"%s and %s ask or score it differently", older.Table.Checklist.Name(), newer.Table.Checklist.Name(),
		)
		return d, true
	}
	d.compare(was, is, c, older.Edition, newer.Edition)
	return d, true
}

func reasonOf(c *scoring.Cell) string {
	if c.Remarks == nil {
		return ""
	}
	return c.Reason
}

// compare sets how two answers to the same question differ.
func (d *Developed) compare(was, is *scoring.Cell, c *checklist.Criterion, older, newer string) {
	switch {
	case !c.Scored():
		d.Was, d.Is = factOf(was), factOf(is)
		d.Development = FactSame
		if x, y := was.NewestFact(), is.NewestFact(); x.Sort == reading.FactList && y.Sort == reading.FactList {
			d.Gained, d.Lost = reading.Missing(x.List, y.List), reading.Missing(y.List, x.List)
			if len(d.Gained)+len(d.Lost) > 0 {
				d.Development = FactChanged
			}
		} else if d.Was != d.Is {
			d.Development = FactChanged
		}
	case c.Measured():
		d.Rows = append(d.Rows, rows(was, is, c)...)
		for i := range d.Rows {
			d.Rows[i].Edition, d.Rows[i].Baseline = newer, older
		}
		better, worse, compared := onRigs(is, was, c)
		if compared == 0 {
			d.Development, d.Reason = Unlike, "no rig in common"
			if len(d.Rows) > 0 {
				d.Reason = d.Rows[0].Reason
			}
			return
		}
		d.Development = developments[byRigs(better, worse)]
	default:
		d.Development = developments[OutcomeOf(is, was, c)]
	}
}

var developments = map[Outcome]Development{Win: Improved, Loss: Worsened, Tie: Same, Split: SplitByRig}

// findingsOf groups the newer side's findings by what they say about the older side's.
func findingsOf(older, newer *Side) FindingsOf {
	f := FindingsOf{
		New:        []reading.Finding{},
		Fixed:      []reading.Finding{},
		StillThere: []reading.Finding{},
		Changed:    []reading.Finding{},
		Open:       []reading.Finding{},
	}
	followed := map[string]bool{}
	for _, r := range newer.Reviews {
		for _, x := range r.Findings {
			followed[x.Follows] = true
			switch {
			case x.Follows == "":
				f.New = append(f.New, x)
			case x.Fate == "fixed":
				f.Fixed = append(f.Fixed, x)
			case x.Fate == "changed":
				f.Changed = append(f.Changed, x)
			default:
				f.StillThere = append(f.StillThere, x)
			}
		}
	}
	for _, r := range older.Reviews {
		for _, x := range r.Findings {
			if !followed[x.ID] && x.Fate != "fixed" {
				f.Open = append(f.Open, x)
			}
		}
	}
	return f
}
