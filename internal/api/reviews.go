package api

import (
	"context"
	"slices"
	"time"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/contract"
	"dappertally/internal/ledger"
	"dappertally/internal/reviewing"
)

func (h *handlers) ListReviews(ctx context.Context, r ListReviewsRequest) (*contract.ReviewList, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	who := whoAsks(request(ctx))
	p, edition := &r.Params, st.Catalogue.Resolve(r.Params.Edition)
	all := reviewing.Listed(st, who, func(x *reviewing.Review) bool {
		return (len(p.State) == 0 || slices.Contains(p.State, contract.ReviewState(x.State))) &&
			(p.Edition == "" || x.Edition == edition) && (p.Assigned == "" || x.Assigned == p.Assigned)
	})
	shown, next, err := page(all, func(x *reviewing.Review) string { return x.ID }, p.Limit, p.Cursor)
	if err != nil {
		return nil, err
	}
	some, err := h.reviewing.Counted(ctx, who, shown)
	if err != nil {
		return nil, err
	}
	list := contract.ReviewList{Reviews: []contract.Review{}, Next: next}
	for i := range some {
		list.Reviews = append(list.Reviews, h.review(st, &some[i], who))
	}
	return &list, nil
}

// review returns a review as the actor can see it: plans and open work are only for the team.
func (h *handlers) review(st *ledger.Records, r *reviewing.Review, who *access.Actor) contract.Review {
	out := contract.Review{
		Id: r.ID, Edition: r.Edition, Name: editionName(st, r.Edition), Checklist: r.Checklist,
		State:    contract.ReviewState(r.State),
		Accepted: r.Accepted, Continues: r.Continues, CarriedFrom: r.Carried, Created: r.Created, Alone: r.Alone,
	}
	out.PreRelease, out.Final = reviewing.PreRelease(st, r.Edition)
	out.May = reviewing.MayReview(who, r)
	if !who.May(access.SeeWork) {
		out.State = contract.ReviewState(reading.Accepted)
		return out
	}
	out.Assigned, out.Due, out.Reason, out.Waiting = r.Assigned, r.Due, r.Reason, r.Waiting
	open := r.State == reading.Planned || r.State == reading.Underway
	out.Overdue = open && r.Due != "" && r.Due < h.ledger.Now().Format(time.DateOnly)
	return out
}

func (h *handlers) AddReview(ctx context.Context, r AddReviewRequest) (*contract.Review, error) {
	b := r.Body
	id, n, err := h.reviewing.AddReview(
		ctx,
		whoAsks(request(ctx)),
		reviewing.NewReview{
			Edition:   b.Edition,
			Checklist: b.Checklist,
			Continues: b.Continues,
			Assigned:  b.Assigned,
			Due:       b.Due,
		},
	)
	if err != nil {
		return nil, err
	}
	out, err := h.writtenReview(ctx, n, id)
	if err != nil {
		return nil, err
	}
	added, err := h.reviewing.Review(ctx, whoAsks(request(ctx)), id)
	if err != nil {
		return nil, err
	}
	out.Warning, err = h.reviewing.OpenBeside(ctx, &added)
	return &out, err
}

// writtenReview returns a review after a change.
func (h *handlers) writtenReview(ctx context.Context, change int64, id string) (contract.Review, error) {
	st, err := h.written(ctx, change)
	if err != nil {
		return contract.Review{}, err
	}
	return h.showReview(ctx, st, id)
}

func (h *handlers) showReview(ctx context.Context, st *ledger.Records, id string) (contract.Review, error) {
	who := whoAsks(request(ctx))
	r, err := h.reviewing.Review(ctx, who, id)
	if err != nil {
		return contract.Review{}, err
	}
	request(ctx).Set(keyRevision, r.Revision)
	return h.review(st, &r, who), nil
}

func (h *handlers) ShowReview(ctx context.Context, r ShowReviewRequest) (*contract.Review, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	out, err := h.showReview(ctx, st, r.Id)
	return &out, err
}

func (h *handlers) MoveReview(ctx context.Context, r MoveReviewRequest) (*contract.Review, error) {
	n, err := h.reviewing.MoveReview(
		ctx, whoAsks(request(ctx)), r.Id, version(r.Params.IfMatch), string(r.Body.State), r.Body.Reason,
	)
	if err != nil {
		return nil, err
	}
	out, err := h.writtenReview(ctx, n, r.Id)
	return &out, err
}

func (h *handlers) ListReadings(ctx context.Context, r ListReadingsRequest) (*contract.ReadingList, error) {
	rs, hidden, err := h.reviewing.Readings(ctx, whoAsks(request(ctx)), r.Id)
	if err != nil {
		return nil, err
	}
	list := contract.ReadingList{Readings: append([]contract.Reading{}, rs...), Changed: changedGrades(rs)}
	for _, x := range hidden {
		list.Hidden = append(list.Hidden, contract.HiddenGrade{Criterion: x.Criterion, Reviewer: x.Reviewer})
	}
	return &list, nil
}

// changedGrades lists the grades of a review that were changed after the others' could be seen, in the order of its
// readings.
func changedGrades(rs []reading.Reading) []contract.ChangedGrade {
	found := reading.ChangedGrades(rs)
	var all []contract.ChangedGrade
	for i := range rs {
		if c, ok := found[rs[i].ID]; ok {
			all = append(all, c)
		}
	}
	return all
}

func (h *handlers) Record(ctx context.Context, r RecordRequest) (*contract.Recorded, error) {
	out, err := h.reviewing.Record(ctx, whoAsks(request(ctx)), r.Id, newReading(r.Reading, r.Body))
	if err != nil {
		return nil, err
	}
	if out.Change > 0 {
		h.changed(ctx, out.Change)
	}
	return new(recorded(&out)), nil
}

func newReading(id string, b *contract.NewReading) reviewing.Sent {
	x := reading.Reading{
		ID: id, Criterion: b.Criterion, Rig: b.Rig, At: b.At, Context: b.Context, Answer: b.Answer,
		Bound: string(
			b.Bound,
		), System: b.System, Disturbance: b.Disturbance, Replaces: b.Replaces, Repeat: b.Repeat, Note: b.Note,
		Boots: b.Boots,
	}
	if b.Adjustment != (reading.Adjustment{}) {
		x.Adjustment = &b.Adjustment
	}
	return reviewing.Sent{Reading: x, Confirmed: b.Confirm, Ago: time.Duration(b.Ago) * time.Second}
}

func recorded(r *reviewing.Recorded) contract.Recorded {
	return contract.Recorded{
		Reading: r.Reading,
		Fresh:   r.Fresh,
		Waits:   r.Waits,
		Value:   r.Value,
		Points:  r.Points,
		Scatter: r.Scatter,
	}
}

func (h *handlers) RecordBatch(ctx context.Context, r RecordBatchRequest) (*contract.BatchDone, error) {
	b := reviewing.Batch{Trial: r.Body.Trial}
	for _, x := range r.Body.States {
		b.States = append(b.States, reviewing.StateIn{System: x.System, Version: ledger.Version(x.Revision)})
	}
	for i := range r.Body.Readings {
		x := &r.Body.Readings[i]
		b.Readings = append(b.Readings, newReading(x.Id, &x.Reading))
	}
	done, n, err := h.reviewing.RecordBatch(ctx, whoAsks(request(ctx)), r.Id, b)
	if err != nil {
		return nil, err
	}
	if n > 0 {
		h.changed(ctx, n)
	}
	out := contract.BatchDone{States: len(b.States), Recorded: []contract.Recorded{}}
	for i := range done {
		out.Recorded = append(out.Recorded, recorded(&done[i]))
	}
	return &out, nil
}

func (h *handlers) Undo(ctx context.Context, r UndoRequest) (*contract.Undone, error) {
	done, n, err := h.reviewing.Undo(ctx, whoAsks(request(ctx)), r.Id, r.Body.Id)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	return &contract.Undone{Part: done.Part, Id: done.ID, Says: done.Says(), Restored: done.Restored}, nil
}

func (h *handlers) ListTakenBack(ctx context.Context, r ListTakenBackRequest) (*contract.TakenBackList, error) {
	all, err := h.reviewing.TakenBack(ctx, whoAsks(request(ctx)), r.Id)
	if err != nil {
		return nil, err
	}
	out := contract.TakenBackList{Readings: make([]struct {
		At      time.Time       `json:"at"`
		Reading reading.Reading `json:"reading"`
	}, len(all))}
	for i := range all {
		out.Readings[i].At, out.Readings[i].Reading = all[i].At, all[i].Reading
	}
	return &out, nil
}

func (h *handlers) ListDrafts(ctx context.Context, r ListDraftsRequest) (*contract.DraftList, error) {
	ds, err := h.reviewing.Drafts(ctx, whoAsks(request(ctx)), r.Id)
	if err != nil {
		return nil, err
	}
	list := contract.DraftList{Drafts: []contract.Draft{}}
	for _, d := range ds {
		list.Drafts = append(
			list.Drafts, contract.Draft{Criterion: d.Criterion, Rig: d.Rig, Context: d.Context, Text: d.Text},
		)
	}
	return &list, nil
}

func (h *handlers) SaveDraft(ctx context.Context, r SaveDraftRequest) error {
	d := reviewing.Draft{Criterion: r.Body.Criterion, Rig: r.Body.Rig, Context: r.Body.Context, Text: r.Body.Text}
	if err := h.reviewing.SaveDraft(ctx, whoAsks(request(ctx)), r.Id, d); err != nil {
		return err
	}
	return nil
}
