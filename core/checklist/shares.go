package checklist

// SectionShares returns each section's share of the total, 0–1, for an audience; all are 0 if all weights are 0.
func (c *Checklist) SectionShares(a Audience) []float64 {
	shares := make([]float64, len(c.Sections))
	var total float64
	for i := range c.Sections {
		shares[i] = a.SectionWeight(&c.Sections[i])
		total += shares[i]
	}
	if total == 0 {
		return shares
	}
	for i := range shares {
		shares[i] /= total
	}
	return shares
}

// Shares returns each scored criterion's share of the total, 0–1, for an audience: the section's share times the
// criterion's share within the section.
func Shares(c *Checklist, a Audience) map[string]float64 {
	shares := map[string]float64{}
	for i, share := range c.SectionShares(a) {
		s := &c.Sections[i]
		var within float64
		for j := range s.Criteria {
			within += a.CriterionWeight(&s.Criteria[j])
		}
		for j := range s.Criteria {
			if x := &s.Criteria[j]; x.Scored() && within > 0 {
				shares[x.Key] = share * a.CriterionWeight(x) / within
			}
		}
	}
	return shares
}
