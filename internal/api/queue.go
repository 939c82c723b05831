package api

import (
	"context"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/contract"
	"dappertally/internal/ledger"
	"dappertally/internal/people"
	"dappertally/internal/team"
)

func (h *handlers) ShowQueue(ctx context.Context, _ ShowQueueRequest) (*contract.Queue, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	who := whoAsks(request(ctx))
	items, revision, err := h.team.Queue(ctx, who, after)
	if err != nil {
		return nil, err
	}
	request(ctx).Set(keyRevision, revision)
	list := contract.Queue{Items: []contract.QueueItem{}}
	for i := range items {
		list.Items = append(list.Items, h.queueItem(st, &items[i], who))
	}
	return &list, nil
}

func (h *handlers) queueItem(st *ledger.Records, x *team.QueueItem, who *access.Actor) contract.QueueItem {
	out := contract.QueueItem{
		Subject:  x.Subject,
		Edition:  x.Edition,
		Place:    x.Place,
		LeftOut:  x.LeftOut,
		Progress: x.Progress,
		Overdue:  x.Overdue,
	}
	if x.Edition {
		out.Name = editionName(st, x.Subject)
	}
	out.Why = make([]struct {
		Says string                    `json:"says"`
		Sort contract.QueueItemWhySort `json:"sort"`
	}, len(x.Why))
	for i, w := range x.Why {
		out.Why[i].Sort, out.Why[i].Says = contract.QueueItemWhySort(w.Sort), w.Says
	}
	if x.Review != nil {
		out.Review = h.review(st, x.Review, who)
	}
	if r := x.Request; r != nil {
		out.Request = contract.ReviewRequest{Id: r.ID, Revision: r.Revision, Created: r.Created}
		out.Request.RequestedBy = make([]struct {
			At     time.Time `json:"at"`
			Person string    `json:"person,omitempty,omitzero"`
			Reason string    `json:"reason,omitempty,omitzero"`
		}, len(r.RequestedBy))
		for i, v := range r.RequestedBy {
			y := &out.Request.RequestedBy[i]
			y.At, y.Person, y.Reason = v.At, v.Person, v.Reason
		}
	}
	return out
}

func (h *handlers) OrderQueue(ctx context.Context, r OrderQueueRequest) error {
	n, err := h.team.Order(ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), r.Body.Subjects)
	return h.done(ctx, n, err)
}

func (h *handlers) LeaveOut(ctx context.Context, r LeaveOutRequest) error {
	n, err := h.team.LeaveOut(ctx, whoAsks(request(ctx)), r.Body.Subject, r.Body.Why)
	return h.done(ctx, n, err)
}

func (h *handlers) AskForReview(ctx context.Context, r AskForReviewRequest) (*contract.Created, error) {
	id, n, err := h.team.Ask(ctx, whoAsks(request(ctx)), r.Body.Subject, r.Body.Reason)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	return &contract.Created{Id: id}, nil
}

func (h *handlers) DecideRequest(ctx context.Context, r DecideRequestRequest) error {
	n, err := h.team.DecideRequest(
		ctx, whoAsks(request(ctx)), r.Id, version(r.Params.IfMatch), string(r.Body.State), r.Body.Decision,
	)
	return h.done(ctx, n, err)
}

func (h *handlers) AssignReview(ctx context.Context, r AssignReviewRequest) (*contract.Review, error) {
	n, err := h.reviewing.Assign(
		ctx, whoAsks(request(ctx)), r.Id, version(r.Params.IfMatch), r.Body.Assigned, r.Body.Due,
	)
	if err != nil {
		return nil, err
	}
	out, err := h.writtenReview(ctx, n, r.Id)
	return &out, err
}

func (h *handlers) Suggest(ctx context.Context, r SuggestRequest) error {
	b := r.Body
	n, err := h.team.Suggest(
		ctx,
		whoAsks(request(ctx)),
		people.Network(request(ctx).ClientIP()),
		team.Suggestion{Sort: string(b.Sort), Subject: b.Subject, Text: b.Text, Contact: b.Contact},
	)
	return h.done(ctx, n, err)
}

func (h *handlers) ListSuggestions(ctx context.Context, _ ListSuggestionsRequest) (*contract.SuggestionList, error) {
	all, err := h.team.Suggestions(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	list := contract.SuggestionList{Suggestions: []contract.Suggestion{}}
	for _, x := range all {
		list.Suggestions = append(list.Suggestions, contract.Suggestion{
			Id: x.ID, Revision: x.Revision, Sort: contract.SuggestionSort(x.Sort), Subject: x.Subject,
			Text: x.Text, Contact: x.Contact,
			State: contract.SuggestionState(
				x.State,
			), Decision: x.Decision, DecidedBy: x.DecidedBy, Became: x.Became, Created: x.Created,
		})
	}
	return &list, nil
}

func (h *handlers) DecideSuggestion(ctx context.Context, r DecideSuggestionRequest) error {
	n, err := h.team.DecideSuggestion(
		ctx, whoAsks(request(ctx)), r.Id, version(r.Params.IfMatch), string(r.Body.State), r.Body.Decision,
	)
	return h.done(ctx, n, err)
}
