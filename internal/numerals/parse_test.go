package numerals

import "testing"

// TestParse accepts numbers as people write them, and nothing else that a program could take for one.
func TestParse(t *testing.T) {
	for text, want := range map[string]float64{
		"0": 0, "-0": 0, "7": 7, "+7": 7, "-7.5": -7.5, ".5": 0.5, "5.": 5,
		"1e3": 1000, "2.5E-3": 0.0025, "007": 7, "1e300": 1e300,
	} {
		if got, ok := Parse(text); !ok || got != want {
			t.Errorf("%q is %v, %v; want %v", text, got, ok, want)
		}
	}
	for _, text := range []string{
		"", " ", " 7", "7 ", "-", ".", "e3", "1e", "1e+", "1,5", "1_000", "0x10", "0x1p4",
		"Inf", "-inf", "infinity", "NaN", "1e301", "-1e400",
		"1.2.3", "--1", "+-1", "７",
	} {
		if got, ok := Parse(text); ok {
			t.Errorf("%q is the number %v", text, got)
		}
	}
}
