package api

import (
	"context"
	"encoding/json"
	"html/template"
	"net/http"

	"github.com/gin-gonic/gin"

	"dappertally/internal/contract"
	"dappertally/internal/notices"
)

func (h *handlers) ListNotices(ctx context.Context, _ ListNoticesRequest) (*contract.NoticeList, error) {
	all, err := h.notices.Notices(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	list := contract.NoticeList{Notices: []contract.Notice{}}
	for _, n := range all {
		title := n.Title
		if n.Edition != "" {
			title = called(editionName(st, n.Edition))
		}
		list.Notices = append(list.Notices, contract.Notice{
			Key: n.Key, Kind: contract.NoticeKind(n.Kind), Title: title, Text: n.Text, By: n.By, Address: n.Address, At: n.At,
			Due: n.Due, Lasting: n.Lasting,
		})
	}
	return &list, nil
}

func (h *handlers) PutNoticeAway(ctx context.Context, r PutNoticeAwayRequest) error {
	return h.notices.PutAway(ctx, whoAsks(request(ctx)), r.Body.Key)
}

func (h *handlers) ShowMailing(ctx context.Context, _ ShowMailingRequest) (*contract.MailingView, error) {
	m, err := h.notices.Mailing(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	return &contract.MailingView{
		Mail: m.Mail, Mode: contract.MailingViewMode(m.Mode),
		Available: h.notices.Sending != nil && h.notices.Sending.Mail != nil,
	}, nil
}

func (h *handlers) SetMailing(ctx context.Context, r SetMailingRequest) (*contract.MailingView, error) {
	if err := h.notices.SetMailing(ctx, whoAsks(request(ctx)), r.Body.Mail, string(r.Body.Mode)); err != nil {
		return nil, err
	}
	return h.ShowMailing(ctx, ShowMailingRequest{})
}

func (h *handlers) ListHooks(ctx context.Context, _ ListHooksRequest) (*contract.HookList, error) {
	all, err := h.notices.Hooks(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	list := contract.HookList{Hooks: []contract.Hook{}}
	for i := range all {
		list.Hooks = append(list.Hooks, hookView(&all[i]))
	}
	return &list, nil
}

// hookView is a hook without its secret.
func hookView(x *notices.Hook) contract.Hook {
	v := contract.Hook{Id: x.ID, Url: x.URL, Sorts: []contract.ChangeSort{}, Active: x.Active, Created: x.Created}
	for _, sort := range x.Sorts {
		v.Sorts = append(v.Sorts, contract.ChangeSort(sort))
	}
	return v
}

func sortNames(sorts []contract.ChangeSort) []string {
	names := make([]string, len(sorts))
	for i, sort := range sorts {
		names[i] = string(sort)
	}
	return names
}

func (h *handlers) AddHook(ctx context.Context, r AddHookRequest) (*contract.Hook, error) {
	x, err := h.notices.AddHook(ctx, whoAsks(request(ctx)), r.Body.Url, sortNames(r.Body.Sorts))
	if err != nil {
		return nil, err
	}
	v := hookView(&x)
	v.Secret = x.Secret
	return &v, nil
}

func (h *handlers) SetHook(ctx context.Context, r SetHookRequest) error {
	return h.notices.SetHook(ctx, whoAsks(request(ctx)), r.Id, sortNames(r.Body.Sorts), r.Body.Active)
}

func (h *handlers) DropHook(ctx context.Context, r DropHookRequest) error {
	return h.notices.DropHook(ctx, whoAsks(request(ctx)), r.Id)
}

func (h *handlers) ListDeliveries(ctx context.Context, r ListDeliveriesRequest) (*contract.DeliveryList, error) {
	all, err := h.notices.Deliveries(ctx, whoAsks(request(ctx)), r.Id)
	if err != nil {
		return nil, err
	}
	list := contract.DeliveryList{Deliveries: []contract.Delivery{}}
	for i := range all {
		list.Deliveries = append(list.Deliveries, deliveryView(&all[i]))
	}
	return &list, nil
}

func deliveryView(d *notices.Delivery) contract.Delivery {
	var event struct{ Type string }
	_ = json.Unmarshal([]byte(d.Event), &event) // the database holds only JSON there
	v := contract.Delivery{
		Id: d.ID, Change: d.Number, Type: event.Type, Created: d.Created, State: contract.GivenUp, Tries: d.Tries,
		Status: d.Status,
		Said:   d.Said,
	}
	switch {
	case !d.Due.IsZero():
		v.State, v.Next = contract.Waiting, d.Due
	case !d.Finished.IsZero():
		v.State = contract.Arrived
	}
	return v
}

func (h *handlers) SendAgain(ctx context.Context, r SendAgainRequest) error {
	return h.notices.SendAgain(ctx, whoAsks(request(ctx)), r.Id)
}

const unsubscribePath = "/unsubscribe"

var unsubscribePage = template.Must(template.New("").Parse(`<!doctype html><html lang="en"><head><meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1"><meta name="robots" content="noindex"><title>Notices by mail</title>
<style>:root{color-scheme:light dark}body{margin:12vh auto;max-width:32rem;padding:0 1rem;font:16px/1.5 system-ui,sans-serif}button{font:inherit;padding:.4em 1em}</style></head>
<body><h1>Notices by mail</h1>{{if .Done}}<p>No more mails are sent. What waits for you is on the page <a href="/notices">Notices</a>.</p>{{else}}<p>End the mails of {{.Team}}?</p>
<form method="post"><button>End the mails</button></form>{{end}}</body></html>`))

// unsubscribe asks whether mails should end, and ends them: by the page's button, or at once for a mail program (RFC
// 8058). A program that only follows links ends nothing.
func (h *handlers) unsubscribe(c *gin.Context) {
	done := c.Request.Method == http.MethodPost
	if done {
		if err := h.notices.Unsubscribe(c.Request.Context(), c.Query("who")); err != nil {
			refuse(c, err)
			return
		}
	}
	c.Status(http.StatusOK)
	c.Header("Content-Type", "text/html; charset=utf-8")
	_ = unsubscribePage.Execute(c.Writer, struct { // a reader who leaves does no harm
		Done bool
		Team string
	}{done, h.ledger.Team()})
}
