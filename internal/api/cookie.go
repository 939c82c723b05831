package api

import (
	"net/http"
	"net/netip"
	"slices"

	"github.com/gin-gonic/gin"

	"dappertally/internal/people"
)

// Under TLS the name of the session's cookie has a prefix; browsers accept such a cookie only from this host and for
// all its paths (RFC 6265bis).
const (
	cookieName   = "dtally_session"
	cookiePrefix = "__Host-"
)

// facing is what a server knows of the network in front of it.
type facing struct {
	secure  bool           // the service is always reached over TLS
	trusted []netip.Prefix // addresses of trusted proxies
}

// overTLS reports whether the caller uses TLS, as far as this server or a trusted proxy knows.
func (f *facing) overTLS(c *gin.Context) bool {
	if f.secure || c.Request.TLS != nil {
		return true
	}
	at, err := netip.ParseAddr(c.RemoteIP())
	if err != nil || c.GetHeader("X-Forwarded-Proto") != "https" {
		return false
	}
	return slices.ContainsFunc(f.trusted, func(p netip.Prefix) bool { return p.Contains(at.Unmap()) })
}

func (f *facing) cookieName(c *gin.Context) string {
	if f.overTLS(c) {
		return cookiePrefix + cookieName
	}
	return cookieName
}

// sessionSecret returns the secret of the request's session; empty if it has none.
func (f *facing) sessionSecret(c *gin.Context) string {
	secret, _ := c.Cookie(f.cookieName(c))
	return secret
}

func (f *facing) setCookie(c *gin.Context, secret string, seconds int) {
	http.SetCookie(c.Writer, &http.Cookie{
		Name: f.cookieName(c), Value: secret, Path: "/", MaxAge: seconds, HttpOnly: true, Secure: f.overTLS(c),
		SameSite: http.SameSiteStrictMode,
	})
}

// place returns where a request comes from: behind a trusted proxy, the address that it states.
func (h *handlers) place(c *gin.Context) people.Place {
	return people.NewPlace(c.ClientIP(), c.Request.UserAgent(), h.origin(c))
}
