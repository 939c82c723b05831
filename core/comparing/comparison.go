// Package comparing compares editions: it determines which figures are comparable, and how far they differ.
package comparing

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Verdict is what a difference means.
type Verdict string

// The verdicts.
const (
	Better        Verdict = "better"
	Worse         Verdict = "worse"
	TooClose      Verdict = "too close"
	NotComparable Verdict = "not comparable"
)

// Comparison is the measures of editions against those of a baseline.
type Comparison struct {
	Baseline       string  `json:"baseline"`
	Rows           []Row   `json:"rows"` // by edition, then checklist, then rig
	GeometricMeans []Means `json:"geometricMeans"`
}

// Row is one measure of one edition on one rig, compared with the baseline. If the two are not comparable, it has no
// numbers, and Reason names what differs.
type Row struct {
	Edition       string   `json:"edition"`
	Baseline      string   `json:"baseline"`
	Criterion     string   `json:"criterion"`
	Rig           string   `json:"rig"`
	BaselineValue *float64 `json:"baselineValue"`
	Value         *float64 `json:"value"`
	Difference    *float64 `json:"difference"` // value − baseline's
	Percent       *float64 `json:"percent"`    // relative to |baseline's|; nil if that is 0
	Verdict       Verdict  `json:"verdict"`
	Reason        string   `json:"reason,omitempty"`
	Runs          *Spread  `json:"runs,omitempty"`         // interval of the value; nil for a single run
	BaselineRuns  *Spread  `json:"baselineRuns,omitempty"` // interval of the baseline's
	// Boots and BaselineBoots are in how many starts of the machine the runs of the value and of the baseline were
	// made; 0: not known. Caution explains if these are too few.
	Boots         int    `json:"boots,omitempty"`
	BaselineBoots int    `json:"baselineBoots,omitempty"`
	Caution       string `json:"caution,omitempty"`
}

// Spread is the lowest and highest adjusted run of all reviewers on a rig.
type Spread struct {
	Least float64 `json:"least"`
	Most  float64 `json:"most"`
	Count int     `json:"count"`
}

// Means is the geometric mean of an edition's ratios to the baseline, each oriented so that above 1 is better, over
// the (criterion, rig) pairs for which both have values above 0 (Fleming & Wallace, CACM 1986).
type Means struct {
	Edition  string   `json:"edition"`
	Baseline string   `json:"baseline"`
	Ratio    *float64 `json:"ratio"`
	Over     int      `json:"over"` // number of ratios
	// Ratios are the ratios of the mean, in the order of the rows. Carries is the one that moves the mean furthest
	// from 1, and CarriedShare its share of the total movement, 0–1.
	Ratios       []RatioOn `json:"ratios,omitempty"`
	Carries      *RatioOn  `json:"carries,omitempty"`
	CarriedShare float64   `json:"carriedShare,omitempty"`
}

// RatioOn is the ratio of one measure on one rig; above 1 is better.
type RatioOn struct {
	Criterion string  `json:"criterion"`
	Rig       string  `json:"rig"`
	Ratio     float64 `json:"ratio"`
}

// Compare compares the measures of the given editions with the baseline's. If editions is nil, it compares all of the
// table.
func Compare(t *scoring.Table, baseline string, editions []string) (Comparison, error) {
	if t.Row(baseline) < 0 {
		return Comparison{}, fmt.Errorf("%s has no accepted review on %s", baseline, t.Checklist.Name())
	}
	if editions == nil {
		editions = t.Editions
	}
	baselines := map[string]string{}
	for _, e := range editions {
		if e != baseline {
			baselines[e] = baseline
		}
	}
	c := CompareEach(t, baselines)
	c.Baseline = baseline
	return c, nil
}

// CompareEach compares the measures of each edition with a baseline of its own, such as the release before. Editions
// that are not in the table are left out.
func CompareEach(t *scoring.Table, baselines map[string]string) Comparison {
	c := Comparison{Rows: []Row{}, GeometricMeans: []Means{}}
	for _, edition := range slices.Sorted(maps.Keys(baselines)) {
		baseline := baselines[edition]
		e, base := t.Row(edition), t.Row(baseline)
		if e < 0 || base < 0 || base == e {
			continue
		}
		first := len(c.Rows)
		of, against := t.Cells(e), t.Cells(base)
		for i, criterion := range t.Criteria {
			if !criterion.Measured() {
				continue
			}
			for _, r := range rows(&against[i], &of[i], criterion) {
				r.Edition, r.Baseline = edition, baseline
				c.Rows = append(c.Rows, r)
			}
		}
		c.GeometricMeans = append(c.GeometricMeans, meansOf(t, c.Rows[first:], edition, baseline))
	}
	return c
}

// CompareWithRecords compares the measures of editions with the current records in the same place. A record is one
// value without runs, so only the tolerance decides what is too close to call. An edition that holds the record is
// too close to itself.
func CompareWithRecords(t *scoring.Table, records []Records, editions []string) Comparison {
	c := Comparison{Rows: []Row{}, GeometricMeans: []Means{}}
	for e, edition := range t.Editions {
		if !slices.Contains(editions, edition) {
			continue
		}
		cells := t.Cells(e)
		for i, criterion := range t.Criteria {
			if !criterion.Measured() {
				continue
			}
			for r := range cells[i].Rigs {
				if x := &cells[i].Rigs[r]; x.Counts() {
					c.Rows = append(c.Rows, withRecord(x, criterion, edition, records))
				}
			}
		}
		c.GeometricMeans = append(c.GeometricMeans, recordMeans(t, c.Rows, edition))
	}
	return c
}

func withRecord(x *scoring.OnRig, c *checklist.Criterion, edition string, records []Records) Row {
	r := Row{Edition: edition, Criterion: c.Key, Rig: x.Rig, Verdict: NotComparable}
	context, same := x.Context()
	if !same {
		r.Reason = "the readings were made in several contexts"
		return r
	}
	k := slices.IndexFunc(records, func(k Records) bool {
		return k.Criterion == c.Key && k.Rig == x.Rig && k.Method == context.Method && k.Setup == context.Setup &&
			k.Phase == context.Phase
	})
	if k < 0 {
		r.Reason = "there is no record in this context"
		return r
	}
	record, value := records[k].Newest(), x.Mean()
	r.Baseline = record.Edition
	r.weigh(record.Value, value)
	r.Runs = spreadOf(x.Runs())
	switch {
	case math.Abs(value-record.Value) <= c.Tolerance()*max(math.Abs(value), math.Abs(record.Value))+scoring.Slack || len(x.Bounds()) > 0:
		r.Verdict = TooClose
	default:
		r.Verdict = towards(*r.Difference, c)
	}
	return r
}

func recordMeans(t *scoring.Table, rows []Row, edition string) Means {
	held := make([]Row, 0, len(rows))
	for _, r := range rows {
		if r.Edition == edition {
			r.Baseline = ""
			held = append(held, r)
		}
	}
	return meansOf(t, held, edition, "")
}

// gain returns the logarithm of the ratio of x to b, above 0 if x is better.
func gain(x, b float64, c *checklist.Criterion) float64 {
	if c.LowerIsBetter() {
		return math.Log(b / x)
	}
	return math.Log(x / b)
}

// meansOf summarizes the rows of one edition against one baseline.
func meansOf(t *scoring.Table, rows []Row, edition, baseline string) Means {
	m := Means{Edition: edition, Baseline: baseline}
	var logs, moved, most float64
	carries := -1
	for i := range rows {
		r := &rows[i]
		if r.Edition != edition || r.Baseline != baseline || r.Value == nil || *r.Value <= 0 || *r.BaselineValue <= 0 {
			continue
		}
		i, _ := t.Index(r.Criterion)
		g := gain(*r.Value, *r.BaselineValue, t.Criteria[i])
		logs += g
		moved += math.Abs(g)
		if math.Abs(g) > most+scoring.Slack {
			most, carries = math.Abs(g), m.Over
		}
		m.Ratios = append(m.Ratios, RatioOn{r.Criterion, r.Rig, math.Exp(g)})
		m.Over++
	}
	if carries >= 0 {
		m.Carries, m.CarriedShare = &m.Ratios[carries], most/moved
	}
	if m.Over > 0 {
		ratio := math.Exp(logs / float64(m.Over))
		m.Ratio = &ratio
	}
	return m
}

// rows compares one measure on every rig that both sides have.
func rows(base, other *scoring.Cell, c *checklist.Criterion) []Row {
	var out []Row
	for i := range base.Rigs {
		for j := range other.Rigs {
			if b, x := &base.Rigs[i], &other.Rigs[j]; b.Rig == x.Rig && b.Counts() && x.Counts() {
				out = append(out, row(b, x, c))
			}
		}
	}
	return out
}

func row(b, x *scoring.OnRig, c *checklist.Criterion) Row {
	r := Row{Criterion: c.Key, Rig: b.Rig, Verdict: NotComparable}
	if r.Reason = differs(b, x); r.Reason != "" {
		return r
	}
	r.weigh(b.Mean(), x.Mean())
	r.Runs, r.BaselineRuns = spreadOf(x.Runs()), spreadOf(b.Runs())
	ofX, ofB := x.Boots(), b.Boots()
	r.Boots, r.BaselineBoots = len(ofX), len(ofB)
	r.Caution = caution(r.Boots, r.BaselineBoots)
	r.Verdict = towards(*r.Difference, c)
	if tooClose(b, x, c, ofB, ofX) {
		r.Verdict = TooClose
	}
	return r
}

func spreadOf(runs []float64) *Spread {
	if len(runs) < 2 {
		return nil
	}
	return &Spread{slices.Min(runs), slices.Max(runs), len(runs)}
}

// weigh fills in a row's numbers.
func (r *Row) weigh(base, value float64) {
	difference := value - base
	r.BaselineValue, r.Value, r.Difference = &base, &value, &difference
	if base != 0 {
		percent := 100 * difference / math.Abs(base)
		r.Percent = &percent
	}
}

func towards(difference float64, c *checklist.Criterion) Verdict {
	if (difference < 0) == c.LowerIsBetter() {
		return Better
	}
	return Worse
}

// differs names the part of the context in which the readings differ; empty if they are comparable.
func differs(b, x *scoring.OnRig) string {
	cb, sameB := b.Context()
	cx, sameX := x.Context()
	switch {
	case !sameB || !sameX:
		return "the readings of one side were made in several contexts"
	case cb.Method != cx.Method:
		return fmt.Sprintf("method differs: %s here, %s at the baseline", named(cx.Method), named(cb.Method))
	case cb.Setup != cx.Setup:
		return fmt.Sprintf("setup differs: %s here, %s at the baseline", named(cx.Setup), named(cb.Setup))
	case cb.Phase != cx.Phase:
		return fmt.Sprintf("phase differs: %s here, %s at the baseline", named(cx.Phase), named(cb.Phase))
	}
	return ""
}

func named(key string) string {
	if key == "" {
		return "none stated"
	}
	return key
}

// Enough is how many runs, or medians of starts of the machine, each side needs for a test.
const Enough = 4

// tooClose reports whether the difference is within the tolerance or the scatter of the runs, or undecided because of
// a bound. If known, the runs of each side are also grouped by start of the machine.
//
// Runs of one start are not independent (Kalibera & Jones, Rigorous Benchmarking in Reasonable Time, ISMM 2013). If
// both sides have enough starts, the medians of the starts are tested; otherwise the runs.
func tooClose(b, x *scoring.OnRig, c *checklist.Criterion, bootsB, bootsX [][]float64) bool {
	vb, vx := b.Mean(), x.Mean()
	if math.Abs(vx-vb) <= c.Tolerance()*max(math.Abs(vx), math.Abs(vb))+scoring.Slack {
		return true
	}
	low, high := b, x
	if vb > vx {
		low, high = x, b
	}
	if slices.Contains(low.Bounds(), "at-least") || slices.Contains(high.Bounds(), "at-most") {
		return true
	}
	rb, rx := b.Runs(), x.Runs()
	if len(bootsB) >= Enough && len(bootsX) >= Enough {
		rb, rx = reading.BootMedians(bootsB), reading.BootMedians(bootsX)
	}
	return len(rb) >= Enough && len(rx) >= Enough && MannWhitney(rb, rx) >= 0.05-scoring.Slack
}

// caution says that a side's runs were made in too few starts of the machine; empty if there are enough, or if the
// number is not known.
func caution(boots, baselines int) string {
	fewest := boots
	if boots == 0 || baselines > 0 && baselines < boots {
		fewest = baselines
	}
	switch fewest {
	case 1:
		return "one boot only"
	case 2:
		return "two boots only"
	case 3:
		return "three boots only"
	}
	return ""
}
