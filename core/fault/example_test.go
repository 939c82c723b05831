package fault_test

import (
	"fmt"

	"dappertally/core/fault"
)

// A book keeps the current place, so that each fault has a pointer.
func ExampleBook() {
	var book fault.Book
	grades := []float64{7, 11}
	book.In("grades", func() {
		for i, g := range grades {
			book.In(i, func() {
				if g > 10 {
					book.Add("is %v; at most 10", g)
				}
			})
		}
	})
	fmt.Println(book.List())
	// Output: /grades/1: is 11; at most 10
}
