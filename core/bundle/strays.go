package bundle

// DropStrays removes references to reviews and readings that are not in the bundle, because only part of the records
// was exported.
func (b *Bundle) DropStrays() {
	reviews, readings := map[string]bool{}, map[string]bool{}
	for i := range b.Reviews {
		reviews[b.Reviews[i].ID] = true
		for j := range b.Reviews[i].Readings {
			readings[b.Reviews[i].Readings[j].ID] = true
		}
	}
	for i := range b.Reviews {
		r := &b.Reviews[i]
		if !reviews[r.Continues] {
			r.Continues = ""
		}
		if !reviews[r.Carried] {
			r.Carried = ""
		}
		for j := range r.Readings {
			if x := &r.Readings[j]; !readings[x.Replaces] {
				x.Replaces = ""
			}
		}
	}
}
