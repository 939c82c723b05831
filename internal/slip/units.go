package slip

import "fmt"

// scales are units of one quantity, each in the first of them.
var scales = []map[string]float64{
	{"s": 1, "ms": 1e-3, "min": 60, "h": 3600},
	{"MiB": 1, "KiB": 1. / 1024, "GiB": 1024, "MB": 1e6 / (1 << 20), "GB": 1e9 / (1 << 20), "B": 1. / (1 << 20)},
}

// Convert turns values of one unit into another. An empty unit is taken as the other.
func Convert(values []float64, from, to string) ([]float64, error) {
	if from == to || from == "" {
		return values, nil
	}
	for _, units := range scales {
		a, b := units[from], units[to]
		if a == 0 || b == 0 {
			continue
		}
		out := make([]float64, len(values))
		for i, x := range values {
			out[i] = x * a / b
		}
		return out, nil
	}
	return nil, fmt.Errorf("it is in %s, and the criterion asks for %s", from, orNone(to))
}

func orNone(unit string) string {
	if unit == "" {
		return "a number without a unit"
	}
	return unit
}
