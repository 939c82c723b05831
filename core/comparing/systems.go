package comparing

import "dappertally/core/reading"

// Treated is what was done to the systems on which an edition's readings were made.
type Treated struct {
	Edition   string   `json:"edition"`
	Installed []string `json:"installed"` // chosen at install
	Changed   []string `json:"changed"`   // by hand
	Updated   []string `json:"updated"`
	// Choices and changes on one side only, which may influence what is compared. Updates alone do not count.
	OnlyHere     []string `json:"onlyHere"`
	OnlyBaseline []string `json:"onlyBaseline"`
	Unknown      bool     `json:"unknown"` // no state was recorded here, or none for the baseline
}

// Subject is an edition with the states of its reviews and the readings that count.
type Subject struct {
	Edition  string
	States   []reading.System
	Readings []*reading.Reading
}

// TreatmentOf returns how the systems of each subject differ from those of the baseline, the first subject. A state
// builds on the states before it on the same machine, back to the install. States without readings are left out,
// unless readings name no state at all.
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

// behind marks a state and those that it builds on: the earlier ones on the same machine, back to the install. States
// are ordered by time.
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
