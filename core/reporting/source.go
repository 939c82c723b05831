package reporting

import (
	"slices"
	"strconv"

	"dappertally/core/bundle"
	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/quality"
	"dappertally/core/reading"
)

// Public returns the bundle from which a report's results are computed: what the report's page shows, and what its
// figures rest on. It holds grades and measures, but not which reviewer made them. It leaves out journals, notes and
// whatever no part of the report shows. It does not modify records.
func Public(records *bundle.Bundle, list *checklist.Checklist, editions []string, spec *Spec) *bundle.Bundle {
	as := func(chain []*reading.Review, _ bool) ([]*reading.Review, error) { return chain, nil }
	out, _ := PublicOf(records, list, editions, spec, as) // fails only if opening fails
	return out
}

// Opener returns reviews with their readings and, if asked for, everything else that was recorded in them.
type Opener func(reviews []*reading.Review, record bool) ([]*reading.Review, error)

// PublicOf is Public for records whose reviews are empty until they are opened.
func PublicOf(
	records *bundle.Bundle, list *checklist.Checklist, editions []string, spec *Spec, open Opener,
) (*bundle.Bundle, error) {
	x := extract{
		records: records, spec: spec, open: open, byID: map[string]*reading.Review{}, wanted: map[string][]string{},
		stands: map[editionOn]*reading.Review{},
		rigs:   map[string]bool{}, editions: map[string]bool{}, taken: map[string]bool{},
	}
	for i := range records.Reviews {
		x.note(&records.Reviews[i])
	}
	x.wanted[list.Name()] = slices.Clone(editions)
	if spec.Has(Releases, Advice) {
		x.earlier(list, editions)
	}
	out := &bundle.Bundle{
		Format:        bundle.Format,
		Version:       bundle.Version,
		Checklists:    []checklist.Checklist{},
		Distributions: []catalogue.Distribution{},
		Rigs:          []catalogue.Rig{},
		Reviews:       []reading.Review{},
	}
	for i := range records.Checklists {
		if c := &records.Checklists[i]; len(x.wanted[c.Name()]) > 0 {
			out.Checklists = append(out.Checklists, x.list(c))
			reviews, err := x.reviews(c)
			if err != nil {
				return nil, err
			}
			out.Reviews = append(out.Reviews, reviews...)
		}
	}
	x.tidy(out)
	out.Distributions = x.catalogue()
	for _, r := range records.Rigs {
		if x.rigs[r.Key] {
			out.Rigs = append(out.Rigs, r)
		}
	}
	out.Sort()
	numberReviewers(out)
	return out, nil
}

// numberReviewers replaces the names of reviewers by numbers, in the order in which they appear: a report says who
// worked on it, but not who gave which grade.
func numberReviewers(b *bundle.Bundle) {
	names := map[string]string{}
	called := func(reviewer *string) {
		if *reviewer == "" {
			return
		}
		if names[*reviewer] == "" {
			names[*reviewer] = "r" + strconv.Itoa(len(names)+1)
		}
		*reviewer = names[*reviewer]
	}
	for i := range b.Reviews {
		r := &b.Reviews[i]
		for j := range r.Readings {
			called(&r.Readings[j].Reviewer)
		}
		for _, e := range r.Entries() {
			_, head := e.Part()
			called(&head.Reviewer)
		}
	}
}

// extract is the state of making a public bundle.
type extract struct {
	records  *bundle.Bundle
	spec     *Spec
	open     Opener
	byID     map[string]*reading.Review
	stands   map[editionOn]*reading.Review // the latest reviews
	wanted   map[string][]string           // editions that are shown, by checklist version
	rigs     map[string]bool               // rigs of the readings
	editions map[string]bool               // editions that have a review
	taken    map[string]bool               // reviews that are in the bundle
}

// editionOn is an edition on a version of a checklist.
type editionOn struct{ edition, list string }

// note adds a review to the latest ones.
func (x *extract) note(r *reading.Review) {
	x.byID[r.ID] = r
	if r.State != reading.Accepted || r.Accepted == nil {
		return
	}
	on := editionOn{r.Edition, r.Checklist}
	latest := x.stands[on]
	if latest == nil || r.Accepted.After(*latest.Accepted) ||
		(r.Accepted.Equal(*latest.Accepted) && r.ID > latest.ID) {
		x.stands[on] = r
	}
}

// latest returns the current review of an edition on a version.
func (x *extract) latest(edition, list string) *reading.Review {
	return x.stands[editionOn{edition, list}]
}

// earlier adds the earlier releases of the editions' lines, each on the newest checklist version of its reviews.
func (x *extract) earlier(list *checklist.Checklist, editions []string) {
	lines := quality.LinesOf(x.records.Distributions)
	for _, e := range editions {
		for _, before := range lines[e] {
			if c := x.newest(before, list); c != nil && !slices.Contains(x.wanted[c.Name()], before) {
				x.wanted[c.Name()] = append(x.wanted[c.Name()], before)
			}
		}
	}
}

// newest returns the newest checklist version, up to the given one, on which an edition has an accepted review.
func (x *extract) newest(edition string, list *checklist.Checklist) *checklist.Checklist {
	var newest *checklist.Checklist
	for i := range x.records.Checklists {
		c := &x.records.Checklists[i]
		if c.Key == list.Key && c.Version <= list.Version && c.State != checklist.Draft &&
			(newest == nil || c.Version > newest.Version) &&
			x.latest(edition, c.Name()) != nil {
			newest = c
		}
	}
	return newest
}

// list adds a checklist version with the audiences of the report.
func (x *extract) list(c *checklist.Checklist) checklist.Checklist {
	out := *c
	out.Audiences = slices.DeleteFunc(
		slices.Clone(c.Audiences), func(a checklist.Audience) bool { return !slices.Contains(x.spec.Audiences, a.Key) },
	)
	return out
}

// reviews adds the reviews on which a version's results rest: those of the wanted editions, and of other accepted
// editions the readings that these are compared with or borrow.
func (x *extract) reviews(c *checklist.Checklist) (out []reading.Review, err error) {
	wide, field := restsOn(c)
	near := map[string]bool{}
	for _, e := range x.wanted[c.Name()] {
		near[catalogue.DistributionOf(e)] = true
	}
	seen := map[string]bool{}
	for i := range x.records.Reviews {
		edition := x.records.Reviews[i].Edition
		if seen[edition] {
			continue
		}
		latest := x.latest(edition, c.Name())
		if latest == nil {
			continue
		}
		seen[edition] = true
		whole := slices.Contains(x.wanted[c.Name()], edition)
		lends := near[catalogue.DistributionOf(edition)]
		keep := func(r *reading.Reading) bool {
			return whole || field[r.Criterion] || (wide[r.Criterion] && lends)
		}
		chain := reading.Chain(latest, x.byID)
		if !whole && len(field) == 0 && (len(wide) == 0 || !lends) && len(chain) == 1 {
			continue
		}
		if chain, err = x.open(chain, whole); err != nil {
			return nil, err
		}
		out = append(out, x.chain(chain, whole, keep)...)
	}
	return out, nil
}

// restsOn returns the criteria that editions of one release or distribution answer for each other, and those whose
// points depend on all editions: on the best of the field, or on a rig's estimate.
func restsOn(c *checklist.Checklist) (wide, field map[string]bool) {
	wide, field = map[string]bool{}, map[string]bool{}
	for i := range c.Sections {
		for j := range c.Sections[i].Criteria {
			x := &c.Sections[i].Criteria[j]
			if x.Scope.Wide() {
				wide[x.Key] = true
			}
			if x.Measured() && x.Relative() || c.Policy.Adjusts(x) {
				field[x.Key] = true
			}
		}
	}
	return wide, field
}

// chain adds what can be shown of a chain of reviews and was not added before.
func (x *extract) chain(
	chain []*reading.Review, whole bool, keep func(*reading.Reading) bool,
) (out []reading.Review) {
	gone := replacedIn(chain)
	for _, r := range chain {
		if x.taken[r.ID] {
			continue
		}
		told := regraded(r)
		kept := x.review(r, whole, told, func(r *reading.Reading) bool {
			return keep(r) && (!gone[r.ID] || earlierGrade(r, told))
		})
		if whole || len(kept.Readings) > 0 || len(chain) > 1 {
			out = append(out, kept)
			x.taken[r.ID] = true
			x.editions[r.Edition] = true
		}
	}
	return out
}

// earlierGrade reports whether a reading is a grade that a later one mentions.
func earlierGrade(r *reading.Reading, told map[string]bool) bool {
	return told[r.Criterion] && r.Answer.Grade != nil
}

// regraded returns the criteria of a review with a grade that was changed after the others' could be seen. Their
// earlier grades are kept, since the report shows them.
func regraded(r *reading.Review) map[string]bool {
	criteria := map[string]bool{}
	for _, c := range reading.ChangedGrades(r.Readings) {
		criteria[c.Criterion] = true
	}
	return criteria
}

func replacedIn(chain []*reading.Review) map[string]bool {
	gone := map[string]bool{}
	for _, r := range chain {
		for i := range r.Readings {
			gone[r.Readings[i].Replaces] = true
		}
	}
	return gone
}

// review returns what can be shown of a review. If it is shown in full, that includes the entries of its record for
// which the report has parts. told are the criteria whose grades mention what they replaced.
func (x *extract) review(
	r *reading.Review,
	whole bool,
	told map[string]bool,
	keep func(*reading.Reading) bool,
) reading.Review {
	out := reading.Review{
		ID:        r.ID,
		Edition:   r.Edition,
		Checklist: r.Checklist,
		State:     r.State,
		Accepted:  r.Accepted,
		Continues: r.Continues,
		Carried:   r.Carried,
		Readings:  []reading.Reading{},
	}
	for i := range r.Readings {
		if one := r.Readings[i]; keep(&one) {
			one.Note = ""
			if !told[one.Criterion] {
				one.Replaces = ""
			}
			if !whole {
				one.System = ""
			}
			x.rigs[one.Rig] = true
			out.Readings = append(out.Readings, one)
		}
	}
	if !whole {
		return out
	}
	var entries []reading.Entry
	for _, e := range r.Entries() {
		if shown, ok := x.shown(e); ok {
			entries = append(entries, shown)
		}
	}
	out.Take(entries)
	return out
}

// shown returns an entry of a review's record as the report can show it.
func (x *extract) shown(e reading.Entry) (out reading.Entry, ok bool) {
	part, _ := e.Part()
	switch part {
	case "system":
		s := *e.System
		s.Facts, s.Note = nil, ""
		return reading.Entry{System: &s}, true
	case "finding":
		return e, x.spec.Has(Findings, Releases, Advice)
	case "change":
		return e, x.spec.Has(Releases)
	case "claim":
		return e, x.spec.Has(Findings)
	case "verdict":
		return e, x.spec.Has(Verdicts) && slices.Contains(x.spec.Audiences, e.Verdict.Audience)
	case "advice":
		return e, x.spec.Has(Advice, Releases)
	case "use":
		u := *e.Use
		u.Note = ""
		return reading.Entry{Use: &u}, true
	case "disclosure":
		return e, true
	case "evidence":
		return e, e.Evidence.Shot != "" && x.spec.Has(Shots)
	}
	return out, false // journals and experience are never part of a result
}

// tidy removes references to anything that is not in the bundle, and notes the rigs that its records name.
func (x *extract) tidy(b *bundle.Bundle) {
	b.DropStrays()
	findings := map[string]bool{}
	for i := range b.Reviews {
		for _, f := range b.Reviews[i].Findings {
			findings[f.ID] = true
		}
	}
	for i := range b.Reviews {
		r := &b.Reviews[i]
		for j := range r.Findings {
			f := &r.Findings[j]
			x.rigs[f.Rig] = true
			if !findings[f.Follows] {
				f.Follows, f.Fate = "", ""
			}
		}
		for _, s := range r.States {
			x.rigs[s.Rig] = true
		}
		for _, u := range r.Use {
			x.rigs[u.Rig] = true
		}
	}
}

// catalogue adds the distributions, releases and editions that have a review.
func (x *extract) catalogue() []catalogue.Distribution {
	out := []catalogue.Distribution{}
	for _, d := range x.records.Distributions {
		releases := []catalogue.Release{}
		for _, r := range d.Releases {
			editions := slices.DeleteFunc(slices.Clone(r.Editions), func(e catalogue.Edition) bool {
				return !x.editions[catalogue.EditionKey(d.Key, r.Version, e.Key)]
			})
			if len(editions) > 0 {
				r.Editions = editions
				releases = append(releases, r)
			}
		}
		if len(releases) > 0 {
			d.Releases = releases
			out = append(out, d)
		}
	}
	return out
}
