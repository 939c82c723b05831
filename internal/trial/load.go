package trial

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/google/uuid"

	"dappertally/internal/client"
	"dappertally/internal/contract"
)

// Load is writers and readers that work all the time. It stores what was acknowledged.
type Load struct {
	addresses []string
	token     string
	http      http.Client
	stop      context.CancelFunc
	working   sync.WaitGroup
	next      atomic.Int64
	Events    atomic.Int64 // lines that streams have received

	mu      sync.Mutex
	acked   []string
	newest  int64    // the number of the newest acknowledged write
	unknown []string // writes that were given up without an answer
	refused int      // answers without acknowledgement, since Refused was last called
	last    time.Time
	gap     time.Duration // the longest time without an acknowledgement, since Gap was last called
	odd     []string      // answers that must not occur
}

// Pace is the number of writers and streams, and the pause of each writer between two writes.
type Pace struct {
	Writers, Streams int
	Rest             time.Duration
}

// StartLoad starts to write and to follow the changes, spread over all addresses. It signs in with an account of the
// demo that can write to the catalogue.
func StartLoad(ctx context.Context, addresses []string, account contract.Credentials, pace Pace) (*Load, error) {
	l := &Load{addresses: addresses, last: time.Now(), http: http.Client{
		Timeout: 20 * time.Second, Transport: &http.Transport{MaxIdleConnsPerHost: pace.Writers},
	}}
	c := client.Connect(addresses[0], "")
	if _, err := c.SignIn(ctx, account); err != nil {
		return nil, err
	}
	token, err := c.CreateToken(ctx, contract.NewToken{Label: "trial"})
	if err != nil {
		return nil, err
	}
	l.token = token.Value.Secret
	working, stop := context.WithCancel(ctx)
	l.stop = stop
	for i := range pace.Writers {
		l.working.Go(func() { l.write(working, i, pace.Rest) })
	}
	for i := range pace.Streams {
		l.working.Go(func() { l.follow(working, i) })
	}
	return l, nil
}

// Stop ends all work and waits for running requests.
func (l *Load) Stop() {
	l.stop()
	l.working.Wait()
}

// giveUp is how long a writer repeats the same request.
const giveUp = 60 * time.Second

// write adds distributions, one after the other, until ctx ends. It repeats a request that is not acknowledged at the
// next address with the same key.
func (l *Load) write(ctx context.Context, at int, rest time.Duration) {
	for ; ctx.Err() == nil; time.Sleep(rest) {
		number := l.next.Add(1)
		name := fmt.Sprintf("made-%d", number)
		body, err := json.Marshal(contract.Distribution{Key: name, Name: name, Model: "fixed"})
		if err != nil {
			panic(err) // it can always be encoded
		}
		key := uuid.NewString()
		for began := time.Now(); ; at++ {
			done, err := l.once(ctx, l.addresses[at%len(l.addresses)], key, body)
			if done {
				l.acknowledged(number, name)
				break
			}
			l.failed(err)
			if time.Since(began) > giveUp {
				l.mu.Lock()
				l.unknown = append(l.unknown, name)
				l.mu.Unlock()
				break
			}
			time.Sleep(100 * time.Millisecond)
		}
	}
}

// errOdd is an answer that must not occur, whatever happens.
var errOdd = errors.New("an answer that is none of success and unavailable")

func (l *Load) once(ctx context.Context, address, key string, body []byte) (done bool, err error) {
	req, err := http.NewRequestWithContext(
		context.WithoutCancel(ctx), http.MethodPost, address+"/api/v1/distributions", bytes.NewReader(body))
	if err != nil {
		return false, err
	}
	req.Header.Set("Authorization", "Bearer "+l.token)
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Idempotency-Key", key)
	answer, err := l.http.Do(req)
	if err != nil {
		return false, err
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	switch {
	case err != nil:
		return false, err
	case answer.StatusCode == http.StatusCreated:
		return true, nil
	case answer.StatusCode == http.StatusServiceUnavailable:
		return false, fmt.Errorf("%s", text)
	}
	return false, fmt.Errorf("%w: %s: %s", errOdd, answer.Status, text)
}

func (l *Load) acknowledged(number int64, name string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.newest = max(l.newest, number)
	l.acked = append(l.acked, name)
	l.gap = max(l.gap, time.Since(l.last))
	l.last = time.Now()
}

func (l *Load) failed(err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.refused++
	if errors.Is(err, errOdd) {
		l.odd = append(l.odd, err.Error())
	}
}

// Count is what has happened since the last call.
type Count struct {
	Acknowledged int           // in total
	Refused      int           // requests that were not acknowledged at some attempt
	Gap          time.Duration // the longest time without an acknowledged write
}

// Count returns the counts, and resets them.
func (l *Load) Count() Count {
	l.mu.Lock()
	defer l.mu.Unlock()
	c := Count{len(l.acked), l.refused, max(l.gap, time.Since(l.last))}
	l.refused, l.gap, l.last = 0, 0, time.Now()
	return c
}

// goesOn waits until a write is acknowledged that began after the call.
func (l *Load) goesOn(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, startTime)
	defer cancel()
	begun := l.next.Load()
	for {
		l.mu.Lock()
		newest := l.newest
		l.mu.Unlock()
		if newest > begun {
			return nil
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("no write was acknowledged for %s", startTime)
		case <-time.After(20 * time.Millisecond):
		}
	}
}

// follow reads the stream of changes until ctx ends, reconnecting whenever it breaks.
func (l *Load) follow(ctx context.Context, at int) {
	for ; ctx.Err() == nil; at++ {
		req, err := http.NewRequestWithContext(
			ctx, http.MethodGet, l.addresses[at%len(l.addresses)]+"/api/v1/events", nil)
		if err != nil {
			return
		}
		req.Header.Set("Authorization", "Bearer "+l.token)
		answer, err := http.DefaultClient.Do(req)
		if err == nil {
			for lines := bufio.NewScanner(answer.Body); lines.Scan(); {
				l.Events.Add(1)
			}
			answer.Body.Close()
		}
		select {
		case <-ctx.Done():
		case <-time.After(200 * time.Millisecond):
		}
	}
}

// compared lists the requests that every instance has to answer in the same way.
var compared = []string{
	"/api/v1/distributions?limit=1000", "/api/v1/ranking", "/api/v1/reviews?limit=1000", "/api/v1/records",
	"/api/v1/editions?limit=200",
}

// Hold checks, after all work has stopped, that every acknowledged write exists exactly once, and that there is
// nothing that nobody wrote. It returns everything that is wrong.
func (l *Load) Hold(ctx context.Context) []string {
	l.mu.Lock()
	defer l.mu.Unlock()
	wrong := slices.Clone(l.odd)
	written := map[string]bool{}
	for _, name := range l.acked {
		written[name] = true
	}
	for _, address := range l.addresses {
		there, err := l.made(ctx, address)
		if err != nil {
			wrong = append(wrong, err.Error())
			continue
		}
		for name := range maps.Keys(written) {
			if there[name] != 1 {
				wrong = append(wrong, fmt.Sprintf("%s has %s %d times, which was acknowledged", address, name, there[name]))
			}
		}
		for name, times := range there {
			if times > 1 || !written[name] && !slices.Contains(l.unknown, name) {
				wrong = append(wrong, fmt.Sprintf("%s has %s %d times, which nobody acknowledged", address, name, times))
			}
		}
	}
	return wrong
}

// Agree checks, after all work has stopped, that all instances give exactly the same answers. It returns each
// difference.
func (l *Load) Agree(ctx context.Context) (wrong []string) {
	for _, address := range l.addresses[1:] {
		wrong = append(wrong, l.same(ctx, l.addresses[0], address)...)
	}
	return wrong
}

// made counts the distributions of the writers, by key.
func (l *Load) made(ctx context.Context, address string) (map[string]int, error) {
	there := map[string]int{}
	c := client.Connect(address, l.token)
	for params := (contract.ListDistributionsParams{Limit: 1000}); ; {
		page, err := c.ListDistributions(ctx, params)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", address, err)
		}
		for i := range page.Value.Distributions {
			if name := page.Value.Distributions[i].Key; len(name) > 5 && name[:5] == "made-" {
				there[name]++
			}
		}
		if page.Value.Next == "" {
			return there, nil
		}
		params.Cursor = page.Value.Next
	}
}

// same compares the answers of two instances.
func (l *Load) same(ctx context.Context, one, other string) (wrong []string) {
	for _, path := range compared {
		a, errA := l.get(ctx, one+path)
		b, errB := l.get(ctx, other+path)
		switch err := errors.Join(errA, errB); {
		case err != nil:
			wrong = append(wrong, err.Error())
		case !bytes.Equal(a, b):
			wrong = append(wrong, fmt.Sprintf("%s and %s answer differently to %s", one, other, path))
		}
	}
	return wrong
}

func (l *Load) get(ctx context.Context, address string) ([]byte, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, err
	}
	req.Header.Set("Authorization", "Bearer "+l.token)
	answer, err := l.http.Do(req)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	if err == nil && answer.StatusCode != http.StatusOK {
		err = &refusal{address, answer.StatusCode, string(text)}
	}
	return text, err
}

// refusal returns an error for an answer that is not a success.
type refusal struct {
	address string
	status  int
	text    string
}

func (r *refusal) Error() string { return fmt.Sprintf("%s: %d: %s", r.address, r.status, r.text) }
