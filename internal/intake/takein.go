package intake

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/imports"
	"dappertally/internal/ledger"
	"dappertally/internal/numerals"
	"dappertally/internal/problem"
	"dappertally/internal/reviewing"
	"dappertally/internal/slip"
	"dappertally/internal/store"
)

// The outcomes of an imported row.
const (
	FateNew      = "new"
	FateSame     = "same"
	FateReplaces = "replaces"
	FateChanges  = "changes" // existing values, in the catalogue
	FateRefused  = "refused"
)

// Outcome is the outcome of one row of an import.
type Outcome struct {
	Line      int    `json:"line,omitempty"`
	Fate      string `json:"fate"`
	Subject   string `json:"subject,omitempty"` // an edition, or another subject of the row
	Criterion string `json:"criterion,omitempty"`
	Reviewer  string `json:"reviewer,omitempty"`
	Rig       string `json:"rig,omitempty"`
	Answer    string `json:"answer,omitempty"`
	Column    string `json:"column,omitempty"` // column with the fault
	Why       string `json:"why,omitempty"`
}

// Imported is the result of an import.
type Imported struct {
	New      int   `json:"new"`
	Same     int   `json:"same"`
	Replaces int   `json:"replaces"`
	Changes  int   `json:"changes"`
	Refused  int   `json:"refused"`
	Written  bool  `json:"written"`
	Change   int64 `json:"change,omitempty"`
}

func (i *Imported) count(fate string) {
	switch fate {
	case FateNew:
		i.New++
	case FateSame:
		i.Same++
	case FateReplaces:
		i.Replaces++
	case FateChanges:
		i.Changes++
	default:
		i.Refused++
	}
}

// LargestImport is the largest file in bytes, and MostImported the highest number of its readings.
const (
	LargestImport = 256 << 20
	MostImported  = 1_000_000
)

// ImportReadings imports drafts, all of them or none. A trial writes nothing. A row without an id equals an existing
// reading if it has the same answer in the same review, context and moment; otherwise it replaces the one in that
// place.
func (s *Service) ImportReadings(
	ctx context.Context,
	who *access.Actor,
	drafts []imports.Draft,
	trial bool,
	w Watch,
) (Imported, error) {
	if err := who.Permit(ImportReadings); err != nil {
		return Imported{}, err
	}
	c, end := w.follow()
	defer end()
	change, err := s.bring(ctx, who, c, func(state *ledger.Records, tx *store.Tx) (*arrivals, error) {
		in := &taker{
			Service: s,
			who:     who,
			state:   state,
			tx:      tx,
			now:     tx.Now(),
			reviews: reviewing.Listed(state, who, func(*store.Review) bool { return true }),
			books:   map[string]*reviewBook{},
			targets: map[[2]string]target{},
		}
		if err := in.lock(drafts); err != nil {
			return nil, err
		}
		for i := range drafts {
			c.note(in.importDraft(&drafts[i]))
			c.at("checked", i+1, len(drafts))
		}
		if trial || c.done.Refused > 0 {
			return nil, ledger.ErrTrial
		}
		return in.found(), nil
	})
	return c.done.written(change, err)
}

// written returns the result of an import after its transaction, which errTrial ended if nothing should be written.
func (i Imported) written(change int64, err error) (Imported, error) {
	if errors.Is(err, ledger.ErrTrial) {
		return i, nil
	}
	i.Written, i.Change = err == nil, change
	return i, err
}

// taker holds what drafts are compared with.
type taker struct {
	*Service
	who     *access.Actor
	state   *ledger.Records
	tx      *store.Tx
	now     time.Time
	reviews []*store.Review
	people  map[string]string
	books   map[string]*reviewBook // by review id
	targets map[[2]string]target   // by the review and edition named in a draft
	rows    []store.ReadingRow
}

// importDraft determines the outcome of one draft.
func (in *taker) importDraft(d *imports.Draft) Outcome {
	o := Outcome{
		Line:      d.Line,
		Fate:      FateRefused,
		Subject:   cmp.Or(d.Edition, d.Review),
		Criterion: d.Criterion,
		Rig:       d.Rig,
		Answer:    cmp.Or(d.Answer, d.NotTested, d.NotApplicable),
		Column:    d.Column,
		Why:       d.Fault,
	}
	if d.Fault != "" {
		return o
	}
	r, err := in.find(d)
	if err != nil {
		o.Column, o.Why = "edition", err.Error()
		return o
	}
	b := in.books[r.ID]
	o.Subject = r.Edition
	if b.review.State == reading.Withdrawn {
		o.Column, o.Why = "review", "the review was withdrawn"
		return o
	}
	x, column, err := in.reading(d, b)
	if err != nil {
		o.Column, o.Why = cmp.Or(column, d.Column), err.Error()
		return o
	}
	o.Reviewer, o.Rig, o.Column = x.Reviewer, x.Rig, ""
	in.fate(d, x, b, &o)
	if o.Fate != FateSame && o.Fate != FateRefused && x.Reviewer != in.who.Name &&
		!in.who.May(reviewing.EditOthers) {
		o.Fate, o.Column, o.Why = FateRefused, "reviewer", fmt.Sprintf(
			"only a lead can import the readings of others, and you are not %s", x.Reviewer,
		)
	}
	if o.Fate == FateNew || o.Fate == FateReplaces {
		b.note(x)
		b.lines[x.ID] = d.Line
		b.added++
		row := store.ReadingRow{
			Reading:  x,
			Review:   r.ID,
			Version:  b.version,
			Reviewer: in.people[x.Reviewer],
			Received: in.now,
		}
		if x.Rig != "" {
			row.Rig = in.state.Catalogue.RigVersions[x.Rig].ID
		}
		in.rows = append(in.rows, row)
		if b.review.State == reading.Accepted {
			o.Why = strings.TrimPrefix(
				o.Why+"; the review is accepted: it counts when the review is reopened and accepted again", "; ",
			)
		}
	}
	return o
}

// reading makes a reading of a draft and checks it. column is the one with a fault.
func (in *taker) reading(d *imports.Draft, b *reviewBook) (x *reading.Reading, column string, err error) {
	c, ok := b.list.Criterion(d.Criterion)
	if !ok {
		return nil, "criterion", fmt.Errorf("checklist %s has no criterion %.70q", b.list.Name(), d.Criterion)
	}
	reviewer := cmp.Or(d.Reviewer, in.who.Name)
	switch {
	case in.people[reviewer] == "":
		return nil, "reviewer", fmt.Errorf("there is no account %.70q", reviewer)
	case d.Reviewer == "" && !in.who.May(reviewing.Record):
		return nil, "reviewer", errors.New("name the reviewer: you are not one")
	}
	x = &reading.Reading{
		ID: d.ID, Criterion: c.Key, Reviewer: reviewer, Rig: in.state.Catalogue.ResolveRig(d.Rig),
		At: d.At.UTC().Truncate(time.Microsecond), Received: &in.now, System: d.System,
		Context: checklist.Context{
			Method: cmp.Or(d.Method, c.Context.Method),
			Setup:  cmp.Or(d.Setup, c.Context.Setup),
			Phase:  cmp.Or(d.Phase, c.Context.Phase),
		},
		Bound: d.Bound, Disturbance: d.Disturbance, Replaces: d.Replaces, Repeat: d.Repeat, Note: d.Note,
	}
	if x.Boots, err = reading.ParseBoots(d.Boots); err != nil {
		return nil, "boots", err
	}
	if d.Adjustment != nil {
		x.Adjustment = &reading.Adjustment{Amount: *d.Adjustment, Reason: d.AdjustmentReason}
	}
	if x.Answer, err = slip.Answered(c, d.Answer, d.Unit, d.NotTested, d.NotApplicable); err != nil {
		return nil, "", err
	}
	if d.At.IsZero() {
		x.At = in.now
	}
	if x.ID == "" {
		x.ID = importedID(b.review.ID, d, x)
	}
	if err := in.reviewing.SoundReading(in.state, b.list, x, x.Note != "", in.now); err != nil {
		var refused *problem.Error
		if errors.As(err, &refused) && len(refused.Faults) > 0 {
			return nil, columnOf(refused.Faults), errors.New(refused.Faults.Line())
		}
		return nil, "", err
	}
	if !b.states[x.System] {
		return nil, "system", fmt.Errorf("the review has no system state %.70q", x.System)
	}
	return x, "", nil
}

var importSpace = uuid.MustParse("c2b3f8e4-0a54-4d0b-8f0e-6c1a57a3b9d2")

// importedID is derived from the content of a row, so that a file imported twice at once is not stored twice.
func importedID(review string, d *imports.Draft, x *reading.Reading) string {
	at := ""
	if !d.At.IsZero() {
		at = moment(x)
	}
	says := []string{review, place(x), at, ledger.AsText(&x.Answer), d.Note, d.Disturbance, d.Bound}
	return uuid.NewSHA1(importSpace, []byte(strings.Join(says, "\x00"))).String()
}

// columnOf returns the column of a fault, as files name it.
func columnOf(faults fault.List) string {
	first, rest, _ := strings.Cut(strings.TrimPrefix(faults[0].Pointer, "/"), "/")
	switch first {
	case "context":
		return rest
	case "adjustment":
		return map[string]string{"reason": "adjustmentReason"}[rest]
	}
	return first
}

// fate compares a reading with the existing ones.
func (in *taker) fate(d *imports.Draft, x *reading.Reading, b *reviewBook, o *Outcome) {
	old := b.byID[x.ID]
	if old == nil && d.ID == "" && d.Replaces == "" {
		if old = b.at[moment(x)]; d.At.IsZero() {
			old = b.last[place(x)]
		}
	}
	switch {
	case old != nil && b.hidden[old.ID], b.hidden[x.Replaces]:
		o.Fate, o.Column, o.Why = FateRefused, "reviewer", "a grade exists that you cannot see before you have given yours"
	case old == nil && x.Replaces == "":
		o.Fate = FateNew
	case old != nil && sameBut(old, x, d.At.IsZero(), d.ID == ""):
		o.Fate = FateSame
		if line := b.lines[old.ID]; line > 0 {
			o.Why = fmt.Sprintf("same as line %d", line)
		} else if b.by[old.ID] != "" {
			o.Why = "it was imported before and has been replaced since; the replacement stays"
		}
	case old != nil && old.ID == x.ID:
		o.Fate, o.Column, o.Why = FateRefused, "id", "another reading exists with this id: "+reviewing.Said(old)
	default:
		if old != nil {
			x.Replaces = old.ID
		}
		in.replaces(x, b, o)
	}
}

// replaces checks that x can replace the reading that it names.
func (in *taker) replaces(x *reading.Reading, b *reviewBook, o *Outcome) {
	old := b.byID[x.Replaces]
	o.Fate, o.Column = FateRefused, "replaces"
	switch {
	case old == nil:
		o.Why = fmt.Sprintf("there is no reading %.70q in this review to replace", x.Replaces)
		return
	case old.Criterion != x.Criterion:
		o.Why = "that reading answers another criterion, " + old.Criterion
		return
	case old.Answer.Grade != nil && old.Reviewer != x.Reviewer:
		o.Why = "only the reviewer of a grade can change it"
		return
	case b.by[old.ID] != "":
		o.Why = fmt.Sprintf("that reading is already replaced, by %s", b.by[old.ID])
		return
	}
	o.Fate, o.Column, o.Why = FateReplaces, "", "was "+inWords(old)
}

// inWords formats the answer of a reading as files write it.
func inWords(x *reading.Reading) string {
	if words := slip.Words(&x.Answer); words != "" {
		return words
	}
	return reviewing.Said(x)
}

// sameBut reports whether two readings have the same content, apart from when and how they were recorded.
func sameBut(a, b *reading.Reading, time, id bool) bool {
	x, y := *a, *b
	x.Received, y.Received = nil, nil
	if time {
		x.At = y.At
	}
	if id {
		x.ID, y.ID, x.Replaces, y.Replaces = "", "", "", ""
	}
	return ledger.SameJSON(x, y)
}

// found is what is new.
func (in *taker) found() *arrivals {
	var into []string
	for _, id := range slices.Sorted(maps.Keys(in.books)) {
		if in.books[id].added > 0 {
			into = append(into, id)
		}
	}
	return &arrivals{
		reviews: into, there: slices.Sorted(maps.Keys(in.books)), readings: in.rows,
		end: func(tx *store.Tx) error {
			for _, id := range into {
				if err := in.begin(tx, id); err != nil {
					return err
				}
			}
			return nil
		},
	}
}

// begin adds the new rows to a review.
func (in *taker) begin(tx *store.Tx, id string) error {
	if err := tx.Start(id); err != nil {
		return err
	}
	if err := in.reviewing.Disclose(tx, in.who, id); err != nil {
		return err
	}
	return tx.Log("imported", store.SortReview, id, numerals.Count(in.books[id].added, "reading"))
}
