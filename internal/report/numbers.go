package report

import (
	"math"
	"strconv"
	"strings"
)

// none stands where there is no number.
const none = "–"

// rounded writes x with that many decimals, half away from zero.
func rounded(x float64, decimals int) string {
	scale := math.Pow(10, float64(decimals))
	return strconv.FormatFloat(math.Round(x*scale)/scale, 'f', decimals, 64)
}

func oneDecimal(x *float64) string {
	if x == nil {
		return none
	}
	return minus(rounded(*x, 1))
}

func share(x float64) string { return rounded(100*x, 0) + " %" }

func percent(x *float64) string {
	if x == nil {
		return none
	}
	return signed(x) + " %"
}

// signed writes a difference: its sign always, one decimal below ten.
func signed(x *float64) string {
	if x == nil {
		return none
	}
	decimals := 1
	if math.Abs(*x) >= 100 {
		decimals = 0
	}
	s := rounded(*x, decimals)
	if !strings.HasPrefix(s, "-") {
		s = "+" + s
	}
	return minus(s)
}

// number writes a measured value with three to four figures.
func number(x *float64) string {
	if x == nil {
		return none
	}
	switch a := math.Abs(*x); {
	case a >= 100:
		return minus(rounded(*x, 0))
	case a >= 10:
		return minus(rounded(*x, 1))
	}
	return minus(rounded(*x, 2))
}

// minus sets the sign that is as wide as a digit.
func minus(s string) string { return strings.Replace(s, "-", "−", 1) }
