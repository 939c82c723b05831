package notices

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Hook is an address that is notified of changes.
type Hook = store.Hook

// Delivery is a change as it is sent to a hook.
type Delivery = store.Delivery

// mostHooks is the highest number of hooks, mostDeliveries of listed deliveries.
const (
	mostHooks      = 20
	mostDeliveries = 100
)

// Sorts are the kinds of changes of which a hook can be notified.
var Sorts = []string{"catalogue", "rig", "checklist", "proposal", "review", "queue", "plan", "known-issue", "policy",
	"report", "person"}

// Hooks lists the web hooks.
func (s *Service) Hooks(ctx context.Context, who *access.Actor) ([]Hook, error) {
	if err := who.Permit(ManageHooks); err != nil {
		return nil, err
	}
	all, err := s.ledger.Store.Hooks(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading web hooks")
	}
	return all, nil
}

// AddHook adds a hook for changes of these kinds, by default all. The secret that signs them is created here and
// shown only once.
func (s *Service) AddHook(ctx context.Context, who *access.Actor, address string, sorts []string) (Hook, error) {
	if err := who.Permit(ManageHooks); err != nil {
		return Hook{}, err
	}
	at, err := url.Parse(address)
	if err != nil || (at.Scheme != "https" && at.Scheme != "http") || at.Host == "" || at.User != nil ||
		at.Fragment != "" {
		return Hook{}, problem.Field("/url", "%.70q is not an address such as https://example.org/changes", address)
	}
	if err := known(sorts); err != nil {
		return Hook{}, err
	}
	there, err := s.Hooks(ctx, who)
	if err != nil {
		return Hook{}, err
	}
	if len(there) >= mostHooks {
		return Hook{}, problem.New(problem.Conflict, "there are already %d web hooks; delete one first", mostHooks)
	}
	h := Hook{URL: address, Secret: "dth_" + rand.Text(), Sorts: sorts, Active: true, Created: s.ledger.Now()}
	if err := s.ledger.Store.AddHook(ctx, &h); err != nil {
		return Hook{}, ledger.Failed(err, "adding a web hook")
	}
	return h, nil
}

func known(sorts []string) error {
	for _, sort := range sorts {
		if !slices.Contains(Sorts, sort) {
			return problem.Field("/sorts", "there are no changes of the kind %.70q; the kinds are %s", sort, strings.Join(Sorts, ", "))
		}
	}
	return nil
}

// SetHook changes of what a hook is notified, and whether it is active.
func (s *Service) SetHook(ctx context.Context, who *access.Actor, id string, sorts []string, active bool) error {
	if err := who.Permit(ManageHooks); err != nil {
		return err
	}
	if err := known(sorts); err != nil {
		return err
	}
	if err := s.ledger.Store.SetHook(ctx, id, sorts, active); err != nil {
		return ledger.Failed(err, "changing a web hook")
	}
	return nil
}

// DropHook removes a hook and its deliveries.
func (s *Service) DropHook(ctx context.Context, who *access.Actor, id string) error {
	if err := who.Permit(ManageHooks); err != nil {
		return err
	}
	if err := s.ledger.Store.DropHook(ctx, id); err != nil {
		return ledger.Failed(err, "deleting a web hook")
	}
	return nil
}

// Deliveries lists what was last sent to a hook, the newest first.
func (s *Service) Deliveries(ctx context.Context, who *access.Actor, hook string) ([]Delivery, error) {
	if err := who.Permit(ManageHooks); err != nil {
		return nil, err
	}
	all, err := s.ledger.Store.Deliveries(ctx, hook, mostDeliveries)
	if err != nil {
		return nil, ledger.Failed(err, "reading deliveries")
	}
	return all, nil
}

// SendAgain sends a change to its hook once more.
func (s *Service) SendAgain(ctx context.Context, who *access.Actor, delivery string) error {
	if err := who.Permit(ManageHooks); err != nil {
		return err
	}
	if err := s.ledger.Store.SendAgain(ctx, delivery, now()); err != nil {
		return ledger.Failed(err, "sending again")
	}
	return nil
}

// cloudEvent returns a change as CloudEvents 1.0 JSON (https://cloudevents.io). It never contains a value of the
// records.
type cloudEvent struct {
	SpecVersion string    `json:"specversion"`
	ID          string    `json:"id"`
	Source      string    `json:"source"`
	Type        string    `json:"type"`
	Subject     string    `json:"subject,omitempty"`
	Time        time.Time `json:"time"`
	ContentType string    `json:"datacontenttype"`
	Data        eventData `json:"data"`
}

type eventData struct {
	Number int64  `json:"number"`
	Sort   string `json:"sort"`
	Action string `json:"action"`
	Person string `json:"person,omitempty"`
}

// deliveriesOf returns the deliveries of changes to the hooks that want them.
func (s *Service) deliveriesOf(changes []store.Change, hooks []Hook) ([]Delivery, error) {
	var all []Delivery
	for i := range changes {
		c := &changes[i]
		for _, h := range hooks {
			if !h.Active || (len(h.Sorts) > 0 && !slices.Contains(h.Sorts, string(c.Sort))) {
				continue
			}
			event, err := json.Marshal(cloudEvent{
				SpecVersion: "1.0", ID: fmt.Sprint(c.Number), Source: s.address(), Subject: c.Subject, Time: c.At.UTC(),
				Type:        "dapper-tally." + string(c.Sort) + "." + strings.ReplaceAll(c.Action, " ", "-"),
				ContentType: "application/json",
				Data:        eventData{c.Number, string(c.Sort), c.Action, c.Person},
			})
			if err != nil {
				return nil, fmt.Errorf("sending change %d: %w", c.Number, err)
			}
			all = append(all, Delivery{Hook: h.ID, Number: c.Number, Event: string(event), Created: now(), Due: now()})
		}
	}
	return all, nil
}

// now returns the real time, for deliveries: the clock of the demo stands still.
func now() time.Time { return time.Now().UTC().Truncate(time.Microsecond) }
