package notices

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"

	gomail "github.com/wneessen/go-mail"

	"dappertally/internal/ledger"
	"dappertally/internal/people"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Sending is how mails and web hooks leave the service.
type Sending struct {
	Address string         // public address of the service, such as https://bench.example.org
	From    string         // of mails
	Mail    *gomail.Client // nil: no mails
	HTTP    *http.Client
}

const (
	lookEvery   = 2 * time.Second // pause between looks for new changes and due deliveries
	mailEvery   = time.Minute     // how often to look for mails without any change: a day may have come
	forgetEvery = time.Hour
	oneTry      = 10 * time.Second // time limit for an answer of a hook, or of the mail server
	claimedFor  = time.Minute      // how long a delivery is reserved for one instance
	keptFor     = 30 * 24 * time.Hour
	mostAtOnce  = 200
	mostSending = 20
	longestSaid = 300
)

// waits are the pauses after failed attempts; then there are no more.
var waits = []time.Duration{time.Minute, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 12 * time.Hour}

// dailyHour is the hour of the day, in UTC, from which on daily mails are sent.
const dailyHour = 6

func (s *Service) address() string {
	if s.Sending == nil {
		return ""
	}
	return s.Sending.Address
}

// Run follows the change log and sends what is due, until ctx ends. Several instances share the work.
func (s *Service) Run(ctx context.Context) {
	ticker := time.NewTicker(lookEvery)
	defer ticker.Stop()
	r := rounds{Service: s}
	var told string
	for {
		err := r.turn(ctx)
		// A repeated error is logged once.
		if err != nil && ctx.Err() == nil && err.Error() != told {
			s.ledger.Log.Warn("notices: " + err.Error())
		}
		if told = ""; err != nil {
			told = err.Error()
		}
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
	}
}

// Turn does once what Run does repeatedly.
func (s *Service) Turn(ctx context.Context) error { return (&rounds{Service: s}).turn(ctx) }

// rounds knows what need not be done in each round. In the first one everything is due.
type rounds struct {
	*Service
	read              int64 // how far the change log was read
	mailed, forgotten time.Time
}

// turn sends mails if something has changed, a while has passed or a mail could not be sent, and deletes old
// deliveries once an hour.
func (r *rounds) turn(ctx context.Context) error {
	read, err := r.readOn(ctx)
	err = errors.Join(err, r.deliver(ctx))
	if read != r.read || time.Since(r.mailed) >= mailEvery {
		failed := r.mailAll(ctx)
		if r.read, r.mailed = read, time.Now(); failed != nil {
			r.mailed = time.Time{}
		}
		err = errors.Join(err, failed)
	}
	if time.Since(r.forgotten) >= forgetEvery {
		r.forgotten = time.Now()
		err = errors.Join(err, r.forget(ctx))
	}
	return err
}

// readOn finds mentions in new changes, and creates deliveries to web hooks. It returns how far it has read.
func (s *Service) readOn(ctx context.Context) (int64, error) {
	for {
		after, changes, err := s.ledger.Store.ReadForNotices(ctx, mostAtOnce)
		if err != nil || len(changes) == 0 {
			return after, err
		}
		mentions, err := s.mentionsIn(ctx, changes)
		if err != nil {
			return after, err
		}
		hooks, err := s.ledger.Store.Hooks(ctx)
		if err != nil {
			return after, err
		}
		sent, err := s.deliveriesOf(changes, hooks)
		if err != nil {
			return after, err
		}
		if err := s.ledger.Store.KeepNotices(ctx, after, changes[len(changes)-1].Number, mentions, sent); err != nil {
			return after, err
		}
	}
}

// deliver sends what is due to web hooks.
func (s *Service) deliver(ctx context.Context) error {
	due, err := s.ledger.Store.ClaimDeliveries(ctx, now(), now().Add(claimedFor), mostSending)
	if err != nil || len(due) == 0 {
		return err
	}
	hooks, err := s.ledger.Store.Hooks(ctx)
	if err != nil {
		return err
	}
	byID := map[string]*Hook{}
	for i := range hooks {
		byID[hooks[i].ID] = &hooks[i]
	}
	for i := range due {
		d := &due[i]
		h := byID[d.Hook]
		if h == nil {
			continue // removed in the meantime, and this with it
		}
		d.Tries++
		d.Status, d.Said = s.post(ctx, h, d)
		switch {
		case d.Said == "":
			d.Due, d.Finished = time.Time{}, now()
		case d.Tries > len(waits) || !h.Active:
			d.Due = time.Time{}
		default:
			d.Due = now().Add(waits[d.Tries-1])
		}
		if err := s.ledger.Store.EndDelivery(ctx, d); err != nil {
			return err
		}
	}
	return nil
}

// Signature returns what a receiver compares: HMAC-SHA-256 (RFC 2104) of the time and the body, in hexadecimal
// digits.
func Signature(secret, moment string, body []byte) string {
	mac := hmac.New(sha256.New, []byte(secret))
	mac.Write([]byte(moment + "."))
	mac.Write(body)
	return "v1=" + hex.EncodeToString(mac.Sum(nil))
}

// post sends a change once. It returns the status of the answer, and what went wrong.
func (s *Service) post(ctx context.Context, h *Hook, d *Delivery) (status int, said string) {
	ctx, cancel := context.WithTimeout(ctx, oneTry)
	defer cancel()
	body := []byte(d.Event)
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, h.URL, bytes.NewReader(body))
	if err != nil {
		return 0, cut(err.Error())
	}
	moment := fmt.Sprint(now().Unix())
	r.Header.Set("Content-Type", "application/cloudevents+json; charset=utf-8")
	r.Header.Set("User-Agent", "dapper-tally")
	r.Header.Set("Webhook-Id", d.ID)
	r.Header.Set("Webhook-Timestamp", moment)
	r.Header.Set("Webhook-Signature", Signature(h.Secret, moment, body))
	client := http.DefaultClient
	if s.Sending != nil && s.Sending.HTTP != nil {
		client = s.Sending.HTTP
	}
	res, err := client.Do(r)
	if err != nil {
		return 0, cut(err.Error())
	}
	defer res.Body.Close()
	answer, _ := io.ReadAll(io.LimitReader(res.Body, longestSaid)) // a missing answer means nothing
	if res.StatusCode/100 != 2 {
		return res.StatusCode, cut(strings.TrimSpace(res.Status + " " + strings.ToValidUTF8(string(answer), "")))
	}
	return res.StatusCode, ""
}

func cut(text string) string {
	letters := []rune(text)
	return string(letters[:min(len(letters), longestSaid)])
}

// mailAll mails what is new to those who want it.
func (s *Service) mailAll(ctx context.Context) error {
	if s.Sending == nil || s.Sending.Mail == nil {
		return nil
	}
	var failed []error
	for _, mode := range []string{"at-once", "daily"} {
		people, err := s.ledger.Store.MailedTo(ctx, mode)
		if err != nil {
			return err
		}
		for i := range people {
			if err := s.mailTo(ctx, &people[i], mode); err != nil {
				failed = append(failed, fmt.Errorf("mailing to %s: %w", people[i].Name, err))
			}
		}
	}
	return errors.Join(failed...)
}

func (s *Service) mailTo(ctx context.Context, p *people.Account, mode string) error {
	m, err := s.ledger.Store.Mailing(ctx, p.ID)
	if err != nil {
		return err
	}
	t := now()
	if mode == "daily" && (t.Hour() < dailyHour || m.Mailed.Format(time.DateOnly) == t.Format(time.DateOnly)) {
		return nil
	}
	who, err := s.people.ActorNamed(ctx, p.Name)
	if err != nil {
		return err
	}
	all, err := s.Notices(ctx, who)
	if err != nil {
		return err
	}
	_, mailed, err := s.ledger.Store.NoticesSeen(ctx, p.ID)
	if err != nil {
		return ledger.Failed(err, "reading notices")
	}
	var fresh []Notice
	var keys []string
	for _, n := range all {
		if !mailed[n.Key] {
			fresh, keys = append(fresh, n), append(keys, n.Key)
		}
	}
	if len(fresh) == 0 {
		return nil
	}
	mine, err := s.ledger.Store.ClaimMail(ctx, p.ID, m.Mailed, t, keys)
	if err != nil || !mine {
		return err
	}
	if err := s.send(ctx, p, &m, fresh, len(all)); err != nil {
		// It is tried again at the next turn: a mail that arrives twice is better than none.
		return errors.Join(err, s.ledger.Store.UnclaimMail(context.WithoutCancel(ctx), p.ID, m.Mailed, keys))
	}
	return nil
}

// letter returns a mail to somebody, without its content.
func (s *Service) letter(to string) (*gomail.Msg, error) {
	message := gomail.NewMsg()
	if err := message.FromFormat(s.ledger.Team(), s.Sending.From); err != nil {
		return nil, err
	}
	message.SetGenHeader("Auto-Submitted", "auto-generated") // RFC 3834
	return message, message.To(to)
}

// MailLink mails somebody the link with which they choose a password.
func (s *Service) MailLink(ctx context.Context, to, name, address string, until time.Time) error {
	if s.Sending == nil || s.Sending.Mail == nil {
		return problem.New(problem.Conflict, "this service sends no mail; pass the link on by hand")
	}
	ctx, cancel := context.WithTimeout(ctx, oneTry)
	defer cancel()
	message, err := s.letter(to)
	if err != nil {
		return problem.Field("/mail", "%.70q is not a mail address", to)
	}
	message.Subject("Your account at " + s.ledger.Team())
	message.SetBodyString(gomail.TypeTextPlain, fmt.Sprintf(
		"Hello,\n\n"+
			"with this link you can choose a password for the account %s. It works once, until %s:\n\n"+
			"%s\n\n"+
			"-- \n"+
			"%s\n",
		name, until.Format("2 January 2006, 15:04 MST"), address, s.ledger.Team()))
	return s.Sending.Mail.DialAndSendWithContext(ctx, message)
}

func (s *Service) send(ctx context.Context, p *people.Account, m *store.Mailing, fresh []Notice, all int) error {
	ctx, cancel := context.WithTimeout(ctx, oneTry)
	defer cancel()
	message, err := s.letter(m.Mail)
	if err != nil {
		return err
	}
	subject := s.line(&fresh[0])
	if len(fresh) > 1 {
		subject = fmt.Sprintf("%d things are waiting for you", len(fresh))
	}
	message.Subject(subject)
	end := s.Sending.Address + "/unsubscribe?who=" + m.Secret
	message.SetGenHeader("List-Unsubscribe", "<"+end+">") // RFC 2369, RFC 8058
	message.SetGenHeader("List-Unsubscribe-Post", "List-Unsubscribe=One-Click")
	var body strings.Builder
	fmt.Fprintf(&body, "Hello %s,\n\n", p.Title)
	for i := range fresh {
		n := &fresh[i]
		fmt.Fprintf(&body, "* %s\n", s.line(n))
		if n.Text != "" {
			fmt.Fprintf(&body, "  %s\n", excerpt(n.Text))
		}
		fmt.Fprintf(&body, "  %s%s\n\n", s.Sending.Address, n.Address)
	}
	if all > len(fresh) {
		fmt.Fprintf(&body, "%d more are waiting for you: ", all-len(fresh))
	}
	fmt.Fprintf(&body, "%s/notices\n\n"+
		"-- \n"+
		"%s\n"+
		"Stop these mails: %s\n", s.Sending.Address, s.ledger.Team(), end)
	message.SetBodyString(gomail.TypeTextPlain, body.String())
	return s.Sending.Mail.DialAndSendWithContext(ctx, message)
}

var sentences = map[Kind]string{
	Assigned: "Assigned to you: %s", Due: "Due soon: %s", Overdue: "Overdue: %s", Returned: "Returned to you: %s",
	Submitted: "Waiting for your decision: %s", Mentioned: "You are mentioned in %s", Suggestion: "A suggestion to decide on: %s",
	Proposal: "A proposal to decide on: %s",
}

// line formats a notice as a sentence.
func (s *Service) line(n *Notice) string {
	about := n.Title
	if st := s.ledger.Board.Now(); st != nil && n.Edition != "" {
		d, release, edition := st.EditionName(n.Edition)
		about = d + " " + release + " " + edition
	}
	line := fmt.Sprintf(sentences[n.Kind], about)
	if n.Due != "" && (n.Kind == Due || n.Kind == Overdue) {
		line += ", due " + n.Due
	}
	if n.By != "" {
		line += ", by " + n.By
	}
	return line
}

// forget deletes old deliveries.
func (s *Service) forget(ctx context.Context) error {
	return s.ledger.Store.ForgetDeliveries(ctx, now().Add(-keptFor))
}
