package api

import (
	"bytes"
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/hkdf"
	"crypto/rand"
	"crypto/sha256"
	"encoding/json"
	"io"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dappertally/internal/contract"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
)

// Bounds of a key. The shortest is long enough to be unique.
const (
	shortestKey = 16
	longestKey  = 200
)

// unkept are the addresses whose answers sign somebody in or contain a temporary secret: they are not stored.
var unkept = []string{base + "/session", base + "/links/", base + "/set-up", base + "/password-strength"}

// largestKept is the largest answer that is stored.
const largestKept = 4 << 20

// keptAnswer is an answer stored for a repeated request.
type keptAnswer struct {
	Status   int    `json:"status"`
	Type     string `json:"type"`
	Change   string `json:"change"`
	Revision int    `json:"revision"`
	Body     []byte `json:"body"`
}

// once makes a write happen only once. A request with a key that was answered before gets the same answer again. A
// completed write is a success, whatever fails afterwards.
func (h *handlers) once(c *gin.Context) {
	if m := c.Request.Method; m == http.MethodGet || m == http.MethodHead {
		c.Next()
		return
	}
	key, err := askedKey(c)
	if err != nil {
		refuse(c, err)
		return
	}
	asked, err := askedFor(c, key)
	if err != nil {
		refuse(c, err)
		return
	}
	if key != "" {
		made, err := h.ledger.Made(c, asked.ID)
		if err != nil {
			refuse(c, err)
			return
		}
		if made != nil {
			h.again(c, asked, key, made)
			return
		}
	}
	c.Request = c.Request.WithContext(ledger.WithAsked(c.Request.Context(), asked))
	outer := c.Writer
	held := &heldWriter{ResponseWriter: outer, status: http.StatusOK}
	c.Writer = held
	c.Next()
	c.Writer = outer
	made := ledger.Written(c.Request.Context())
	if made == nil && key != "" && held.status >= http.StatusBadRequest {
		// Another request with the same key may have been faster.
		if other, err := h.ledger.Made(c, asked.ID); err == nil && other != nil {
			h.again(c, asked, key, other)
			return
		}
	}
	if made != nil && held.status >= http.StatusInternalServerError {
		c.Writer.Header().Del("Retry-After")
		c.Writer.Header().Del("Content-Type")
		h.readBack(c, made).send(c)
		return
	}
	answer := &keptAnswer{
		held.status, held.Header().Get("Content-Type"), held.Header().Get("Dtally-Change"), c.GetInt(keyRevision),
		held.bytes(),
	}
	if made != nil && key != "" {
		h.keep(c, asked, key, answer)
	}
	answer.send(c)
}

// askedKey returns the key of a request; empty if it has none, or if no answer is stored.
func askedKey(c *gin.Context) (string, error) {
	key := strings.Trim(c.GetHeader(contract.KeyHeader), `"`)
	if key == "" {
		return "", nil
	}
	for _, at := range unkept {
		if strings.HasPrefix(c.Request.URL.Path, at) {
			return "", nil
		}
	}
	visible := strings.IndexFunc(key, func(r rune) bool { return r <= ' ' || r > '~' }) < 0
	if len(key) < shortestKey || len(key) > longestKey || !visible {
		return "", problem.New(
			problem.Invalid, "the header %s must have %d to %d visible characters, such as a UUID", contract.KeyHeader, shortestKey, longestKey,
		)
	}
	return key, nil
}

// askedFor identifies a request for storage: its id is made of the key and the caller, so that nobody learns what
// somebody else wrote.
func askedFor(c *gin.Context, key string) (*ledger.Asked, error) {
	asked := &ledger.Asked{}
	if key == "" {
		_, _ = rand.Read(asked.ID[:]) // it never fails
		return asked, nil
	}
	asked.ID = sha256.Sum256([]byte(whoAsks(c).ID + "\n" + key))
	body, err := io.ReadAll(c.Request.Body)
	if err != nil {
		return nil, err
	}
	c.Request.Body = io.NopCloser(bytes.NewReader(body))
	hash := sha256.New()
	for _, part := range []string{c.Request.Method, c.Request.URL.RequestURI(), c.GetHeader("If-Match")} {
		_, _ = io.WriteString(hash, part+"\n") // a hash accepts everything
	}
	_, _ = hash.Write(body)
	hash.Sum(asked.Request[:0])
	return asked, nil
}

// again repeats an earlier answer. If the first request is still running, it waits a moment.
func (h *handlers) again(c *gin.Context, asked *ledger.Asked, key string, made *ledger.Made) {
	if made.Request != asked.Request {
		refuse(c, problem.New(
			problem.Conflict, "the %s was used for another request; use a new one for each request", contract.KeyHeader,
		))
		return
	}
	const wait, look = 2 * time.Second, 20 * time.Millisecond
	for end := time.Now().Add(wait); made.Status == 0 && time.Now().Before(end); time.Sleep(look) {
		fresh, err := h.ledger.Made(c, asked.ID)
		if err != nil {
			refuse(c, err)
			return
		}
		if fresh != nil {
			made = fresh
		}
	}
	answer, err := opened(asked, key, made)
	if err != nil || answer == nil {
		answer = h.readBack(c, made)
	}
	answer.send(c)
}

func (a *keptAnswer) send(c *gin.Context) {
	c.Abort()
	if a.Type != "" {
		c.Header("Content-Type", a.Type)
	}
	if a.Change != "" {
		c.Header("Dtally-Change", a.Change)
	}
	c.Set(keyRevision, a.Revision)
	c.Status(a.Status)
	if len(a.Body) > 0 {
		_, _ = c.Writer.Write(a.Body) // the caller may have left
	}
	c.Writer.WriteHeaderNow()
}

// keep stores an answer. If that fails, the write is still known, and is answered by reading its object.
func (h *handlers) keep(c *gin.Context, asked *ledger.Asked, key string, answer *keptAnswer) {
	if len(answer.Body) > largestKept {
		return
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(c.Request.Context()), 2*time.Second)
	defer cancel()
	if err := h.ledger.KeepAnswer(ctx, asked.ID, answer.Status, answer.sealed(asked, key)); err != nil {
		h.ledger.Log.WarnContext(ctx, "an answer was not kept", "error", err)
	}
}

// sealed is a stored answer. It may contain a secret that is shown only once, so it can only be read with the key of
// the request, which the service does not store.
func (a *keptAnswer) sealed(asked *ledger.Asked, key string) []byte {
	text, err := json.Marshal(a)
	if err != nil {
		panic(err) // it can always be encoded
	}
	box := sealing(asked, key)
	return box.Seal(nil, make([]byte, box.NonceSize()), text, nil)
}

// opened returns a stored answer; nil if there is none.
func opened(asked *ledger.Asked, key string, made *ledger.Made) (*keptAnswer, error) {
	if made.Status == 0 {
		return nil, nil
	}
	box := sealing(asked, key)
	text, err := box.Open(nil, make([]byte, box.NonceSize()), made.Answer, nil)
	if err != nil {
		return nil, err
	}
	a := &keptAnswer{}
	return a, json.Unmarshal(text, a)
}

// sealing returns AES-256-GCM with a key made of the request's key (HKDF, RFC 5869) and of the write's id. Each key
// encrypts only one text, so a fixed nonce is safe.
func sealing(asked *ledger.Asked, key string) cipher.AEAD {
	const size = 32
	secret, err := hkdf.Key(sha256.New, []byte(key), asked.ID[:], "an answer that is kept", size)
	if err != nil {
		panic(err) // only for invalid lengths
	}
	block, err := aes.NewCipher(secret)
	if err != nil {
		panic(err) // the same
	}
	box, err := cipher.NewGCM(block)
	if err != nil {
		panic(err) // the same
	}
	return box
}
