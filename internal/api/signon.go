package api

import (
	"context"
	"crypto/subtle"
	"errors"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"dappertally/internal/contract"
	"dappertally/internal/people"
	"dappertally/internal/problem"
)

// The addresses that lead to a provider of single sign-on, and back. They are for browsers and not part of the
// contract.
const (
	signOnPath   = "/sign-on/"
	signOnCookie = "dtally_sign_on"
	signOnTime   = 600 // seconds
	saidCookie   = "dtally_said"
)

// backAt is the address to which a provider sends people back.
func (h *handlers) backAt(c *gin.Context) string {
	return h.origin(c) + signOnPath + url.PathEscape(c.Param("provider")) + "/back"
}

// beginSignOn sends a browser to a provider. The state is kept in a cookie as well, so that nobody else's answer is
// accepted.
func (h *handlers) beginSignOn(c *gin.Context) {
	to := c.Query("to")
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.Contains(to, `\`) {
		to = "/work" // only addresses of this service
	}
	link := c.Query("link") == "true"
	address, state, err := h.people.BeginSignOn(
		c.Request.Context(), whoAsks(c), c.Param("provider"), link, h.backAt(c), to)
	if err != nil {
		h.signOnFailed(c, err, link)
		return
	}
	http.SetCookie(c.Writer, &http.Cookie{
		Name: signOnCookie, Value: state, Path: signOnPath, MaxAge: signOnTime, HttpOnly: true, Secure: h.overTLS(c),
		SameSite: http.SameSiteLaxMode, // the browser comes back from another site
	})
	c.Header("Cache-Control", "no-store")
	c.Redirect(http.StatusSeeOther, address)
}

// endSignOn accepts a browser that comes back from a provider.
func (h *handlers) endSignOn(c *gin.Context) {
	state, _ := c.Cookie(signOnCookie) // an absent cookie does not match
	http.SetCookie(c.Writer, &http.Cookie{Name: signOnCookie, Path: signOnPath, MaxAge: -1, Secure: h.overTLS(c)})
	c.Header("Cache-Control", "no-store")
	if state == "" || subtle.ConstantTimeCompare([]byte(state), []byte(c.Query("state"))) != 1 {
		h.signOnFailed(c, problem.New(problem.NotSignedIn, "the sign-in was not started in this browser; start again"), false)
		return
	}
	if fault := c.Query("error"); fault != "" {
		h.signOnFailed(c, problem.New(problem.NotSignedIn, "the provider rejected the sign-in"), false)
		return
	}
	in, to, err := h.people.EndSignOn(
		c.Request.Context(), c.Param("provider"), state, c.Query("code"), h.backAt(c), h.place(c))
	if err != nil {
		h.signOnFailed(c, err, false)
		return
	}
	h.setCookie(c, in.Secret, int(people.SessionLasts.Seconds()))
	c.Redirect(http.StatusSeeOther, to)
}

// signOnFailed leads a browser back to the page where it began, which shows what is wrong.
func (h *handlers) signOnFailed(c *gin.Context, err error, link bool) {
	said := "signing in failed inside the service; its log has details"
	if e := new(problem.Error); errors.As(err, &e) && e.Kind != problem.Internal {
		said = e.Message
	}
	problemOf(c, err) // the details are in the log
	page := "/sign-in"
	if link {
		page = "/account"
	}
	c.Header("Cache-Control", "no-store")
	// The message is in a cookie that the page reads: through the address, anybody could make the page show anything.
	http.SetCookie(c.Writer, &http.Cookie{
		Name: saidCookie, Value: url.PathEscape(sentence(said)), Path: "/", MaxAge: 60, Secure: h.overTLS(c),
		SameSite: http.SameSiteLaxMode,
	})
	c.Redirect(http.StatusSeeOther, page)
}

func (h *handlers) ListIdentities(ctx context.Context, r ListIdentitiesRequest) (*contract.IdentityList, error) {
	all, err := h.people.Identities(ctx, whoAsks(request(ctx)), r.Person)
	if err != nil {
		return nil, err
	}
	list := contract.IdentityList{Identities: []contract.LinkedIdentity{}}
	for _, x := range all {
		list.Identities = append(
			list.Identities,
			contract.LinkedIdentity{Provider: x.Provider, Created: x.Created, Used: x.Used},
		)
	}
	return &list, nil
}

func (h *handlers) UnlinkIdentity(ctx context.Context, r UnlinkIdentityRequest) error {
	return h.people.Unlink(ctx, whoAsks(request(ctx)), r.Person, r.Provider)
}
