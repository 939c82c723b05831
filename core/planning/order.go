package planning

import "slices"

// Draw orders the contenders of a bench session by lot: one round for each run, in
// each of which everybody comes once, so that drift of the machine hits all alike.
// No round begins with whoever ended the one before. below(n) gives a number from 0
// to n-1; it decides the lot.
func Draw(contenders []string, rounds int, below func(n int) int) [][]string {
	out := make([][]string, rounds)
	for r := range out {
		order := slices.Clone(contenders)
		for i := len(order) - 1; i > 0; i-- {
			j := below(i + 1)
			order[i], order[j] = order[j], order[i]
		}
		if r > 0 && len(order) > 1 && order[0] == out[r-1][len(order)-1] {
			order[0], order[1] = order[1], order[0]
		}
		out[r] = order
	}
	return out
}

// Placing is the order, with ties, in which contenders came out of a side-by-side
// test where only the order can be told.
type Placing struct {
	Criterion string     `json:"criterion,omitempty"` // that it is about, or
	Question  string     `json:"question,omitempty"`  // in words
	Order     [][]string `json:"order"`               // editions, best first; those of one place tied
	Note      string     `json:"note,omitempty"`
}
