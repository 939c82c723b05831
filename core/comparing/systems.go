package comparing

import "dappertally/core/reading"

// Treated is what was done to the systems that an edition's readings were made on.
type Treated struct {
	Edition   string   `json:"edition"`
	Installed []string `json:"installed"` // chosen at install
	Changed   []string `json:"changed"`   // by hand
	Updated   []string `json:"updated"`
	// What was chosen or changed on one side only, where it may matter to what is
	// compared. Updates alone do not.
	OnlyHere     []string `json:"onlyHere"`
	OnlyBaseline []string `json:"onlyBaseline"`
	Unknown      bool     `json:"unknown"` // no state was written down here, or none at the baseline
}

// Subject is an edition with the states of its reviews and the readings that count.
type Subject struct {
	Edition  string
	States   []reading.System
	Readings []*reading.Reading
}

// TreatmentOf tells how the systems behind each subject differ from those behind
// the baseline, the first of them. A state goes on from those before it on the same
// machine, back to the install. States that no reading was made in are left out,
// unless readings name none.
func TreatmentOf(subjects []Subject) []Treated {
	out := make([]Treated, len(subjects))
	for i := range subjects {
		out[i] = treated(&subjects[i])
	}
	for i := range out[1:] {
		x := &out[i+1]
		base := &out[0]
		x.Unknown = len(subjects[i+1].States) == 0 || len(subjects[0].States) == 0
		if x.Unknown {
			continue
		}
		x.OnlyHere = append(reading.Missing(base.Installed, x.Installed), reading.Missing(base.Changed, x.Changed)...)
		x.OnlyBaseline = append(
			reading.Missing(x.Installed, base.Installed),
			reading.Missing(x.Changed, base.Changed)...)
	}
	return out
}

func treated(s *Subject) Treated {
	t := Treated{
		Edition:      s.Edition,
		Installed:    []string{},
		Changed:      []string{},
		Updated:      []string{},
		OnlyHere:     []string{},
		OnlyBaseline: []string{},
	}
	named := map[string]bool{}
	for _, x := range s.Readings {
		named[x.System] = x.System != ""
	}
	delete(named, "")
	counts := map[int]bool{}
	for i := range s.States {
		if len(named) == 0 || named[s.States[i].ID] {
			behind(s.States, i, counts)
		}
	}
	for i := range s.States {
		state := &s.States[i]
		if !counts[i] {
			continue
		}
		t.Installed = append(t.Installed, reading.Missing(t.Installed, state.Installed)...)
		t.Changed = append(t.Changed, reading.Missing(t.Changed, state.Changed)...)
		t.Updated = append(t.Updated, reading.Missing(t.Updated, state.Updated)...)
	}
	return t
}

// behind marks a state and those that it goes on from: the ones before it on the
// same machine, back to the install. States are in the order of time.
func behind(states []reading.System, i int, marked map[int]bool) {
	rig := states[i].Rig
	for ; i >= 0; i-- {
		x := &states[i]
		if x.Rig != "" && rig != "" && x.Rig != rig {
			continue
		}
		marked[i] = true
		if len(x.Installed) > 0 {
			return
		}
	}
}
