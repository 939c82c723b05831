package reading

import (
	"dappertally/core/checklist"
	"dappertally/core/fault"
)

// KnownIssue is what several findings share, with its suspected origin. A better
// workaround written here reaches all of them.
type KnownIssue struct {
	Key        string   `json:"key"`
	Title      string   `json:"title"`
	Text       string   `json:"text,omitempty"`
	Origin     string   `json:"origin,omitempty"`    // what sort of thing is suspected
	Component  string   `json:"component,omitempty"` // which one
	Workaround string   `json:"workaround,omitempty"`
	Reported   []string `json:"reported,omitempty"` // where: addresses
	Outcome    string   `json:"outcome,omitempty"`
	Settled    bool     `json:"settled,omitempty"` // nobody need look for it any more
}

// Origins lists what may be suspected of a known issue.
var Origins = []string{"component", "base", "driver", "desktop", "hardware", "unknown"}

// ValidateKnownIssue reports the faults of a known issue.
func ValidateKnownIssue(t *KnownIssue, book *fault.Book) {
	v := entryValidator{book, nil}
	checklist.NoteKey(book, "key", t.Key)
	v.words("title", t.Title, longTitle, true)
	v.words("text", t.Text, longText, false)
	v.word("origin", t.Origin, Origins, false)
	v.words("component", t.Component, longTitle, false)
	v.words("workaround", t.Workaround, longText, false)
	v.words("outcome", t.Outcome, longText, false)
	v.links("reported", t.Reported)
}
