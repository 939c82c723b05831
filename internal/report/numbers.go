package report

import (
	"math"
	"strings"

	"dappertally/internal/numerals"
)

func oneDecimal(x *float64) string { return minus(numerals.Score(x)) }

func share(x float64) string { return numerals.Share(x) }

func percent(x *float64) string {
	if x == nil {
		return numerals.None
	}
	if math.Abs(*x) > 1000 {
		return numerals.Change(x) // in times
	}
	return signed(x) + " %"
}

// signed formats a difference: always with its sign, with one decimal below a hundred.
func signed(x *float64) string {
	if x == nil {
		return numerals.None
	}
	decimals := 1
	if math.Abs(*x) >= 100 {
		decimals = 0
	}
	s := numerals.Rounded(*x, decimals)
	if !strings.HasPrefix(s, "-") {
		s = "+" + s
	}
	return minus(s)
}

// formatNumber formats a measured value.
func formatNumber(x *float64) string { return minus(numerals.Value(x)) }

// minus replaces the sign by one that is as wide as a digit.
func minus(s string) string { return strings.Replace(s, "-", "−", 1) }

func oneDecimalOf(x float64) string { return oneDecimal(&x) }

// signedTwo formats an addend, with its sign and two decimals.
func signedTwo(x float64) string {
	s := numerals.Rounded(x, 2)
	if !strings.HasPrefix(s, "-") {
		s = "+" + s
	}
	return minus(s)
}

// between formats a possible range; one without width is a single figure.
func between(low, high *float64) string {
	if low == nil || high == nil || oneDecimal(low) == oneDecimal(high) {
		return oneDecimal(high)
	}
	return oneDecimal(low) + "–" + oneDecimal(high)
}
