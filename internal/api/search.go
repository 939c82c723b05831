package api

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/contract"
	"dappertally/internal/ledger"
	"dappertally/internal/lookup"
)

// mostFound is the default number of results.
const mostFound = 20

func (h *handlers) Search(ctx context.Context, r SearchRequest) (*contract.FoundList, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	p := r.Params
	wants := func(sort contract.FoundSort) bool { return len(p.Sort) == 0 || slices.Contains(p.Sort, sort) }
	var all []lookup.Entry
	for _, source := range []struct {
		sort    contract.FoundSort
		entries func() ([]lookup.Entry, error)
	}{
		{contract.FoundSortEdition, func() ([]lookup.Entry, error) { return editionsToFind(st, p.Reviewed), nil }},
		{contract.FoundSortDistribution, func() ([]lookup.Entry, error) { return distributionsToFind(st), nil }},
		{contract.FoundSortCriterion, func() ([]lookup.Entry, error) { return criteriaToFind(st), nil }},
		{contract.FoundSortRig, func() ([]lookup.Entry, error) { return rigsToFind(st), nil }},
		{contract.FoundSortReport, func() ([]lookup.Entry, error) { return h.reportsToFind(ctx) }},
		{contract.FoundSortReview, func() ([]lookup.Entry, error) { return h.reviewsToFind(ctx, st) }},
		{contract.FoundSortPerson, func() ([]lookup.Entry, error) { return h.peopleToFind(ctx) }},
	} {
		if !wants(source.sort) {
			continue
		}
		entries, err := source.entries()
		if err != nil {
			return nil, err
		}
		all = append(all, entries...)
	}
	list := contract.FoundList{Found: []contract.Found{}}
	for _, e := range lookup.Find(p.Find, cmp.Or(p.Limit, mostFound), all) {
		list.Found = append(list.Found, contract.Found{
			Sort: contract.FoundSort(e.Sort), Key: e.Key, Title: e.Title, Detail: e.Detail, Address: e.Address,
		})
	}
	return &list, nil
}

// editionsToFind lists the editions of the catalogue, with the address of their scorecard if they have one.
func editionsToFind(st *ledger.Records, reviewed bool) []lookup.Entry {
	all := ledger.Known(st, "editions to find", func() []lookup.Entry {
		var all []lookup.Entry
		for _, p := range st.Places() {
			key := p.Key()
			n := editionName(st, key)
			e := lookup.Entry{
				Sort: string(contract.FoundSortEdition), Key: key, Address: "/catalogue/" + key,
				Title: called(n), Detail: "not reviewed",
			}
			if len(st.AcceptedVersions(key)) > 0 {
				e.Detail, e.Address = "", "/edition/"+key
			}
			if st.Retired(key) != "" {
				e.Detail = strings.TrimPrefix(e.Detail+", retired", ", ")
			}
			all = append(all, e)
		}
		return all
	})
	if !reviewed {
		return all
	}
	return slices.DeleteFunc(slices.Clone(all), func(e lookup.Entry) bool { return len(st.AcceptedVersions(e.Key)) == 0 })
}

func distributionsToFind(st *ledger.Records) []lookup.Entry {
	var all []lookup.Entry
	for _, d := range st.Catalogue.Distributions {
		all = append(all, lookup.Entry{
			Sort: string(contract.FoundSortDistribution), Key: d.Key, Title: d.Name, Detail: d.Aim,
			Address: "/catalogue/" + d.Key,
		})
	}
	return all
}

// criteriaToFind lists the criteria of the shown checklist version.
func criteriaToFind(st *ledger.Records) []lookup.Entry {
	list, err := answers.Shown(st, "")
	if err != nil {
		return nil // none is in force yet
	}
	var all []lookup.Entry
	for i := range list.Sections {
		s := &list.Sections[i]
		for j := range s.Criteria {
			c := &s.Criteria[j]
			all = append(all, lookup.Entry{
				Sort: string(contract.FoundSortCriterion), Key: c.Key, Title: cmp.Or(c.Title, c.Key),
				Detail: cmp.Or(s.Title, s.Key), Address: "/checklist#" + c.Key,
			})
		}
	}
	return all
}

func rigsToFind(st *ledger.Records) []lookup.Entry {
	var all []lookup.Entry
	for _, r := range st.Catalogue.Rigs {
		all = append(all, lookup.Entry{
			Sort: string(contract.FoundSortRig), Key: r.Key, Title: cmp.Or(r.Name, r.Key), Detail: r.Key,
			Address: "/rigs/" + r.Key,
		})
	}
	return all
}

func (h *handlers) reportsToFind(ctx context.Context) ([]lookup.Entry, error) {
	reports, err := h.reports.Reports(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	var all []lookup.Entry
	for i := range reports {
		v := reportView(&reports[i], whoAsks(request(ctx)))
		e := lookup.Entry{
			Sort: string(contract.FoundSortReport), Key: v.Key, Title: cmp.Or(v.Title, v.Key), Detail: v.SeriesTitle,
			Address: "/reports/" + v.Key,
		}
		if len(v.Revisions) == 0 {
			e.Address, e.Detail = "/reports/"+v.Key+"/edit", "draft"
		}
		all = append(all, e)
	}
	return all, nil
}

// reviewsToFind lists the reviews in progress; others are found by their edition.
func (h *handlers) reviewsToFind(ctx context.Context, st *ledger.Records) ([]lookup.Entry, error) {
	who := whoAsks(request(ctx))
	if !who.May(access.SeeWork) {
		return nil, nil
	}
	reviews, err := h.reviewing.ReviewsIn(ctx, who, reading.Planned, reading.Underway, reading.Submitted)
	if err != nil {
		return nil, err
	}
	var all []lookup.Entry
	for _, r := range reviews {
		n := editionName(st, r.Edition)
		all = append(all, lookup.Entry{
			Sort: string(contract.FoundSortReview), Key: r.ID, Address: "/desk/" + r.ID,
			Title: called(n),
			Detail: strings.TrimSuffix(
				strings.ReplaceAll(r.State, "-", " ")+", "+r.Assigned, ", ",
			),
		})
	}
	return all, nil
}

func (h *handlers) peopleToFind(ctx context.Context) ([]lookup.Entry, error) {
	who := whoAsks(request(ctx))
	if !who.May(access.SeeWork) {
		return nil, nil
	}
	people, err := h.people.People(ctx, who)
	if err != nil {
		return nil, err
	}
	var all []lookup.Entry
	for _, p := range people {
		all = append(all, lookup.Entry{
			Sort: string(contract.FoundSortPerson), Key: p.Name, Title: cmp.Or(p.Title, p.Name), Detail: p.Name,
			Address: "/team/people/" + p.Name,
		})
	}
	return all, nil
}
