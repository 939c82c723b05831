package reading

import "dappertally/core/checklist"

// Carried is, for a review that moves to a newer checklist version, what happens to each of that version's criteria.
// The keys are in the version's order.
type Carried struct {
	Kept       []string `json:"kept"`       // same question, with an answer
	AskedAgain []string `json:"askedAgain"` // with an answer, but to a different question
	New        []string `json:"new"`        // new question
	Unread     []string `json:"unread"`     // same question, without an answer
	Dropped    []string `json:"dropped"`    // with an answer, but no longer asked, in the older version's order
	// Unchanged reports whether the older version asks every scored question of the newer one in the same way, so
	// that an acceptance remains valid.
	Unchanged bool `json:"unchanged"`
}

// Carry compares a newer checklist version with the older one and the readings made on it. It returns what happens to
// each criterion, and the readings to keep: all of criteria that are asked in the same way.
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
