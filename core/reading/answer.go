package reading

import (
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"

	"dappertally/core/checklist"
)

// Answer is one answer; exactly one of its fields is set.
type Answer struct {
	Grade         *float64  `json:"grade,omitempty"` // 0–10
	Check         string    `json:"check,omitempty"` // works, workaround, fails
	Runs          []float64 `json:"runs,omitempty"`
	Count         *Count    `json:"count,omitempty"`
	Level         string    `json:"level,omitempty"`
	Fact          *Fact     `json:"fact,omitempty"`
	NotApplicable string    `json:"notApplicable,omitempty"` // the reason
	NotTested     string    `json:"notTested,omitempty"`     // the reason
}

// The answers to a check.
const (
	Works      = checklist.Works
	Workaround = checklist.Workaround
	Fails      = checklist.Fails
)

// Checks lists the answers to a check, best first.
var Checks = checklist.Checks

// Count is the outcome of each item tried, or k of n if the criterion has no items.
type Count struct {
	Worked     []string `json:"worked,omitempty"`
	Workaround []string `json:"workaround,omitempty"`
	Failed     []string `json:"failed,omitempty"`
	NotTested  []string `json:"notTested,omitempty"`
	K          *int     `json:"k,omitempty"`
	N          *int     `json:"n,omitempty"`
}

// Choice returns the answer that was chosen from a list; empty if the answer is of another kind.
func (a *Answer) Choice() string { return a.Check + a.Level }

// Fields names the fields of the answer that are set; a valid answer has one.
func (a *Answer) Fields() []string {
	var set []string
	for _, f := range []struct {
		name string
		set  bool
	}{
		{"grade", a.Grade != nil}, {"check", a.Check != ""}, {"runs", a.Runs != nil},
		{"count", a.Count != nil}, {"level", a.Level != ""}, {"fact", a.Fact != nil},
		{"notApplicable", a.NotApplicable != ""}, {"notTested", a.NotTested != ""},
	} {
		if f.set {
			set = append(set, f.name)
		}
	}
	return set
}

// Answered reports whether this is an answer, not a reason for having none.
func (a *Answer) Answered() bool { return a.NotApplicable == "" && a.NotTested == "" }

// Fact is a text, a number or a list of texts.
type Fact struct {
	Text   string
	Number float64
	List   []string
	Sort   FactSort
}

// FactSort is which field of a Fact is set.
type FactSort uint8

// The sorts of fact.
const (
	FactText FactSort = iota
	FactNumber
	FactList
)

// MarshalJSON writes the fact as the text, number or list that it is.
func (f Fact) MarshalJSON() ([]byte, error) {
	switch f.Sort {
	case FactNumber:
		return json.Marshal(f.Number)
	case FactList:
		if f.List == nil {
			return []byte("[]"), nil
		}
		return json.Marshal(f.List)
	}
	return json.Marshal(f.Text)
}

// UnmarshalJSON reads a text, a number or a list of texts, and refuses all else.
func (f *Fact) UnmarshalJSON(data []byte) error {
	switch strings.TrimSpace(string(data[:min(1, len(data))])) {
	case `"`:
		f.Sort = FactText
		return json.Unmarshal(data, &f.Text)
	case "[":
		f.Sort = FactList
		if err := json.Unmarshal(data, &f.List); err != nil {
			return fmt.Errorf("a list of a fact can hold only texts")
		}
		return nil
	}
	f.Sort = FactNumber
	if err := json.Unmarshal(data, &f.Number); err != nil || math.IsInf(f.Number, 0) {
		return fmt.Errorf("a fact is a text, a number or a list of texts")
	}
	return nil
}

// String is the fact as a person reads it.
func (f Fact) String() string {
	switch f.Sort {
	case FactNumber:
		return strconv.FormatFloat(f.Number, 'f', -1, 64)
	case FactList:
		return strings.Join(f.List, ", ")
	}
	return f.Text
}
