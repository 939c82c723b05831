package fitting

import (
	"fmt"
	"math"
	"strings"

	"dappertally/core/catalogue"
)

// Near is a rig and its distance from a machine.
type Near struct {
	Rig      string   `json:"rig"`
	Distance float64  `json:"distance"` // 0: equal in everything known
	Differs  []string `json:"differs"`
}

// The weight of differing words, of something that is known of the machine but not of the rig, and of one of the two
// being virtual. A factor of two in memory or processors counts 1. What is not known may differ by much.
const (
	otherWords   = 0.5
	unknownWords = 0.5
	unknown      = 2
	otherSort    = 2
)

// Nearest returns the rig most similar to a machine: by the ratios of memory and processors, by the words for
// processor and graphics, and by being virtual or not. An unknown property of a rig counts as a difference. Retired
// rigs are ignored. It returns nil if there is no rig; of equal rigs the one with the lower key.
func Nearest(rigs []catalogue.Rig, m Machine) *Near {
	var nearest *Near
	for i := range rigs {
		r := &rigs[i]
		if r.Retired {
			continue
		}
		if n := near(r, m); nearest == nil || n.Distance < nearest.Distance ||
			(n.Distance == nearest.Distance && n.Rig < nearest.Rig) {
			nearest = &n
		}
	}
	return nearest
}

func near(r *catalogue.Rig, m Machine) Near {
	n := Near{Rig: r.Key, Differs: []string{}}
	times := func(have, asked float64, what, format string) {
		switch {
		case asked <= 0 || have == asked:
			return
		case have <= 0:
			n.Distance += unknown
			n.Differs = append(n.Differs, "its "+what+" not known")
			return
		}
		n.Distance += math.Abs(math.Log2(have / asked))
		n.Differs = append(n.Differs, fmt.Sprintf(format, have, asked))
	}
	times(float64(r.MemoryMiB), float64(m.MemoryMiB), "memory is", "%v MiB of memory, yours has %v")
	times(float64(r.Cores), float64(m.Cores), "processor cores are", "%v processor cores, yours has %v")
	for _, x := range []struct{ what, have, asked string }{{"processor", r.CPU, m.Processor}, {"graphics", r.Graphics, m.Graphics}} {
		switch {
		case x.asked == "" || shareWord(x.have, x.asked):
		case x.have == "":
			n.Distance += unknownWords
			n.Differs = append(n.Differs, "its "+x.what+" is not known")
		default:
			n.Distance += otherWords
			n.Differs = append(n.Differs, fmt.Sprintf("%s: %s, yours: %s", x.what, x.have, x.asked))
		}
	}
	if r.Virtual != m.Virtual {
		n.Distance += otherSort
		n.Differs = append(
			n.Differs, map[bool]string{true: "it is a virtual machine", false: "it is not a virtual machine"}[r.Virtual],
		)
	}
	return n
}

// shareWord reports whether two descriptions share a significant word.
func shareWord(a, b string) bool {
	const telling = 4
	for _, w := range strings.Fields(strings.ToLower(a)) {
		for _, v := range strings.Fields(strings.ToLower(b)) {
			if w = strings.Trim(w, ",;()"); len(w) >= telling && w == strings.Trim(v, ",;()") {
				return true
			}
		}
	}
	return false
}
