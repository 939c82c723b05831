package reading

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"dappertally/core/fault"
)

// Boot is one start of the machine, and how many consecutive runs of a reading were made in it.
type Boot struct {
	ID   string `json:"id"` // the kernel's boot id, which identifies the start
	Runs int    `json:"runs"`
}

// longestBoot is the longest boot id, in bytes.
const longestBoot = 64

// ByBoot returns the adjusted runs of readings that were made on one rig, grouped by start of the machine, in the
// order in which the starts first appear. It returns nil if a reading does not name its starts.
func ByBoot(readings []*Reading) [][]float64 {
	var ids []string
	var by [][]float64
	for _, r := range readings {
		if len(r.Boots) == 0 {
			return nil
		}
		runs := Adjusted(r)
		for _, b := range r.Boots {
			i := slices.Index(ids, b.ID)
			if i < 0 {
				i = len(ids)
				ids, by = append(ids, b.ID), append(by, nil)
			}
			by[i] = append(by[i], runs[:b.Runs]...)
			runs = runs[b.Runs:]
		}
	}
	return by
}

// Starts returns how many different starts of the machine boots name.
func Starts(boots []Boot) int {
	ids := map[string]bool{}
	for _, b := range boots {
		ids[b.ID] = true
	}
	return len(ids)
}

// BootMedians returns the median run of each start of the machine, in the same order.
func BootMedians(boots [][]float64) []float64 {
	medians := make([]float64, len(boots))
	for i, runs := range boots {
		medians[i] = Median(slices.Clone(runs))
	}
	return medians
}

// InBoots pairs runs with the starts of the machine in which they were made: ids has one for each run. It returns nil
// if a run has none.
func InBoots(ids []string) []Boot {
	var boots []Boot
	for _, id := range ids {
		switch n := len(boots); {
		case id == "":
			return nil
		case n > 0 && boots[n-1].ID == id:
			boots[n-1].Runs++
		default:
			boots = append(boots, Boot{id, 1})
		}
	}
	return boots
}

// BootWords writes boots as text: "ID:RUNS" each, separated by spaces. ParseBoots reads it.
func BootWords(boots []Boot) string {
	words := make([]string, len(boots))
	for i, b := range boots {
		words[i] = b.ID + ":" + strconv.Itoa(b.Runs)
	}
	return strings.Join(words, " ")
}

// ParseBoots reads what BootWords writes.
func ParseBoots(text string) ([]Boot, error) {
	var boots []Boot
	for word := range strings.FieldsSeq(text) {
		i := strings.LastIndexByte(word, ':')
		n, err := strconv.Atoi(word[i+1:])
		if i < 1 || err != nil {
			return nil, fmt.Errorf("%.70q is not a start of the machine with its runs, such as 3f1c:6", word)
		}
		boots = append(boots, Boot{word[:i], n})
	}
	return boots, nil
}

// validateBoots reports starts of the machine that do not fit the runs.
func validateBoots(x *Reading, book *fault.Book) {
	if len(x.Boots) == 0 {
		return
	}
	book.In("boots", func() {
		left := len(x.Answer.Runs)
		for i, b := range x.Boots {
			book.In(i, func() {
				if b.ID == "" || len(b.ID) > longestBoot || strings.ContainsFunc(b.ID, unfitForBoot) {
					book.Field("id", "must be 1 to %d characters without blanks, not %.70q", longestBoot, b.ID)
				}
				if b.Runs < 1 || b.Runs > left {
					book.Field("runs", "must be between 1 and the %d runs that are left, not %d", left, b.Runs)
				}
			})
			left -= min(left, max(b.Runs, 0))
		}
		if left > 0 {
			book.Add("leave out %d of the %d runs", left, len(x.Answer.Runs))
		}
	})
}

func unfitForBoot(r rune) bool { return unicode.IsSpace(r) || !unicode.IsPrint(r) }
