package slip

import "fmt"

// scales are units of the same quantity, with their size in the first of them.
var scales = []map[string]float64{
	{"s": 1, "sec": 1, "ms": 1e-3, "us": 1e-6, "µs": 1e-6, "ns": 1e-9, "min": 60, "m": 60, "h": 3600},
	{
		"MiB": 1,
		"KiB": 1. / 1024,
		"GiB": 1024,
		"MB":  1e6 / (1 << 20),
		"GB":  1e9 / (1 << 20),
		"B":   1. / (1 << 20),
		"kB":  1e3 / (1 << 20),
		"TiB": 1 << 20,
		"TB":  1e12 / (1 << 20),
	},
	{"frames/s": 1, "fps": 1},
}

// Convert converts values between units. An empty unit equals the other one.
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
	return nil, fmt.Errorf("it is in %s, and the criterion needs %s", from, orNone(to))
}

func orNone(unit string) string {
	if unit == "" {
		return "a number without a unit"
	}
	return unit
}
