package board

import (
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// made is a reading with some of everything, of any shape.
func made(random *rand.Rand) reading.Reading {
	some := func(texts ...string) string { return texts[random.IntN(len(texts))] }
	at := time.UnixMicro(1_770_000_000_000_000 + random.Int64N(1e15)).UTC()
	x := reading.Reading{
		ID: uuid.Must(uuid.NewV7()).String(), Criterion: some("start", "menu", "guide"), At: at,
		Reviewer: some("ines", "odile"),
		Rig:      some("", "old", "new"), System: some("", "fresh", uuid.NewString()), Bound: reading.Bounds[random.IntN(4)],
		Context:     checklist.Context{Method: some("", "", "watch"), Setup: some("", "plain"), Phase: some("", "first")},
		Disturbance: some("", "", "a recorder ran"), Replaces: some("", "", uuid.NewString(), "r-17"),
		Repeat: random.IntN(5) == 0, Note: some("", "", "it was warm – 31 °C"),
	}
	if random.IntN(10) == 0 {
		x.ID = some("r-1", "0198A0B0-0000-7000-8000-00000000000A", "")
	}
	if random.IntN(2) == 0 {
		received := at.Add(time.Duration(random.IntN(1e6)-1000) * time.Millisecond)
		x.Received = &received
	}
	if random.IntN(6) == 0 {
		x.Adjustment = &reading.Adjustment{Amount: 0.35, Reason: "the prompt"}
	}
	if random.IntN(4) == 0 {
		x.Boots = []reading.Boot{{ID: some("b-1", uuid.NewString()), Runs: 1 + random.IntN(300)}, {ID: "b-2", Runs: 1}}
	}
	k, n := random.IntN(9), 9
	grade := float64(random.IntN(21)) / 2
	answers := []reading.Answer{
		{}, {Grade: &grade}, {Check: reading.Works}, {Level: "by-hand"}, {NotApplicable: "no radio"}, {NotTested: "no time"},
		{Count: &reading.Count{K: &k, N: &n}}, {Count: &reading.Count{Worked: []string{"a", "b"}, Failed: []string{"c"}}},
		{Fact: &reading.Fact{Text: "6.18"}}, {Fact: &reading.Fact{Sort: reading.FactNumber, Number: -2.5}},
		{Fact: &reading.Fact{Sort: reading.FactList, List: []string{"tin", "sack"}}},
		{Runs: []float64{12.25, 0, math.Pi, 1e300, -0.001, 5e-324, 123456789.125, math.Copysign(0, -1), 1 << 60}},
	}
	x.Answer = answers[random.IntN(len(answers))]
	return x
}

func TestPacking(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 11))
	words := newLexicon()
	var room reading.Room
	for round := range 300 {
		readings := make([]reading.Reading, random.IntN(40))
		for i := range readings {
			readings[i] = made(random)
		}
		small := words.pack(readings)
		for name, got := range map[string][]reading.Reading{
			"fresh": words.unpack(small, nil), "in a room": words.unpack(small, &room),
		} {
			for i := range readings {
				if !reflect.DeepEqual(got[i], readings[i]) || !sameBits(got[i].Answer.Runs, readings[i].Answer.Runs) {
					t.Fatalf("round %d, %s: %+v became %+v", round, name, readings[i], got[i])
				}
			}
			if len(got) != len(readings) {
				t.Fatalf("round %d, %s: %d readings of %d", round, name, len(got), len(readings))
			}
		}
	}
}

func sameBits(a, b []float64) bool {
	return slices.EqualFunc(a, b, func(x, y float64) bool { return math.Float64bits(x) == math.Float64bits(y) })
}

// A reading as people write most of them takes some 40 bytes.
func TestPackedSize(t *testing.T) {
	words := newLexicon()
	at := time.Date(2026, 5, 1, 9, 0, 0, 0, time.UTC)
	var readings []reading.Reading
	for i := range 100 {
		received := at.Add(3 * time.Second)
		x := reading.Reading{
			ID: uuid.Must(uuid.NewV7()).String(), Criterion: "start", Reviewer: "ines", Rig: "old", At: at, Received: &received,
			System: "018f6b1e-0000-7000-8000-000000000001", Context: checklist.Context{Method: "watch"},
			Answer: reading.Answer{Runs: []float64{12.25, 12.5 + float64(i)/100, 12.75}},
		}
		readings, at = append(readings, x), at.Add(90*time.Second)
	}
	if each := len(words.pack(readings)) / len(readings); each > 48 {
		t.Errorf("a reading takes %d bytes", each)
	}
}

// Readings are unpacked while others are packed.
func TestPackingAtOnce(t *testing.T) {
	words := newLexicon()
	first := []reading.Reading{{ID: "a", Criterion: "start", Reviewer: "ines", At: time.UnixMicro(0).UTC()}}
	small := words.pack(first)
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			for range 500 {
				if got := words.unpack(small, nil); !reflect.DeepEqual(got, first) {
					t.Errorf("%+v", got)
				}
			}
		})
		all.Go(func() {
			for range 500 {
				words.pack([]reading.Reading{{ID: "b", Criterion: uuid.NewString()}})
			}
		})
	}
	all.Wait()
}
