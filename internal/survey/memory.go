package survey

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// round rounds half away from zero: further decimals of a value that changes every second mean nothing.
func round(x float64, places int) float64 {
	p := math.Pow(10, float64(places))
	return math.Round(x*p) / p
}

func mebi(kibi float64) float64 { return round(kibi/1024, 1) }

func memory(s *System) []Fact {
	info := s.read("/proc/meminfo")
	kib := func(name string) float64 {
		x, err := strconv.ParseFloat(field(info, name), 64)
		if err != nil {
			return math.NaN()
		}
		return x
	}
	total := kib("MemTotal")
	var facts []Fact
	tell := func(key string, x float64, how, why string) {
		if math.IsNaN(x) {
			facts = append(facts, unknown(key, why))
		} else {
			facts = append(facts, numberFact(key, mebi(x), how))
		}
	}
	const unread = "/proc/meminfo does not show it"
	tell("machine.memory", total, "MemTotal", unread)
	own := ""
	if mine, err := strconv.ParseFloat(field(s.read("/proc/self/status"), "VmRSS"), 64); err == nil {
		own = fmt.Sprintf("; holds %.0f MiB of the survey itself", mine/1024)
	}
	tell("memory.available", total-kib("MemAvailable"), "MemTotal − MemAvailable"+own, unread+" MemAvailable")
	reclaimable := kib("SReclaimable")
	if math.IsNaN(reclaimable) {
		reclaimable = 0 // older kernels count it among the buffers
	}
	tell("memory.without-caches", total-kib("MemFree")-kib("Buffers")-kib("Cached")-reclaimable+or(kib("Shmem"), 0),
		"MemTotal − MemFree − Buffers − Cached − SReclaimable + Shmem"+own, unread)
	facts = append(facts, resident(s))
	tell("memory.swap", kib("SwapTotal"), "SwapTotal", unread)
	tell("memory.swap-used", kib("SwapTotal")-kib("SwapFree"), "SwapTotal − SwapFree", unread)
	return append(facts, compressed(s))
}

func or(x, otherwise float64) float64 {
	if math.IsNaN(x) {
		return otherwise
	}
	return x
}

// resident adds up the memory of each process. Shared memory counts several times, so this is a separate method.
func resident(s *System) Fact {
	sum := 0.0
	for _, p := range s.shared.processes() {
		if !p.own {
			sum += p.residentKiB
		}
	}
	if sum == 0 {
		return unknown("memory.resident", "no process shows its VmRSS")
	}
	return numberFact(
		"memory.resident", mebi(sum), "sum of VmRSS over all processes but the survey; what they share counts for each",
	)
}

func compressed(s *System) Fact {
	const key = "memory.compressed"
	var found []string
	for _, dev := range s.names("/sys/block") {
		if !strings.HasPrefix(dev, "zram") {
			continue
		}
		size, err := strconv.ParseFloat(s.word("/sys/block/"+dev+"/disksize"), 64)
		if err != nil || size == 0 {
			continue
		}
		line := fmt.Sprintf("%s of %.0f MiB", dev, size/(1<<20))
		if stat := strings.Fields(s.read("/sys/block/" + dev + "/mm_stat")); len(stat) > 2 {
			held, _ := strconv.ParseFloat(stat[0], 64)
			uses, _ := strconv.ParseFloat(stat[2], 64)
			line += fmt.Sprintf(", %.0f MiB held in %.0f", held/(1<<20), uses/(1<<20))
		}
		found = append(found, line)
	}
	if zswap := s.word("/sys/module/zswap/parameters/enabled"); zswap == "Y" || zswap == "1" {
		found = append(found, "zswap, at most "+s.word("/sys/module/zswap/parameters/max_pool_percent")+" % of memory")
	}
	if len(found) == 0 {
		if !s.has("/sys/block") && !s.has("/sys/module") {
			return unknown(key, "/sys cannot be read")
		}
		return text(key, "none", "neither zram nor zswap is on")
	}
	return text(key, strings.Join(found, "; "), "/sys/block/zram*, /sys/module/zswap")
}
