package checklist_test

import (
	"fmt"

	"dappertally/core/checklist"
	"dappertally/core/fault"
)

// A span gives points along a straight line: 100 for an ideal value, none for a poor one.
func ExampleCurve_At() {
	start := checklist.Curve{Shape: checklist.Span, Poor: 60, Ideal: 10}
	for _, seconds := range []float64{5, 10, 35, 90} {
		fmt.Printf("%2.0f s: %3.0f points\n", seconds, start.At(seconds, 0, "lower"))
	}
	// Output:
	//  5 s: 100 points
	// 10 s: 100 points
	// 35 s:  50 points
	// 90 s:   0 points
}

// Validate reports every fault at once, each with its place.
func ExampleValidate() {
	list := checklist.Checklist{
		Key:     "desk",
		Version: 1,
		State:   checklist.Draft,
		Title:   "Desk",
		Sections: []checklist.Section{
			{Key: "ease", Title: "Ease", Weight: 1, Criteria: []checklist.Criterion{
				{Key: "Guide", Title: "Guide", Kind: checklist.Grade, Weight: -1},
			}},
		},
	}
	var book fault.Book
	checklist.Validate(&list, &book)
	for _, f := range book.List() {
		fmt.Println(f.Pointer)
	}
	// Output:
	// /sections/0/criteria/0/key
	// /sections/0/criteria/0/weight
}
