package reading

import (
	"cmp"
	"slices"
	"strings"
	"time"
)

// Record is what a review holds besides its system states and readings. It is not scored.
type Record struct {
	Findings    []Finding    `json:"findings,omitempty"`
	Changes     []Change     `json:"changes,omitempty"`
	Claims      []Claim      `json:"claims,omitempty"`
	Journal     []Journal    `json:"journal,omitempty"`
	Experience  []Experience `json:"experience,omitempty"`
	Verdicts    []Verdict    `json:"verdicts,omitempty"`
	Advice      []Advice     `json:"advice,omitempty"`      // for users of the previous release
	Use         []Use        `json:"use,omitempty"`         // who used it for a longer time, and where
	Disclosures []Disclosure `json:"disclosures,omitempty"` // what a reader should know of the reviewers
	Evidence    []Evidence   `json:"evidence,omitempty"`
}

// Head is what every entry of a review's record begins with.
type Head struct {
	ID       string    `json:"id"`
	At       time.Time `json:"at,omitzero"`
	Reviewer string    `json:"reviewer,omitempty"`
}

// System is the system under review at one moment.
type System struct {
	Head
	Note      string          `json:"note,omitempty"`
	Rig       string          `json:"rig,omitempty"`
	Installed []string        `json:"installed,omitempty"` // what was chosen at install
	Changed   []string        `json:"changed,omitempty"`   // changed by hand since the state before
	Updated   []string        `json:"updated,omitempty"`   // updates since the state before
	Facts     map[string]Fact `json:"facts,omitempty"`     // as surveyed
}

// Finding is a strength, weakness or quirk.
type Finding struct {
	Head
	Sort       string   `json:"sort"`
	Title      string   `json:"title"`
	Text       string   `json:"text,omitempty"`
	Severity   string   `json:"severity,omitempty"` // of a weakness or quirk
	Nature     string   `json:"nature,omitempty"`   // defect or taste
	Seen       string   `json:"seen,omitempty"`     // always, sometimes, once
	Sure       string   `json:"sure,omitempty"`     // certain, likely, unsure
	Criterion  string   `json:"criterion,omitempty"`
	Rig        string   `json:"rig,omitempty"`
	System     string   `json:"system,omitempty"`
	Workaround string   `json:"workaround,omitempty"`
	Reported   []string `json:"reported,omitempty"` // addresses of reports
	Outcome    string   `json:"outcome,omitempty"`  // outcome of the report
	KnownIssue string   `json:"trouble,omitempty"`  // key of the known issue that it is a case of
	Follows    string   `json:"follows,omitempty"`  // the finding of an earlier review that this one follows up
	Fate       string   `json:"fate,omitempty"`     // what happened to that one: still-there, fixed, changed
}

// Change is something that differs from the previous release.
type Change struct {
	Head
	Component string `json:"component"`
	Was       string `json:"was,omitempty"` // empty: it did not exist
	Is        string `json:"is,omitempty"`  // empty: it was removed
	Source    string `json:"source"`        // announced, found, both
	Effect    string `json:"effect"`        // better, worse, neutral
	Whom      string `json:"whom,omitempty"`
	Link      string `json:"link,omitempty"`
	Note      string `json:"note,omitempty"`
}

// Claim is a statement by makers, users or folklore. It counts for nothing until it is confirmed or refuted.
type Claim struct {
	Head
	Text     string   `json:"text"`
	By       string   `json:"by"`
	Source   string   `json:"source"`
	State    string   `json:"state"`
	Reason   string   `json:"reason,omitempty"`   // why it was confirmed or refuted
	Criteria []string `json:"criteria,omitempty"` // the readings that tested it
}

// Journal is a dated entry on living with the system.
type Journal struct {
	Head
	Text string `json:"text"`
	Rig  string `json:"rig,omitempty"`
}

// Experience is what a reviewer knows from longer use outside the review.
type Experience struct {
	Head
	Text  string `json:"text"`
	Since string `json:"since,omitempty"` // such as "two years, daily"
}

// Verdict is for one audience.
type Verdict struct {
	Head
	Audience     string   `json:"audience"`
	Verdict      string   `json:"verdict"`
	Conditions   string   `json:"conditions,omitempty"`
	Reason       string   `json:"reason"`
	Alternatives []string `json:"alternatives,omitempty"` // editions to look at
}

// Advice is for users of the previous release.
type Advice struct {
	Head
	Advice string `json:"advice"` // upgrade, wait, stay
	Reason string `json:"reason"`
}

// Use is a period of living with the system.
type Use struct {
	Head
	Days int    `json:"days"`
	Rig  string `json:"rig,omitempty"`
	Note string `json:"note,omitempty"`
}

// Disclosure is what a reader should know of a reviewer.
type Disclosure struct {
	Head
	Text string `json:"text"`
}

// Evidence is a file or a link that shows something: for a reading, for another entry, or as one of the checklist's
// standard screenshots.
type Evidence struct {
	Head
	Of       string `json:"of,omitempty"`   // id of a reading or an entry
	Shot     string `json:"shot,omitempty"` // key of a standard screenshot
	SHA256   string `json:"sha256,omitempty"`
	Name     string `json:"name,omitempty"`
	Type     string `json:"type,omitempty"` // media type, detected from the content
	Size     int64  `json:"size,omitempty"`
	Link     string `json:"link,omitempty"`
	TimeCode string `json:"timeCode,omitempty"` // position in the recording: 1:02:03 or 12:40
	Caption  string `json:"caption,omitempty"`
}

// Entry is one entry of a review's record, or a system state: exactly one of its
// fields is set.
type Entry struct {
	System     *System     `json:"system,omitempty"`
	Finding    *Finding    `json:"finding,omitempty"`
	Change     *Change     `json:"change,omitempty"`
	Claim      *Claim      `json:"claim,omitempty"`
	Journal    *Journal    `json:"journal,omitempty"`
	Experience *Experience `json:"experience,omitempty"`
	Verdict    *Verdict    `json:"verdict,omitempty"`
	Advice     *Advice     `json:"advice,omitempty"`
	Use        *Use        `json:"use,omitempty"`
	Disclosure *Disclosure `json:"disclosure,omitempty"`
	Evidence   *Evidence   `json:"evidence,omitempty"`
}

// Part returns the name of the field that is set, the first if there are several, and its head; both are empty if
// none is set.
func (e *Entry) Part() (part string, head *Head) {
	switch {
	case e.System != nil:
		return "system", &e.System.Head
	case e.Finding != nil:
		return "finding", &e.Finding.Head
	case e.Change != nil:
		return "change", &e.Change.Head
	case e.Claim != nil:
		return "claim", &e.Claim.Head
	case e.Journal != nil:
		return "journal", &e.Journal.Head
	case e.Experience != nil:
		return "experience", &e.Experience.Head
	case e.Verdict != nil:
		return "verdict", &e.Verdict.Head
	case e.Advice != nil:
		return "advice", &e.Advice.Head
	case e.Use != nil:
		return "use", &e.Use.Head
	case e.Disclosure != nil:
		return "disclosure", &e.Disclosure.Head
	case e.Evidence != nil:
		return "evidence", &e.Evidence.Head
	}
	return "", nil
}

// Parts lists the names that Part returns.
var Parts = []string{
	"system",
	"finding",
	"change",
	"claim",
	"journal",
	"experience",
	"verdict",
	"advice",
	"use",
	"disclosure",
	"evidence",
}

// Entries returns a review's states and record as entries, each part in order.
func (r *Review) Entries() []Entry {
	var out []Entry
	for i := range r.States {
		out = append(out, Entry{System: &r.States[i]})
	}
	for i := range r.Findings {
		out = append(out, Entry{Finding: &r.Findings[i]})
	}
	for i := range r.Changes {
		out = append(out, Entry{Change: &r.Changes[i]})
	}
	for i := range r.Claims {
		out = append(out, Entry{Claim: &r.Claims[i]})
	}
	for i := range r.Journal {
		out = append(out, Entry{Journal: &r.Journal[i]})
	}
	for i := range r.Experience {
		out = append(out, Entry{Experience: &r.Experience[i]})
	}
	for i := range r.Verdicts {
		out = append(out, Entry{Verdict: &r.Verdicts[i]})
	}
	for i := range r.Advice {
		out = append(out, Entry{Advice: &r.Advice[i]})
	}
	for i := range r.Use {
		out = append(out, Entry{Use: &r.Use[i]})
	}
	for i := range r.Disclosures {
		out = append(out, Entry{Disclosure: &r.Disclosures[i]})
	}
	for i := range r.Evidence {
		out = append(out, Entry{Evidence: &r.Evidence[i]})
	}
	return out
}

// Take adds entries to the review's states and record, each part ordered by time, then id.
func (r *Review) Take(entries []Entry) {
	entries = slices.Clone(entries)
	slices.SortStableFunc(entries, func(a, b Entry) int {
		_, x := a.Part()
		_, y := b.Part()
		return cmp.Or(x.At.Compare(y.At), strings.Compare(x.ID, y.ID))
	})
	for _, e := range entries {
		switch {
		case e.System != nil:
			r.States = append(r.States, *e.System)
		case e.Finding != nil:
			r.Findings = append(r.Findings, *e.Finding)
		case e.Change != nil:
			r.Changes = append(r.Changes, *e.Change)
		case e.Claim != nil:
			r.Claims = append(r.Claims, *e.Claim)
		case e.Journal != nil:
			r.Journal = append(r.Journal, *e.Journal)
		case e.Experience != nil:
			r.Experience = append(r.Experience, *e.Experience)
		case e.Verdict != nil:
			r.Verdicts = append(r.Verdicts, *e.Verdict)
		case e.Advice != nil:
			r.Advice = append(r.Advice, *e.Advice)
		case e.Use != nil:
			r.Use = append(r.Use, *e.Use)
		case e.Disclosure != nil:
			r.Disclosures = append(r.Disclosures, *e.Disclosure)
		case e.Evidence != nil:
			r.Evidence = append(r.Evidence, *e.Evidence)
		}
	}
}
