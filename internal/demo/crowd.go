package demo

import (
	"fmt"
	"iter"
	"math/rand/v2"
	"time"

	"dappertally/core/bundle"
	"dappertally/core/catalogue"
)

// LargestCrowd is the highest number of editions of a crowd.
const LargestCrowd = len(crowdFirst) * len(crowdLast) * crowdReleases * len(crowdDesktops)

// The parts of a crowd's names.
var (
	crowdFirst = [...]string{
		"Alder", "Bracken", "Cattle", "Dapple", "Elder", "Fallow", "Gorse", "Hazel", "Inkle", "Kettle",
		"Larch", "Marl", "Nettle", "Otter", "Pebble", "Quill", "Rushen", "Sedge", "Thistle", "Withy",
	}
	crowdLast = [...]string{
		"beck", "combe", "dyke", "fold", "garth", "holt", "kirk", "lea", "mere", "ness",
		"pike", "rigg", "shaw", "stead", "tarn", "thwaite", "wath", "wold", "wray", "yard",
	}
	crowdDesktops = [...]string{"Hearthside", "Pebbledash", "Lanternlight"}
	crowdModels   = [...]string{"fixed", "rolling", "fixed"}
	crowdFamilies = [...]string{"fenbase", "wharfbase", "heathbase"}
)

const crowdReleases = 10

// crowd returns made-up editions, each with an accepted review on the demo's checklist: distributions with ten
// releases of three editions each, one distribution after the other. It has its own seed.
func (w *world) crowd(editions int, thorough bool) iter.Seq[*bundle.Bundle] {
	return func(yield func(*bundle.Bundle) bool) {
		random := rand.New(rand.NewPCG(20261123, 11))
		for i, left := 0, min(editions, LargestCrowd); left > 0; i++ {
			c := &world{bundle: &bundle.Bundle{}, list: w.list, random: random, known: map[string]bool{}, plans: w.plans}
			c.thorough = thorough
			n := min(left, crowdReleases*len(crowdDesktops))
			c.oneOfMany(i, n)
			if left -= n; !yield(c.bundle) {
				return
			}
		}
	}
}

// oneOfMany adds the i-th distribution of a crowd, with its editions.
func (w *world) oneOfMany(i, editions int) {
	d := catalogue.Distribution{
		Key:    fmt.Sprintf("crowd-%03d", i+1),
		Name:   crowdFirst[i%len(crowdFirst)] + crowdLast[(i/len(crowdFirst)+i)%len(crowdLast)],
		Family: []string{crowdFamilies[i%len(crowdFamilies)]},
		Model:  crowdModels[i%len(crowdModels)],
		Aim:    "One of many made-up editions",
	}
	level := 0.5 + 0.35*w.random.Float64()
	for r := 1; r <= crowdReleases && editions > 0; r++ {
		date := Day.AddDate(0, 0, -30-90*(crowdReleases-r)-i%80)
		release := catalogue.Release{
			Version:      fmt.Sprintf("%d.%d", r/2+1, r%2),
			Date:         date.Format(time.DateOnly),
			Stage:        "final",
			Tier:         "regular",
			EndOfSupport: date.AddDate(1, 6, 0).Format(time.DateOnly),
		}
		accepted := date.AddDate(0, 0, 14).Format(time.DateOnly)
		for n := 0; n < len(crowdDesktops) && editions > 0; n++ {
			e := catalogue.Edition{
				Key: []string{"hearth", "pebble", "lantern"}[n], Desktop: crowdDesktops[n], Profile: "full", Architecture: "amd64",
				Needs: catalogue.Needs{MemoryMiB: 1024 * int64(n+1), DiskGiB: 20},
			}
			e.Line = e.Key
			release.Editions = append(release.Editions, e)
			quality := make([]float64, len(w.list.Sections))
			for s := range quality {
				quality[s] = w.around(level+0.01*float64(r), 0.06)
			}
			w.review(&subject{d, release, e, quality}, accepted)
			editions--
		}
		d.Releases = append(d.Releases, release)
	}
	w.bundle.Distributions = append(w.bundle.Distributions, d)
}

// Crowd returns the made-up editions that LoadCrowded adds, at most LargestCrowd, in one bundle for each
// distribution, without the checklist and the rigs, which the demo has. If thorough, two reviewers answer everything,
// which doubles the number of readings.
func Crowd(editions int, thorough bool) (iter.Seq[*bundle.Bundle], error) {
	w, err := build()
	if err != nil {
		return nil, err
	}
	return w.crowd(editions, thorough), nil
}
