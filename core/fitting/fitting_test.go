package fitting

import (
	"strings"
	"testing"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// table is one edition that asks for 2 GiB and 20 GiB, and used 1.5 GiB on the old rig
// and 2.5 GiB on the new one.
func table() (*scoring.Table, map[string]catalogue.Place) {
	at := time.Date(2026, 5, 1, 0, 0, 0, 0, time.UTC)
	list := &checklist.Checklist{
		Key:     "desk",
		Version: 1,
		State:   checklist.InForce,
		Sections: []checklist.Section{{Key: "all", Weight: 1, Criteria: []checklist.Criterion{
			{
				Key:    "memory",
				Title:  "Memory at idle",
				Kind:   checklist.Measure,
				Weight: 1,
				Unit:   "GiB",
				Better: "lower",
				Survey: "memory.available",
				Curve:  &checklist.Curve{Shape: checklist.Span, Poor: 8, Ideal: 0},
			},
			{
				Key:    "disk",
				Kind:   checklist.Measure,
				Weight: 1,
				Unit:   "GiB",
				Better: "lower",
				Survey: "disk.used",
				Curve:  &checklist.Curve{Shape: checklist.Span, Poor: 80, Ideal: 0},
			},
		}}},
	}
	run := func(id, criterion, rig string, value float64) reading.Reading {
		return reading.Reading{
			ID:        id,
			Criterion: criterion,
			Rig:       rig,
			Reviewer:  "ines",
			At:        at,
			Answer:    reading.Answer{Runs: []float64{value}},
		}
	}
	in := scoring.Input{
		Checklist: list,
		Reviews: []reading.Review{
			{ID: "r", Edition: "a/1/x", Checklist: "desk@1", State: reading.Accepted, Accepted: &at,
				Readings: []reading.Reading{
					run("1", "memory", "old", 1.5),
					run("2", "memory", "new", 2.5),
					run("3", "disk", "old", 16),
				}},
		},
	}
	return scoring.Tabulate(in, scoring.Options{}), map[string]catalogue.Place{"a/1/x": {
		Distribution: &catalogue.Distribution{Key: "a"}, Release: &catalogue.Release{Version: "1"},
		Edition: &catalogue.Edition{
			Key:          "x",
			Architecture: "amd64",
			Needs:        catalogue.Needs{MemoryMiB: 2048, DiskGiB: 20},
		},
	}}
}

func TestOf(t *testing.T) {
	points, places := table()
	for _, c := range []struct {
		name        string
		machine     Machine
		rig         string
		fits, tight bool
		says        string // part of the reasons; empty: there are none
	}{
		{"nothing stated", Machine{}, "old", true, false, ""},
		{"plenty", Machine{MemoryMiB: 8192, DiskGiB: 250, Architecture: "AMD64"}, "old", true, false, ""},
		{"another architecture", Machine{Architecture: "arm64"}, "old", false, false, "built for amd64"},
		{"less memory than asked", Machine{MemoryMiB: 1600}, "old", false, false, "require 2048 MiB"},
		{"less disk than asked", Machine{DiskGiB: 18}, "old", false, false, "require 20 GiB of disk"},
		{"enough as measured on the old rig", Machine{MemoryMiB: 2048}, "old", true, false, ""},
		{"tight as measured", Machine{DiskGiB: 20}, "new", true, true, "disk: 16 of 20 GiB in use on old leaves little"},
		{"too little as measured on the new rig", Machine{MemoryMiB: 2048}, "new", false, false, "2560 MiB of memory in use on new"},
		{"the most measured anywhere", Machine{MemoryMiB: 2048}, "vm", false, false, "in use on new"},
	} {
		f := Of(points, places, c.machine, c.rig)[0]
		if f.Fits != c.fits || f.Tight != c.tight || (c.says == "") != (len(f.Reasons) == 0) ||
			!strings.Contains(strings.Join(f.Reasons, "; "), c.says) {
			t.Errorf("%s: %+v, want fits %t, tight %t, saying %q", c.name, f, c.fits, c.tight, c.says)
		}
	}
}

func TestNearest(t *testing.T) {
	rigs := []catalogue.Rig{
		{Key: "gone", MemoryMiB: 6000, Cores: 4, Retired: true},
		{Key: "new", MemoryMiB: 16384, Cores: 4, CPU: "quad-core at 3.4 GHz", Graphics: "built-in"},
		{Key: "old", MemoryMiB: 4096, Cores: 2, CPU: "dual-core at 2.1 GHz", Graphics: "built-in"},
		{Key: "vm", MemoryMiB: 4096, Cores: 2, Virtual: true},
	}
	for _, c := range []struct {
		machine Machine
		want    string
		differs int
	}{
		{Machine{MemoryMiB: 4096, Cores: 2}, "old", 0},
		{Machine{MemoryMiB: 6000, Cores: 2}, "old", 1},
		{Machine{MemoryMiB: 8192, Cores: 8}, "new", 2},
		{Machine{Processor: "quad-core, fast"}, "new", 0},
		{Machine{MemoryMiB: 4096, Virtual: true}, "vm", 0},
		{Machine{}, "new", 0},
	} {
		n := Nearest(rigs, c.machine)
		if n == nil || n.Rig != c.want || len(n.Differs) != c.differs {
			t.Errorf("%+v: %+v, want %s with %d differences", c.machine, n, c.want, c.differs)
		}
	}
	if n := Nearest(rigs[:1], Machine{}); n != nil {
		t.Errorf("a retired rig was chosen: %+v", n)
	}
}
