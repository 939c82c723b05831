package checklist

import (
	"strings"
	"testing"

	"dappertally/core/fault"
)

// byProcedure is a checklist with one measure that a client takes.
func byProcedure(alter func(p *Procedure)) *Checklist {
	precision := 0.03
	p := &Procedure{
		Steps: []Step{
			{Run: []string{"tar", "-xf", "a.tar"}},
		}, Before: []Step{{Shell: "seq 9 > x"}}, Kit: []string{"a.tar"},
		Environment: map[string]string{"LC_ALL": "C"}, Limit: 60, Needs: []Need{NeedsRoot},
		Read: Read{Figure: ByPattern, Pattern: `took (\d+)`, File: "out/log", Unit: "ms"},
		Sampling: Sampling{
			Least:     6,
			Most:      12,
			Precision: &precision,
			Discard:   1,
			Boots:     2,
			Caches:    CachesDropped,
			Settle:    2,
		},
	}
	alter(p)
	return &Checklist{
		Key: "bench", Version: 1, State: InForce,
		Kit: []KitFile{{Name: "a.tar", Size: 1, SHA256: strings.Repeat("0", 64)}},
		Sections: []Section{{Key: "s", Weight: 1, Criteria: []Criterion{{
			Key: "unpack", Kind: Measure, Unit: "s", Better: "lower", Weight: 1,
			Curve: &Curve{Shape: Ratio, Poor: 10, Ideal: 1}, Procedure: p,
		}}}},
	}
}

func TestProcedureIsChecked(t *testing.T) {
	for name, c := range map[string]struct {
		alter func(p *Procedure)
		says  string // empty: it is sound
	}{
		"sound":          {func(*Procedure) {}, ""},
		"defaults":       {func(p *Procedure) { *p = Procedure{Steps: p.Steps, Read: Read{Figure: WallTime}} }, ""},
		"no step":        {func(p *Procedure) { p.Steps = nil }, "needs at least one step"},
		"both":           {func(p *Procedure) { p.Steps[0].Shell = "x" }, "either run"},
		"neither":        {func(p *Procedure) { p.Before[0] = Step{} }, "either run"},
		"no program":     {func(p *Procedure) { p.Steps[0].Run = []string{""} }, "is not a command"},
		"a zero byte":    {func(p *Procedure) { p.Steps[0].Run = []string{"a\x00b"} }, "is not a command"},
		"long":           {func(p *Procedure) { p.Before[0].Shell = strings.Repeat("x", 5000) }, "longer than"},
		"many":           {func(p *Procedure) { p.Steps = make([]Step, 30) }, "more than 20 steps"},
		"kit":            {func(p *Procedure) { p.Kit = []string{"b.tar"} }, `no test file "b.tar"`},
		"variable":       {func(p *Procedure) { p.Environment["1X"] = "y" }, "is not a variable"},
		"limit":          {func(p *Procedure) { p.Limit = -1 }, "between 0 and"},
		"need":           {func(p *Procedure) { p.Needs = []Need{"luck"} }, "root, graphics or network"},
		"figure":         {func(p *Procedure) { p.Read.Figure = "feeling" }, "must be wall"},
		"no pattern":     {func(p *Procedure) { p.Read.Pattern = "" }, "is required by the figure pattern"},
		"bad pattern":    {func(p *Procedure) { p.Read.Pattern = "(" }, "not a regular expression"},
		"two groups":     {func(p *Procedure) { p.Read.Pattern = "(a)(b)" }, "needs one group"},
		"pointer":        {func(p *Procedure) { p.Read = Read{Figure: ByPointer, Pointer: "a/b"} }, "not a JSON pointer"},
		"file of a time": {func(p *Procedure) { p.Read = Read{Figure: WallTime, File: "x"} }, "figures that are printed"},
		"a fact": {func(p *Procedure) {
			*p = Procedure{Read: Read{Figure: FromSurvey, Fact: "start.total"}}
		}, ""},
		"no fact":            {func(p *Procedure) { p.Read = Read{Figure: FromSurvey} }, "is required by the figure fact"},
		"a fact of a time":   {func(p *Procedure) { p.Read = Read{Figure: WallTime, Fact: "x"} }, "figure fact"},
		"outside":            {func(p *Procedure) { p.Read.File = "../x" }, "in the folder of the run"},
		"absolute":           {func(p *Procedure) { p.Read.File = "/etc/passwd" }, "in the folder of the run"},
		"most before least":  {func(p *Procedure) { p.Sampling.Most = 3 }, "fewer than the minimum of 6 runs"},
		"starts":             {func(p *Procedure) { p.Sampling.Boots = 20 }, "more than the 12 runs"},
		"precision":          {func(p *Procedure) { *p.Sampling.Precision = 0 }, "between 0.0001 and 1"},
		"caches":             {func(p *Procedure) { p.Sampling.Caches = "warm" }, "kept or dropped"},
		"negative":           {func(p *Procedure) { p.Sampling.Discard = -1 }, "between 0 and 1000"},
		"settling for years": {func(p *Procedure) { p.Sampling.Settle = 1e9 }, "between 0 and"},
	} {
		var book fault.Book
		Validate(byProcedure(c.alter), &book)
		says := book.List().Line()
		if (c.says == "") != (len(book.List()) == 0) || !strings.Contains(says, c.says) {
			t.Errorf("%s: %q, want %q", name, says, c.says)
		}
	}
	list := byProcedure(func(*Procedure) {})
	list.Sections[0].Criteria[0].Kind = Grade
	var book fault.Book
	Validate(list, &book)
	if !strings.Contains(book.List().Line(), "procedure") {
		t.Errorf("a grade with a procedure: %s", book.List().Line())
	}
}

// TestProcedureChanged: a changed procedure is reported, and does not count as another rule.
func TestProcedureChanged(t *testing.T) {
	old := byProcedure(func(*Procedure) {})
	for name, c := range map[string]struct {
		alter func(p *Procedure)
		says  string
	}{
		"same":      {func(*Procedure) {}, ""},
		"step":      {func(p *Procedure) { p.Steps[0].Run[2] = "b.tar" }, "steps: tar -xf a.tar → tar -xf b.tar"},
		"before":    {func(p *Procedure) { p.Before = nil }, "before each run: seq 9 > x → none"},
		"figure":    {func(p *Procedure) { p.Read = Read{Figure: WallTime} }, "out/log ms → wall"},
		"runs":      {func(p *Procedure) { p.Sampling.Most = 30 }, "maximum runs: 12 → 30"},
		"caches":    {func(p *Procedure) { p.Sampling.Caches = "" }, "file caches: dropped → kept"},
		"variables": {func(p *Procedure) { p.Environment["A"] = "b" }, "environment: LC_ALL=C → A=b LC_ALL=C"},
	} {
		next := byProcedure(c.alter)
		next.Version = 2
		d := Differ(old, next)
		if c.says == "" {
			if len(d.Criteria) != 0 {
				t.Errorf("%s: %+v", name, d.Criteria)
			}
			continue
		}
		if len(d.Criteria) != 1 || d.Criteria[0].Sorts[0] != TakenOther ||
			!strings.Contains(strings.Join(d.Criteria[0].Details, "\n"), c.says) {
			t.Errorf("%s: %+v, want %q", name, d.Criteria, c.says)
		}
		if a, b := &old.Sections[0].Criteria[0], &next.Sections[0].Criteria[0]; !SameRule(a, b) {
			t.Errorf("%s: another procedure is another rule", name)
		}
	}
	next := byProcedure(func(*Procedure) {})
	next.Version, next.Sections[0].Criteria[0].Procedure = 2, nil
	if d := Differ(old, next); len(d.Criteria) != 1 ||
		!strings.Contains(d.Criteria[0].Details[0], "no longer measured automatically") {
		t.Errorf("without a procedure: %+v", d.Criteria)
	}
}

func TestRunsOfAProcedure(t *testing.T) {
	c := &Criterion{
		Kind:      Measure,
		Unit:      "min",
		Runs:      Runs{Expect: 9},
		Procedure: &Procedure{Read: Read{Figure: WallTime}},
	}
	p := c.Procedure
	if c.LeastRuns() != 9 || c.MostRuns() != 30 || p.WantedPrecision() != 0.02 || p.SettleTime() != 1 ||
		p.LimitTime() != 3600 {
		t.Errorf(
			"defaults: %d to %d runs, %v, %v, %v",
			c.LeastRuns(),
			c.MostRuns(),
			p.WantedPrecision(),
			p.SettleTime(),
			p.LimitTime(),
		)
	}
	if p.UnitOf(c) != "s" || p.Requires(NeedsRoot) {
		t.Errorf("wall time is in %s", p.UnitOf(c))
	}
	p.Read, p.Sampling.Caches = Read{Figure: LastNumber}, CachesDropped
	if p.UnitOf(c) != "min" || !p.Requires(NeedsRoot) {
		t.Errorf("a printed figure is in %s", p.UnitOf(c))
	}
}
