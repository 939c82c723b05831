package reports

import (
	"bytes"
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"dappertally/core/bundle"
	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/core/reporting"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/report"
	"dappertally/internal/reviewing"
	"dappertally/internal/store"
)

// Made is a report computed from the records, ready to be shown or frozen.
type Made struct {
	Document *report.Document
	Bundle   []byte
	Results  *reporting.Results
	Pictures map[string][]byte
	ReportCheck
}

// ReportCheck is what to settle before a report is published.
type ReportCheck struct {
	Unfilled []PartFault // references that cannot be filled in
	Typed    []PartFault // figures that look typed by hand
	Missing  []string    // selected editions without an accepted review
}

// PartFault is a place in the text of a part.
type PartFault struct {
	Part string
	report.Unfilled
}

// PreviewReport returns the page of a draft as it would be published now.
func (s *Service) PreviewReport(ctx context.Context, who *access.Actor, key string) ([]byte, error) {
	m, err := s.madeDraft(ctx, who, key)
	if err != nil {
		return nil, err
	}
	page, err := report.Preview(m.Document, m.Results, m.Pictures)
	if err != nil {
		return nil, ledger.Failed(err, "laying a report out")
	}
	return page, nil
}

// CheckReport lists what to settle before a draft is published.
func (s *Service) CheckReport(ctx context.Context, who *access.Actor, key string) (ReportCheck, error) {
	m, err := s.madeDraft(ctx, who, key)
	if err != nil {
		return ReportCheck{}, err
	}
	return m.ReportCheck, nil
}

func (s *Service) madeDraft(ctx context.Context, who *access.Actor, key string) (*Made, error) {
	r, err := s.ReportDraft(ctx, who, key)
	if err != nil {
		return nil, err
	}
	m, err := s.compose(ctx, &r.Draft.Spec)
	if err != nil {
		return nil, err
	}
	m.place(&r)
	if e := r.Draft.Erratum; e != nil {
		m.Document.Errata = append(m.Document.Errata, report.Erratum{Revision: len(r.Revisions) + 1, Erratum: *e})
	}
	return m, nil
}

// QuickReport returns the page of a comparison without authors' texts.
func (s *Service) QuickReport(
	ctx context.Context,
	q answers.Query,
	editions []string,
	baseline string,
) ([]byte, error) {
	spec := reporting.Spec{
		Title:      fmt.Sprintf("%d editions compared", len(editions)),
		Checklist:  q.Checklist,
		Audiences:  []string{q.Audience},
		Editions:   editions,
		Baseline:   baseline,
		CommonRigs: q.CommonRigs,
		Rigs:       q.Rigs,
		At:         q.At,
	}
	if len(editions) < answers.LeastCompared || len(editions) > answers.MostCompared {
		return nil, problem.Field(
			"edition", "name %d to %d editions, not %d", answers.LeastCompared, answers.MostCompared, len(editions),
		)
	}
	for _, k := range []string{reporting.Ranking, reporting.Measures, reporting.Method, reporting.Caveats} {
		spec.Parts = append(spec.Parts, reporting.Part{ID: k, Kind: k})
	}
	m, err := s.compose(ctx, &spec)
	if err != nil {
		return nil, err
	}
	page, err := report.Preview(m.Document, m.Results, nil)
	if err != nil {
		return nil, ledger.Failed(err, "laying a report out")
	}
	return page, nil
}

// place sets a report's series and authors.
func (m *Made) place(r *Report) {
	m.Document.Key, m.Document.Authors = r.Key, slices.Clone(r.Authors)
	if r.Series != nil {
		m.Document.Series = &report.SeriesPlace{Key: r.Series.Key, Title: r.Series.Title, Number: r.Number}
	}
	for _, x := range slices.Backward(r.Revisions) {
		if x.Erratum != nil {
			m.Document.Errata = append(m.Document.Errata, erratumOf(&x))
		}
		m.Document.Earlier = append(m.Document.Earlier, hex.EncodeToString(x.Seal))
	}
}

func erratumOf(x *ReportRevision) report.Erratum {
	return report.Erratum{Revision: x.Revision, At: x.Published, Erratum: *x.Erratum}
}

// compose computes a report from the present records, or from those of the moment that it names.
func (s *Service) compose(ctx context.Context, spec *reporting.Spec) (*Made, error) {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, err
	}
	moment := s.ledger.Now()
	if spec.At != nil {
		moment = spec.At.UTC()
		if state, err = s.answers.Past(ctx, state, moment); err != nil {
			return nil, err
		}
	}
	list, err := answers.Shown(state, spec.Checklist)
	if err != nil {
		return nil, err
	}
	question, missing, err := asked(state, list, spec)
	if err != nil {
		return nil, err
	}
	m := &Made{
		Document: &report.Document{Team: s.ledger.Team(), Spec: *spec, Moment: moment, Prose: map[string]string{}},
		Pictures: map[string][]byte{},
	}
	m.Missing = missing
	if m.Bundle, m.Results, err = s.results(ctx, state, list, question, spec); err != nil {
		return nil, err
	}
	if m.Document.Given, err = s.given(ctx, state, list, m.Results.Editions, spec); err != nil {
		return nil, err
	}
	for _, p := range spec.Parts {
		filled, faults := report.Fill(m.Results, p.Text)
		m.Document.Prose[p.ID] = filled
		for _, f := range faults {
			m.Unfilled = append(m.Unfilled, PartFault{p.ID, f})
		}
		for _, f := range typed(p.Text) {
			m.Typed = append(m.Typed, PartFault{p.ID, f})
		}
	}
	if spec.Has(reporting.Shots) {
		err = s.pictures(ctx, m)
	}
	return m, err
}

// asked determines what a report asks: the editions with an accepted review, those without, and the audiences.
func asked(
	state *ledger.Records,
	list *checklist.Checklist,
	spec *reporting.Spec,
) (q reporting.Question, missing []string, err error) {
	q = reporting.Question{Checklist: list.Name(), Audiences: slices.Clone(spec.Audiences), CommonRigs: spec.CommonRigs}
	var book fault.Book
	if len(q.Audiences) == 0 {
		q.Audiences = []string{""}
	}
	for i, a := range q.Audiences {
		if _, ok := list.Audience(a); !ok {
			book.In("audiences", func() {
				book.In(
					i,
					func() { book.Add("%s has no audience %.70q; it has %s", list.Name(), a, answers.Audiences(list)) },
				)
			})
		}
	}
	for i, r := range spec.Rigs {
		key := state.Catalogue.ResolveRig(r)
		if _, ok := state.Catalogue.RigVersions[key]; !ok {
			book.In("rigs", func() { book.In(i, func() { book.Add("there is no rig %.70q", r) }) })
		}
		q.Rigs = append(q.Rigs, key)
	}
	places := answers.AcceptedPlaces(state, list)
	stands := func(key string) bool {
		return slices.ContainsFunc(places, func(p catalogue.Place) bool { return p.Key() == key })
	}
	for i, e := range spec.Editions {
		key := state.Catalogue.Resolve(e)
		if _, ok := state.Edition(key); !ok {
			book.In("editions", func() {
				book.In(i, func() { book.Add("there is no edition %.70q; write distribution/release/edition", e) })
			})
		} else if !stands(key) {
			missing = append(missing, key)
		} else {
			q.Editions = append(q.Editions, key)
		}
	}
	if len(spec.Editions) == 0 {
		if err := answers.KnownGroup(state, &spec.Group); err != nil {
			return q, nil, err
		}
		for key := range spec.Group.Of(places) {
			q.Editions = append(q.Editions, key)
		}
	}
	slices.Sort(q.Editions)
	if spec.Baseline != "" {
		q.Baseline = state.Catalogue.Resolve(spec.Baseline)
		if !slices.Contains(q.Editions, q.Baseline) {
			book.Field(
				"baseline",
				"%.70q is not an edition of the report with an accepted review on %s",
				spec.Baseline,
				list.Name(),
			)
		}
	}
	switch n := len(q.Editions); {
	case n == 0:
		book.Field("editions", "none of them has an accepted review on %s", list.Name())
	case n > reporting.MostEditions:
		book.Field(
			"editions",
			"%d are more than the %d that a report can have; filter them",
			n,
			reporting.MostEditions,
		)
	}
	return q, missing, problem.From("the report", book.List())
}

// computed is what does not depend on the text.
type computed struct {
	bundle  []byte
	results *reporting.Results
}

// results makes a report's bundle and computes everything from its bytes, as anybody who has the bundle can.
func (s *Service) results(
	ctx context.Context,
	state *ledger.Records,
	list *checklist.Checklist,
	q reporting.Question,
	spec *reporting.Spec,
) ([]byte, *reporting.Results, error) {
	kinds := []string{}
	for _, p := range spec.Parts {
		kinds = append(kinds, p.Kind)
	}
	name, err := json.Marshal(struct {
		reporting.Question
		Kinds []string
	}{q, kinds})
	if err != nil {
		return nil, nil, err
	}
	c, err := ledger.Remember(ctx, state, "report "+string(name), func(ctx context.Context) (computed, error) {
		records := &bundle.Bundle{
			Checklists:    state.Checklists.Lists,
			Distributions: state.Catalogue.Distributions,
			Rigs:          state.Catalogue.Rigs,
			Reviews:       state.Input(list).Reviews,
		}
		public, err := reporting.PublicOf(records, list, q.Editions, spec, s.opener(ctx, state))
		if err != nil {
			return computed{}, err
		}
		var out bytes.Buffer
		if err := bundle.Write(&out, public); err != nil {
			return computed{}, ledger.Failed(err, "writing a report's bundle")
		}
		b, err := bundle.Parse(bytes.NewReader(out.Bytes()), int64(out.Len()))
		if err != nil {
			return computed{}, ledger.Failed(fmt.Errorf("its own bundle: %w", err), "computing a report")
		}
		r, err := reporting.Compute(ctx, b, q)
		if err != nil && ctx.Err() == nil && !errors.As(err, new(*problem.Error)) {
			err = problem.New(problem.Invalid, "%s", err)
		}
		return computed{out.Bytes(), r}, err
	})
	return c.bundle, c.results, err
}

// opener opens the reviews of a state.
func (s *Service) opener(ctx context.Context, state *ledger.Records) reporting.Opener {
	return func(reviews []*reading.Review, record bool) (opened []*reading.Review, err error) {
		if record {
			opened, err = s.ledger.Recorded(ctx, reviews)
		} else {
			for _, r := range reviews {
				opened = append(opened, new(*r))
			}
		}
		for _, r := range opened {
			r.Readings = state.Readings(r.ID)
		}
		return opened, err
	}
}

// given returns what a report contains that no bundle holds.
func (s *Service) given(
	ctx context.Context,
	state *ledger.Records,
	list *checklist.Checklist,
	editions []string,
	spec *reporting.Spec,
) (report.Given, error) {
	var g report.Given
	worked := map[string]bool{}
	reviews := state.Input(list).Reviews
	for i := range reviews {
		r := &reviews[i]
		if !slices.Contains(editions, r.Edition) || r.Checklist != list.Name() {
			continue
		}
		for _, x := range state.Readings(r.ID) {
			worked[x.Reviewer] = true
		}
		if state.Alone(r.ID) && !slices.Contains(g.Alone, r.Edition) {
			g.Alone = append(g.Alone, r.Edition)
		}
	}
	slices.Sort(g.Alone)
	var err error
	if g.Reviewers, err = s.people.Titles(ctx, worked); err != nil {
		return g, err
	}
	if spec.Plan == "" {
		return g, nil
	}
	p, err := s.team.Resolved(ctx, state, spec.Plan)
	if problem.IsKind(err, problem.NotFound) {
		return g, problem.New(
			problem.NotFound, "there is no comparison plan %s; choose another for the report, or none", spec.Plan,
		)
	}
	if err != nil {
		return g, err
	}
	g.Plan = &report.PlanSays{
		Question: p.Question,
		Equal:    p.Equal,
		Held:     p.Held,
		LeftOut:  p.LeftOut,
		Why:      map[string]string{},
	}
	for _, c := range p.Contenders {
		if c.Why != "" && slices.Contains(editions, c.Edition) {
			g.Plan.Why[c.Edition] = c.Why
		}
	}
	return g, nil
}

// typedFigure matches figures with a unit that a reference could fill in.
var typedFigure = regexp.MustCompile(`[0-9]+[.,][0-9]+ ?(points?\b|%)`)

// typed finds figures that look typed by hand: they will be wrong one day.
func typed(text string) []report.Unfilled {
	var out []report.Unfilled
	for n, line := range strings.Split(text, "\n") {
		for _, at := range typedFigure.FindAllStringIndex(line, -1) {
			out = append(
				out,
				report.Unfilled{
					Line:   n + 1,
					Column: 1 + len([]rune(line[:at[0]])),
					Text:   line[at[0]:at[1]],
					Detail: "looks typed by hand; a reference in braces is filled in and stays correct",
				},
			)
		}
	}
	return out
}

// mostPictured is the largest total size of a report's pictures.
const mostPictured = 16 << 20

// pictures adds the standard screenshots of the editions.
func (s *Service) pictures(ctx context.Context, m *Made) error {
	total := 0
	for _, e := range m.Results.Editions {
		latest := map[string]reading.Evidence{}
		for _, r := range slices.Backward(m.Results.Records[e]) {
			for _, v := range r.Evidence {
				if v.Shot != "" && v.SHA256 != "" && slices.Contains(reviewing.Pictures, v.Type) {
					latest[v.Shot] = v
				}
			}
		}
		for _, shot := range m.Results.List.Shots {
			v, ok := latest[shot.Key]
			if !ok {
				continue
			}
			body, err := s.file(ctx, v.SHA256)
			if err != nil {
				return err
			}
			if total += len(body); total > mostPictured {
				return problem.New(
					problem.Invalid,
					"the pictures of these editions have more than %d MiB together; leave out the part with the "+
						"pictures, or choose fewer editions",
					mostPictured>>20,
				)
			}
			m.Pictures[v.SHA256] = body
			m.Document.Pictures = append(
				m.Document.Pictures,
				report.Picture{SHA256: v.SHA256, Edition: e, Shot: shot.Key, Type: v.Type, Caption: v.Caption},
			)
		}
	}
	return nil
}

func (s *Service) file(ctx context.Context, name string) ([]byte, error) {
	var out bytes.Buffer
	if err := s.reviewing.WriteFile(ctx, name, &out); err != nil {
		return nil, err
	}
	if out.Len() == 0 {
		return nil, problem.New(
			problem.Conflict, "the picture %s is no longer stored here; add its evidence again", name,
		)
	}
	return out.Bytes(), nil
}

// document reads the document of a published report from its file.
func (s *Service) document(ctx context.Context, r *ReportRevision) (*report.Document, error) {
	f, err := s.plain(ctx, r, report.DocumentFile)
	if err != nil {
		return nil, err
	}
	var d report.Document
	if err := json.Unmarshal(f.Body, &d); err != nil {
		return nil, ledger.Failed(err, "reading a published report")
	}
	return &d, nil
}

// plain reads a file of a revision and decompresses it.
func (s *Service) plain(ctx context.Context, r *ReportRevision, name string) (store.Frozen, error) {
	i := slices.IndexFunc(r.Files, func(f store.ReportFile) bool { return f.Name == name })
	if i < 0 {
		return store.Frozen{}, problem.New(problem.NotFound, "revision %d has no file %q", r.Revision, name)
	}
	f, err := s.ledger.Store.Frozen(ctx, r.Files[i].SHA256)
	if err != nil {
		return f, ledger.Failed(err, "reading a published file")
	}
	f.Name = name
	return f, Unpack(&f)
}
