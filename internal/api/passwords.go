package api

import (
	"context"
	"net/url"

	"github.com/gin-gonic/gin"

	"dappertally/internal/contract"
	"dappertally/internal/people"
)

func (h *handlers) ChangePassword(ctx context.Context, r ChangePasswordRequest) error {
	c := request(ctx)
	return h.people.ChangePassword(ctx, whoAsks(c), r.Body.Before, r.Body.Password, h.place(c))
}

func (h *handlers) ProvePassword(ctx context.Context, r ProvePasswordRequest) error {
	c := request(ctx)
	return h.people.Prove(ctx, whoAsks(c), r.Body.Password, h.place(c))
}

func (h *handlers) JudgePassword(_ context.Context, r JudgePasswordRequest) (*contract.PasswordStrength, error) {
	x := people.Judge(r.Body.Password, r.Body.Names...)
	return &contract.PasswordStrength{Score: x.Score, Digits: x.Digits, Fault: x.Fault}, nil
}

// welcomePath is the page where somebody chooses a password. The secret is after #, which no log and no other server
// sees.
const welcomePath = "/welcome"

func (h *handlers) MakeLink(ctx context.Context, r MakeLinkRequest) (*contract.LinkMade, error) {
	c := request(ctx)
	secret, until, n, err := h.people.MakeLink(ctx, whoAsks(c), r.Person)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	made := contract.LinkMade{Address: h.welcome(c, secret), Expires: until}
	if r.Body.Mail != "" {
		if err := h.notices.MailLink(ctx, r.Body.Mail, r.Person, made.Address, until); err != nil {
			h.ledger.Log.WarnContext(ctx, "a link was not mailed", "person", r.Person, "error", err)
			made.Said = err.Error() // the link is valid anyway
		} else {
			made.Mailed = true
		}
	}
	return &made, nil
}

// welcome returns the address at which somebody chooses a password.
func (h *handlers) welcome(c *gin.Context, secret string) string {
	return h.origin(c) + welcomePath + "#" + url.QueryEscape(secret)
}

func (h *handlers) OpenLink(ctx context.Context, r OpenLinkRequest) (*contract.LinkOpened, error) {
	p, err := h.people.OpenLink(ctx, r.Body.Secret)
	if err != nil {
		return nil, err
	}
	return &contract.LinkOpened{Name: p.Name, Title: p.Title, First: p.Password == ""}, nil
}

func (h *handlers) UseLink(ctx context.Context, r UseLinkRequest) (*contract.Session, error) {
	c := request(ctx)
	in, err := h.people.UseLink(ctx, r.Body.Secret, r.Body.Password, h.place(c))
	if err != nil {
		return nil, err
	}
	return h.entered(c, &in), nil
}
