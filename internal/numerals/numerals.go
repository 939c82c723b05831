// Package numerals formats figures for people.
package numerals

import (
	"fmt"
	"math"
	"strconv"
)

// None stands for a missing number.
const None = "–"

// Rounded formats x with that many decimals, half away from zero.
func Rounded(x float64, decimals int) string {
	scale := math.Pow(10, float64(decimals))
	return strconv.FormatFloat(math.Round(x*scale)/scale, 'f', decimals, 64)
}

// Score formats a score or points with one decimal.
func Score(x *float64) string {
	if x == nil {
		return None
	}
	return Rounded(*x, 1)
}

// Share formats a share of 1 in percent.
func Share(x float64) string { return Rounded(100*x, 0) + " %" }

// muchPercent is the change beyond which a factor is shown instead of percent.
const muchPercent = 1000

// Change formats a difference in percent of the baseline with its sign: "+12.3 %". Beyond 1,000 % it gives the
// factor: "15.2 times".
func Change(percent *float64) string {
	switch {
	case percent == nil:
		return None
	case math.Abs(*percent) > muchPercent:
		times := *percent/100 + 1
		return Value(&times) + " times"
	case *percent >= 0:
		return "+" + Value(percent) + " %"
	}
	return Value(percent) + " %"
}

// Ordinal formats a place: 1st, 2nd, 3rd, 11th.
func Ordinal(n int) string {
	ending := "th"
	if n%100 < 11 || n%100 > 13 {
		switch n % 10 {
		case 1:
			ending = "st"
		case 2:
			ending = "nd"
		case 3:
			ending = "rd"
		}
	}
	return strconv.Itoa(n) + ending
}

// Value formats a measured value with three to four digits, a small one with three.
func Value(x *float64) string {
	if x == nil {
		return None
	}
	switch a := math.Abs(*x); {
	case a >= 100:
		return Rounded(*x, 0)
	case a >= 10:
		return Rounded(*x, 1)
	case a >= 1 || a == 0:
		return Rounded(*x, 2)
	case a < smallest:
		return strconv.FormatFloat(*x, 'g', 3, 64)
	default:
		return Rounded(*x, 2-int(math.Floor(math.Log10(a))))
	}
}

// smallest is the lowest value that is written without an exponent.
const smallest = 1e-6

// Signed formats a measured difference with its sign.
func Signed(x *float64) string {
	s := Value(x)
	if x != nil && *x >= 0 {
		s = "+" + s
	}
	return s
}

// Plus formats points that add to a score or reduce it: two decimals and a sign.
func Plus(x float64) string {
	text := Rounded(math.Abs(x), 2)
	switch {
	case text == "0.00":
		return text
	case x < 0:
		return "-" + text
	}
	return "+" + text
}

// Count formats a number of things whose plural ends in s: "1 run", "2 runs".
func Count(n int, thing string) string { return Plural(n, thing, thing+"s") }

// Plural formats a number of things: "1 criterion", "2 criteria".
func Plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}
