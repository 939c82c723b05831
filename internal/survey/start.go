package survey

import (
	"regexp"
	"strconv"
	"strings"
)

var startKeys = map[string]string{
	"firmware": "start.firmware", "loader": "start.loader", "kernel": "start.kernel", "initrd": "start.initrd", "userspace": "start.userspace",
}

var startPart = regexp.MustCompile(`((?:[0-9.]+(?:min|ms|us|s|h) ?)+)\((\w+)\)`)
var startTotal = regexp.MustCompile(`= ((?:[0-9.]+(?:min|ms|us|s|h) ?)+)`)
var startGraphical = regexp.MustCompile(`graphical\.target reached after ((?:[0-9.]+(?:min|ms|us|s|h) ?)+)`)

// startUp reads how long the last start took, if the init system keeps a log.
func startUp(s *System) []Fact {
	if s.command("systemd-analyze") == "" {
		init := "the init system"
		if f := s.initFact(); f.Value != nil {
			init = f.Value.Text
		}
		return []Fact{unknown("start.total", init+" keeps no log of how long a start took")}
	}
	out, err := s.run("systemd-analyze", "time", "--no-pager")
	if err != nil {
		return []Fact{unknown("start.total", err.Error())}
	}
	const how = "systemd-analyze time"
	var facts []Fact
	sum := 0.0
	for _, m := range startPart.FindAllStringSubmatch(out, -1) {
		if key := startKeys[m[2]]; key != "" {
			facts = append(facts, numberFact(key, seconds(m[1]), how))
			sum += seconds(m[1])
		}
	}
	if m := startTotal.FindStringSubmatch(out); m != nil {
		sum = seconds(m[1])
	}
	if sum == 0 {
		first, _, _ := strings.Cut(out, "\n")
		return []Fact{unknown("start.total", "systemd-analyze says: "+first)}
	}
	total := numberFact("start.total", round(sum, 3), how)
	if strings.Contains(out, "(loader)") {
		total.How += "; the boot loader's part holds the time that its menu waits"
	}
	if m := startGraphical.FindStringSubmatch(out); m != nil {
		facts = append(facts, numberFact("start.graphical", seconds(m[1]), how+", after the user space began"))
	}
	return append([]Fact{total}, facts...)
}

var span = regexp.MustCompile(`([0-9.]+)(min|ms|us|s|h)`)

// seconds parses a duration such as "1min 2.345s".
func seconds(written string) float64 {
	sum := 0.0
	for _, m := range span.FindAllStringSubmatch(written, -1) {
		x, err := strconv.ParseFloat(m[1], 64)
		if err != nil {
			continue
		}
		sum += x * map[string]float64{"h": 3600, "min": 60, "s": 1, "ms": 1e-3, "us": 1e-6}[m[2]]
	}
	return round(sum, 6)
}
