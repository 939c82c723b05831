package scoring

import "dappertally/core/checklist"

// Progress returns the coverage of a review in progress, the share of the weight that is answered, from the state of
// each criterion: answered, not-applicable, or anything else for not tested. The formula is that of a scorecard's
// coverage.
func Progress(list *checklist.Checklist, states map[string]string) float64 {
	var covered, all float64
	for i := range list.Sections {
		s := &list.Sections[i]
		var answered, asked float64
		for j := range s.Criteria {
			c := &s.Criteria[j]
			if !c.Scored() || states[c.Key] == "not-applicable" {
				continue
			}
			asked += c.Weight
			if states[c.Key] == "answered" {
				answered += c.Weight
			}
		}
		if asked > 0 {
			all += s.Weight
			covered += s.Weight * answered / asked
		}
	}
	if all == 0 {
		return 0
	}
	return covered / all
}
