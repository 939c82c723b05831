package reviewing

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/quality"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/numerals"
	"dappertally/internal/policy"
	"dappertally/internal/problem"
)

// OpenItem is something unresolved in a review.
type OpenItem struct {
	Sort      string // missing, uncounted, bounded, doubtful, surprising, disagreement, screenshot, finding
	Criterion string // empty for screenshots and findings
	Subject   string // id of the reading or finding, key of the screenshot
	Says      string
}

// OpenItems lists what is missing in a review, what is doubtful, and where reviewers disagree too much, as the actor
// can see it.
func (s *Service) OpenItems(ctx context.Context, who *access.Actor, id string, after int64) ([]OpenItem, error) {
	q, result, err := s.Quality(ctx, who, id, after)
	if err != nil {
		return nil, err
	}
	ends := []OpenItem{}
	readings, hidden, err := s.Readings(ctx, who, id)
	if err != nil {
		return nil, err
	}
	r, err := s.Review(ctx, who, id)
	if err != nil {
		return nil, err
	}
	if e := result.Table.Row(r.Edition); e >= 0 {
		answered := map[string]bool{}
		for i, cell := range result.Table.Cells(e) {
			if result.Table.Criteria[i].Scored() {
				answered[cell.Key] = cell.State != scoring.NotTested
			}
		}
		if r.Continues != "" { // earlier reviews count as well
			for _, x := range result.Table.Own(e).Readings {
				answered[x.Criterion] = true
			}
		}
		ends = append(ends, missing(result.List, answered, readings, hidden)...)
		ends = append(ends, uncounted(result, r.Edition)...)
	}
	ends = append(ends, doubtful(&q, result.List)...)
	entries, err := s.Entries(ctx, who, id)
	if err != nil {
		return nil, err
	}
	for _, screenshot := range result.List.Shots {
		if !slices.ContainsFunc(
			entries, func(e EntryRecord) bool { return e.Evidence != nil && e.Evidence.Shot == screenshot.Key },
		) {
			ends = append(
				ends,
				OpenItem{
					Sort:    "screenshot",
					Subject: screenshot.Key,
					Says:    "the screenshot “" + cmp.Or(screenshot.Title, screenshot.Key) + "” is missing",
				},
			)
		}
	}
	earlier, err := s.Unfollowed(ctx, who, id)
	if err != nil {
		return nil, err
	}
	for _, f := range earlier {
		if f.FollowedBy == "" {
			ends = append(
				ends,
				OpenItem{
					Sort:    "finding",
					Subject: f.Finding.ID,
					Says:    "still present? “" + f.Finding.Title + "”, found in " + f.Edition,
				},
			)
		}
	}
	return ends, nil
}

// missing lists the criteria without any answer or reason.
func missing(
	list *checklist.Checklist,
	answered map[string]bool,
	readings []reading.Reading,
	hidden []Hidden,
) []OpenItem {
	said := map[string]bool{}
	for i := range readings {
		said[readings[i].Criterion] = true
	}
	for _, h := range hidden {
		said[h.Criterion] = true
	}
	var ends []OpenItem
	for _, s := range list.Sections {
		for i := range s.Criteria {
			if c := &s.Criteria[i]; !said[c.Key] && !answered[c.Key] {
				ends = append(
					ends,
					OpenItem{Sort: "missing", Criterion: c.Key, Says: cmp.Or(c.Title, c.Key) + " has no answer"},
				)
			}
		}
	}
	return ends
}

// uncounted lists the answers that do not count, or only roughly, with what would make them count.
func uncounted(r *answers.Result, edition string) []OpenItem {
	var ends []OpenItem
	for _, g := range r.Gaps(edition) {
		c, _ := r.List.Criterion(g.Criterion)
		on := ""
		if g.Rig != "" {
			on = " on " + g.Rig
		}
		sort := "uncounted"
		if g.Bounded {
			sort = "bounded"
		}
		ends = append(
			ends,
			OpenItem{
				sort,
				g.Criterion,
				g.Reading,
				fmt.Sprintf("%s%s: %s; %s", cmp.Or(c.Title, g.Criterion), on, g.Why, g.Fix),
			},
		)
	}
	return ends
}

func doubtful(q *quality.Quality, list *checklist.Checklist) []OpenItem {
	title := func(key string) string {
		if c, ok := list.Criterion(key); ok {
			return cmp.Or(c.Title, key)
		}
		return key
	}
	on := func(rig string) string {
		if rig == "" {
			return ""
		}
		return " on " + rig
	}
	var ends []OpenItem
	for i := range q.Readings {
		if x := &q.Readings[i]; x.Doubtful() {
			ends = append(
				ends, OpenItem{"doubtful", x.Criterion, x.ID, title(x.Criterion) + on(x.Rig) + ": " + scatter(x)},
			)
		}
	}
	for i := range q.Surprises {
		x := &q.Surprises[i]
		if x.Confirmed != "" {
			continue
		}
		why := fmt.Sprintf("the median of %d others is %.4g", x.Others, zeroIfNone(x.Median))
		if x.Earlier != nil {
			why = fmt.Sprintf("%s had %.4g", x.Previous, *x.Earlier)
		}
		ends = append(
			ends,
			OpenItem{
				"surprising",
				x.Criterion,
				strings.Join(x.Readings, " "),
				fmt.Sprintf(
					"%s%s: %.4g is surprising, %s; nobody has confirmed it", title(x.Criterion), on(x.Rig), x.Value, why,
				),
			},
		)
	}
	for _, d := range q.Disagreements {
		ends = append(
			ends,
			OpenItem{
				"disagreement",
				d.Criterion,
				"",
				fmt.Sprintf(
					"%s: %s differ by %.3g grades", title(d.Criterion), strings.Join(d.Reviewers, " and "), d.Spread,
				),
			},
		)
	}
	return ends
}

func zeroIfNone(x *float64) float64 {
	if x == nil {
		return 0
	}
	return *x
}

func scatter(x *quality.Scatter) string {
	var says []string
	if x.Unsteady && x.Spread != nil {
		says = append(says, fmt.Sprintf("runs scatter by %.2g %%", 100**x.Spread))
	}
	if x.TooFew {
		says = append(says, "too few: "+numerals.Count(x.Runs, "run"))
	}
	for _, i := range x.Outliers {
		says = append(says, fmt.Sprintf("run %d is an outlier", i+1))
	}
	return strings.Join(says, ", ")
}

// maySubmit requires a reason if there are open items.
func (s *Service) maySubmit(ctx context.Context, who *access.Actor, id, reason string) error {
	if reason != "" {
		return nil
	}
	ends, err := s.OpenItems(ctx, who, id, 0)
	if err != nil || len(ends) == 0 {
		return err
	}
	faults := fault.List{
		{Pointer: "/reason", Detail: "is missing: " + strconv.Itoa(len(ends)) + " open items need a reason"},
	}
	for _, e := range ends {
		faults = append(faults, fault.Fault{Pointer: "", Detail: e.Says})
	}
	return problem.From("the review", faults)
}

// mayAccept enforces the team's setting for the second pair of eyes.
func (s *Service) mayAccept(ctx context.Context, who *access.Actor, id string) error {
	p, _, err := s.policy.Rules(ctx)
	if err != nil || p.SecondReviewer != policy.SecondRequired {
		return err
	}
	rs, err := s.ledger.Store.Readings(ctx, id, false)
	if err != nil {
		return ledger.Failed(err, "reading readings")
	}
	if len(rs) > 0 && !slices.ContainsFunc(rs, func(x reading.Reading) bool { return x.Reviewer != who.Name }) {
		return problem.New(
			problem.Conflict,
			"%s is this review's only reviewer; the settings require a second reviewer: another lead has "+
				"to accept it",
			who.Name,
		)
	}
	return nil
}
