package store

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"time"

	"github.com/gowebpki/jcs"
)

// Origin is where a request comes from, and through which kind of client.
type Origin struct {
	Way     string // console, client, api, command or service
	Address string // of the network
	Request string // its id in the log
}

type originKey struct{}

// WithOrigin adds the origin to the audit entries of the context.
func WithOrigin(ctx context.Context, o Origin) context.Context {
	return context.WithValue(ctx, originKey{}, o)
}

func originOf(ctx context.Context) Origin {
	o, ok := ctx.Value(originKey{}).(Origin)
	if !ok {
		o.Way = "service"
	}
	return o
}

// FieldChange is one field before and after a change.
type FieldChange struct {
	Field  string `json:"field"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// AuditPrivate is the part of an entry that can be erased without breaking the chain.
type AuditPrivate struct {
	Address string        `json:"address,omitempty"`
	Request string        `json:"request,omitempty"`
	Detail  string        `json:"detail,omitempty"`
	Fields  []FieldChange `json:"fields,omitempty"`
}

// AuditEntry is one recorded action.
type AuditEntry struct {
	Number  int64
	At      time.Time
	Person  string // id; empty: unknown
	Way     string
	Action  string
	Sort    string
	Subject string // of a person: the id
	AuditPrivate
	Erased bool
	Hash   []byte

	private   []byte
	salt      []byte
	committed []byte
}

// sealed is the input of an entry's hash, as canonical JSON (RFC 8785). Hashes are in hexadecimal, the time is RFC
// 3339 in UTC with six decimals.
type sealed struct {
	Number   int64  `json:"number"`
	At       string `json:"at"`
	Person   string `json:"person"`
	Way      string `json:"way"`
	Action   string `json:"action"`
	Sort     string `json:"sort"`
	Subject  string `json:"subject"`
	Private  string `json:"private"`  // SHA-256 of the salt and the private part
	Previous string `json:"previous"` // the hash of the previous entry
}

// seal returns the hash of an entry that follows another.
func (e *AuditEntry) seal(previous []byte) ([]byte, error) {
	text, err := json.Marshal(sealed{
		e.Number, e.At.UTC().Format("2006-01-02T15:04:05.000000Z"), e.Person, e.Way, e.Action, e.Sort, e.Subject,
		hex.EncodeToString(e.committed), hex.EncodeToString(previous),
	})
	if err != nil {
		return nil, err
	}
	if text, err = jcs.Transform(text); err != nil {
		return nil, err
	}
	sum := sha256.Sum256(text)
	return sum[:], nil
}

func commitment(salt, private []byte) []byte {
	sum := sha256.Sum256(append(bytes.Clone(salt), private...))
	return sum[:]
}

// mostDetail is the longest stored detail, in letters.
const mostDetail = 2000

// audit appends an entry. It locks the head until the transaction ends, so that entries are consecutive.
func (t *Tx) audit(e *AuditEntry) error {
	o := originOf(t.ctx)
	e.At, e.Person, e.Way, e.Address, e.Request = t.now, t.person, o.Way, o.Address, o.Request
	if letters := []rune(e.Detail); len(letters) > mostDetail {
		e.Detail = string(letters[:mostDetail]) + "…"
	}
	var previous []byte
	if err := t.row(`SELECT number + 1, hash FROM audit_head FOR UPDATE`).Scan(&e.Number, &previous); err != nil {
		return translate(err)
	}
	var err error
	if e.private, err = json.Marshal(e.AuditPrivate); err != nil {
		return err
	}
	e.salt = make([]byte, 16)
	_, _ = rand.Read(e.salt) // never fails: it ends the program instead
	e.committed = commitment(e.salt, e.private)
	if e.Hash, err = e.seal(previous); err != nil {
		return err
	}
	if err := t.exec(
		`INSERT INTO audit (number, at, person, way, action, sort, subject, private, salt, committed, hash)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		e.Number, e.At, null(e.Person), e.Way, e.Action, e.Sort, e.Subject, e.private, e.salt, e.committed, e.Hash,
	); err != nil {
		return err
	}
	return t.exec(`UPDATE audit_head SET number = ?, hash = ?`, e.Number, e.Hash)
}

// Note appends an entry about an action that changes no record, such as a sign-in.
func (s *Store) Note(ctx context.Context, person string, at time.Time, action, sort, subject, detail string) error {
	_, err := s.Write(ctx, person, at, func(t *Tx) error {
		return t.audit(&AuditEntry{
			Action: action, Sort: sort, Subject: subject, AuditPrivate: AuditPrivate{Detail: detail},
		})
	})
	return err
}

// EraseFromAudit erases the details of everything that a person did and of everything done to their account.
func (t *Tx) EraseFromAudit(person string) error {
	return t.exec(`UPDATE audit SET private = NULL, salt = NULL WHERE person = ? OR (sort = ? AND subject = ?)`,
		person, SortPerson, person)
}
