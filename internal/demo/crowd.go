package demo

import (
	"fmt"
	"math/rand/v2"
	"time"

	"dappertally/core/catalogue"
)

// LargestCrowd bounds how many editions a crowd has.
const LargestCrowd = len(crowdFirst) * len(crowdLast) * crowdReleases * len(crowdDesktops)

// What the names of a crowd are put together from.
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

// crowd adds as many made-up editions, each with an accepted review on the demo's checklist: distributions of ten
// releases with three editions each. It draws from a seed of its own.
func (w *world) crowd(editions int) {
	c := &world{
		bundle: w.bundle,
		list:   w.list,
		random: rand.New(rand.NewPCG(20261123, 11)),
		known:  map[string]bool{},
		plans:  w.plans,
	}
	left := editions
	for i := 0; left > 0; i++ {
		name := crowdFirst[i%len(crowdFirst)] + crowdLast[(i/len(crowdFirst)+i)%len(crowdLast)]
		d := catalogue.Distribution{
			Key:    fmt.Sprintf("crowd-%03d", i+1),
			Name:   name,
			Family: []string{crowdFamilies[i%len(crowdFamilies)]},
			Model:  crowdModels[i%len(crowdModels)],
			Aim:    "One of many, made up to see how things look with many",
		}
		level := 0.5 + 0.35*c.random.Float64()
		for r := 1; r <= crowdReleases && left > 0; r++ {
			date := Day.AddDate(0, 0, -30-90*(crowdReleases-r)-i%80)
			release := catalogue.Release{
				Version:      fmt.Sprintf("%d.%d", r/2+1, r%2),
				Date:         date.Format(time.DateOnly),
				Stage:        "final",
				Tier:         "regular",
				EndOfSupport: date.AddDate(1, 6, 0).Format(time.DateOnly),
			}
			accepted := date.AddDate(0, 0, 14).Format(time.DateOnly)
			for n := 0; n < len(crowdDesktops) && left > 0; n++ {
				e := catalogue.Edition{
					Key: []string{"hearth", "pebble", "lantern"}[n], Desktop: crowdDesktops[n], Profile: "full", Architecture: "amd64",
					Needs: catalogue.Needs{MemoryMiB: 1024 * int64(n+1), DiskGiB: 20},
				}
				e.Line = e.Key
				release.Editions = append(release.Editions, e)
				quality := make([]float64, len(w.list.Sections))
				for s := range quality {
					quality[s] = c.around(level+0.01*float64(r), 0.06)
				}
				c.review(&subject{d, release, e, quality}, accepted)
				left--
			}
			d.Releases = append(d.Releases, release)
		}
		w.bundle.Distributions = append(w.bundle.Distributions, d)
	}
}
