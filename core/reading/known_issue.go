package reading

import (
	"dappertally/core/checklist"
	"dappertally/core/fault"
)

// KnownIssue is a problem that several findings share, with its suspected origin. All of them show the workaround
// that is recorded here.
type KnownIssue struct {
	Key        string   `json:"key"`
	Title      string   `json:"title"`
	Text       string   `json:"text,omitempty"`
	Origin     string   `json:"origin,omitempty"`    // the kind of origin suspected
	Component  string   `json:"component,omitempty"` // the component suspected
	Workaround string   `json:"workaround,omitempty"`
	Reported   []string `json:"reported,omitempty"` // addresses of reports
	Outcome    string   `json:"outcome,omitempty"`
	Settled    bool     `json:"settled,omitempty"` // resolved: nobody needs to look for it
}

// Origins lists the kinds of suspected origin.
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
