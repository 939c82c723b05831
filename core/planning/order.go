package planning

import "slices"

// Draw orders the contenders of a bench session at random: one round for each run, in each of which every contender
// comes once, so that drift of the machine affects all alike. A round never begins with the contender that ended the
// round before. below(n) returns a random number from 0 to n-1.
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

// Placing is the order, with ties, of the contenders in a side-by-side test, where only the order can be recorded.
type Placing struct {
	Criterion string     `json:"criterion,omitempty"` // the criterion that it is about, or
	Question  string     `json:"question,omitempty"`  // in words
	Order     [][]string `json:"order"`               // editions, best first; those of one place tied
	Note      string     `json:"note,omitempty"`
}
