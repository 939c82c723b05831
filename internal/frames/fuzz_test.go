package frames_test

import (
	"math"
	"strings"
	"testing"

	"dappertally/internal/frames"
)

// FuzzRead reads any log without failing, and finds frame times that are times.
func FuzzRead(f *testing.F) {
	for _, log := range []string{
		"frametime\n16.6\n16.7\n", "time;ms\n0,5;16,6\n1,0;17\n", "# made by hand\n16.6 17.1\n", "", "\x00\xff", "fps\n60\n0\nNaN\n", "1e308\n1e308\n",
		"stamp\n0\n16\n8\n",
	} {
		f.Add(log, false, false, false)
		f.Add(log, true, true, false)
		f.Add(log, false, false, true)
	}
	f.Fuzz(func(t *testing.T, text string, comma, stamps, rate bool) {
		log, err := frames.Read(strings.NewReader(text), frames.Form{Comma: comma, Stamps: stamps, Rate: rate})
		if err != nil {
			if strings.TrimSpace(err.Error()) == "" {
				t.Error("a log is refused without a reason")
			}
			return
		}
		defer log.Close()
		for ms := range log.Times() {
			if math.IsNaN(ms) || math.IsInf(ms, 0) || ms < 0 {
				t.Errorf("a frame takes %v ms", ms)
			}
		}
		if err := log.Err(); err != nil {
			t.Error(err)
		}
	})
}
