package api

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/contract"
	"dappertally/internal/people"
	"dappertally/internal/problem"
)

// The addresses at which a machine asks to be signed in, and for its token (RFC 8628). Forms and answers are the
// standard's own and not part of the contract.
const (
	devicePath  = "/oauth/device"
	tokenPath   = "/oauth/token"
	machinePath = "/machine" // where people type the code
	deviceGrant = "urn:ietf:params:oauth:grant-type:device_code"
)

// awaitDevice starts a request of a device. The scope "review:ID" names the review that the machine asks for; machine
// is its name.
func (h *handlers) awaitDevice(c *gin.Context) {
	requested := ""
	for scope := range strings.FieldsSeq(c.PostForm("scope")) {
		id, of := strings.CutPrefix(scope, "review:")
		if !of || !reading.ValidID(id) {
			oauthFault(c, http.StatusBadRequest, "invalid_scope", "the scope must be review:ID, or left out")
			return
		}
		requested = id
	}
	w, err := h.people.AwaitDevice(c.Request.Context(), c.PostForm("machine"), requested, h.place(c))
	if err != nil {
		refuse(c, err)
		return
	}
	at := h.origin(c) + machinePath
	c.Header("Cache-Control", "no-store")
	c.JSON(http.StatusOK, gin.H{
		"device_code":               w.Device,
		"user_code":                 w.Code,
		"verification_uri":          at,
		"verification_uri_complete": at + "#" + w.Code,
		"expires_in":                int(w.Lasts.Seconds()),
		"interval":                  int(people.DeviceInterval.Seconds()),
	})
}

// deviceToken answers a machine that checks whether it was approved.
func (h *handlers) deviceToken(c *gin.Context) {
	if c.PostForm("grant_type") != deviceGrant {
		oauthFault(c, http.StatusBadRequest, "unsupported_grant_type", "the grant type is "+deviceGrant)
		return
	}
	secret, t, err := h.people.DeviceToken(c.Request.Context(), c.PostForm("device_code"))
	for fault, name := range map[error]string{
		people.ErrPending: "authorization_pending", people.ErrSlowDown: "slow_down", people.ErrRefused: "access_denied",
		people.ErrExpired: "expired_token",
	} {
		if errors.Is(err, fault) {
			oauthFault(c, http.StatusBadRequest, name, fault.Error())
			return
		}
	}
	if err != nil {
		refuse(c, err)
		return
	}
	c.Header("Cache-Control", "no-store")
	c.JSON(http.StatusOK, gin.H{
		"access_token": secret,
		"token_type":   "Bearer",
		"expires_in":   int(t.Expires.Sub(t.Created).Seconds()),
		"scope":        "review:" + t.Review,
		"token_id":     t.ID,
	})
}

// oauthFault is an error in the form of OAuth 2.0 (RFC 6749, 5.2).
func oauthFault(c *gin.Context, status int, name, says string) {
	c.Header("Cache-Control", "no-store")
	c.AbortWithStatusJSON(status, gin.H{"error": name, "error_description": says})
}

func (h *handlers) ShowMachine(ctx context.Context, r ShowMachineRequest) (*contract.WaitingMachine, error) {
	c := request(ctx)
	d, err := h.people.WaitingDevice(ctx, whoAsks(c), r.Body.Code, h.place(c))
	if err != nil {
		return nil, err
	}
	return &contract.WaitingMachine{
		Name:      d.Machine,
		Address:   d.Address,
		Requested: d.Requested,
		Made:      d.Made,
		Expires:   d.Expires,
	}, nil
}

func (h *handlers) DecideMachine(ctx context.Context, r DecideMachineRequest) error {
	c := request(ctx)
	return h.reviewing.LetMachineIn(ctx, whoAsks(c), r.Body.Code, r.Body.Review, h.place(c))
}

// recordingIn lists what a token for one review allows besides reading: only in that review.
var recordingIn = map[string]bool{
	"PUT " + base + "/reviews/:id/readings/:reading":         true,
	"POST " + base + "/reviews/:id/batch":                    true,
	"POST " + base + "/reviews/:id/undo":                     true,
	"PUT " + base + "/reviews/:id/drafts":                    true,
	"PUT " + base + "/reviews/:id/measurements/:measurement": true,
	"PUT " + base + "/reviews/:id/entries/:entry":            true,
	"DELETE " + base + "/reviews/:id/entries/:entry":         true,
	"PUT " + filePath:         true,
	"POST " + base + "/files": true,
}

// boundTo returns whom a token for one review represents in a request: its person if the request is about that
// review, a reader for any other reading. Everything else is refused.
func boundTo(c *gin.Context, who access.Actor) (access.Actor, error) {
	path, method := c.FullPath(), c.Request.Method
	about := strings.HasPrefix(path, base+"/reviews/:id")
	own := about && c.Param("id") == who.Review
	read := method == http.MethodGet || method == http.MethodHead
	switch {
	case own && read, (own || !about) && recordingIn[method+" "+path],
		read && (path == base+"/session" || path == base+"/reviews"),
		method == http.MethodDelete && path == base+"/tokens/:id" && c.Param("id") == who.Token:
		return who, nil
	case read && !about:
		return access.Actor{}, nil
	}
	return who, problem.New(problem.Forbidden, "this token can only record in the review %s", who.Review)
}
