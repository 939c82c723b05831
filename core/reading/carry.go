package reading

import "dappertally/core/checklist"

// Carried tells, for a review that moves on to a newer list, the outcome of each
// of that list's criteria. The keys are in the list's order.
type Carried struct {
	Kept       []string `json:"kept"`       // asked alike and read before
	AskedAgain []string `json:"askedAgain"` // read before, but asked in another way now
	New        []string `json:"new"`        // not asked before
	Unread     []string `json:"unread"`     // asked alike, but never read
	Dropped    []string `json:"dropped"`    // read before and not asked any more, in the older list's order
	// Unchanged reports whether every scored question of the newer list was asked alike
	// on the older one, so that what was accepted there holds here.
	Unchanged bool `json:"unchanged"`
}

// Carry sorts a newer list's criteria by what the older list and the readings made
// on it have for them, and picks the readings to keep: all of criteria asked alike.
func Carry(older, newer *checklist.Checklist, readings []Reading) (Carried, []Reading) {
	c := Carried{
		Kept:       []string{},
		AskedAgain: []string{},
		New:        []string{},
		Unread:     []string{},
		Dropped:    []string{},
		Unchanged:  true,
	}
	read := map[string]bool{}
	for i := range readings {
		read[readings[i].Criterion] = true
	}
	keep := map[string]bool{}
	for _, s := range newer.Sections {
		for i := range s.Criteria {
			x := &s.Criteria[i]
			old, asked := older.Criterion(x.Key)
			switch {
			case !asked:
				c.New = append(c.New, x.Key)
				c.Unchanged = c.Unchanged && !x.Scored()
			case !checklist.AskedAlike(old, x):
				c.AskedAgain = append(c.AskedAgain, x.Key)
				c.Unchanged = c.Unchanged && !x.Scored()
			case !read[x.Key]:
				c.Unread = append(c.Unread, x.Key)
			default:
				c.Kept = append(c.Kept, x.Key)
				keep[x.Key] = true
			}
		}
	}
	for _, s := range older.Sections {
		for i := range s.Criteria {
			if key := s.Criteria[i].Key; read[key] {
				if _, asked := newer.Criterion(key); !asked {
					c.Dropped = append(c.Dropped, key)
				}
			}
		}
	}
	kept := []Reading{}
	for _, x := range readings {
		if keep[x.Criterion] {
			kept = append(kept, x)
		}
	}
	return c, kept
}
