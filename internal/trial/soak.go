package trial

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"
)

// sample is the resources of a service at a moment.
type sample struct {
	at                                     time.Duration
	memory, goroutines, files, connections float64
	acknowledged, failures                 int
}

// Soak runs a service on one machine for a while: writers, readers and streams at a steady pace. It prints the
// resources of the service, and returns which of them have grown and what is wrong with the records.
func Soak(ctx context.Context, o Options, lasts time.Duration, out io.Writer) (grown []string, err error) {
	metrics, err := FreeAddress()
	if err != nil {
		return nil, err
	}
	data := filepath.Join(o.Dir, "soak")
	if err := loadPrivate(ctx, data); err != nil {
		return nil, err
	}
	one, err := privateInstance(o, data, "--metrics", metrics)
	if err != nil {
		return nil, err
	}
	if err := one.Start(ctx); err != nil {
		return nil, err
	}
	defer one.Stop() //nolint:errcheck // its log shows the reason
	load, err := StartLoad(ctx, []string{one.Address}, lead(), Pace{Writers: 4, Streams: 20, Rest: time.Second})
	if err != nil {
		return nil, err
	}
	reading, stop := context.WithCancel(ctx)
	var readers sync.WaitGroup
	for i := range 4 {
		readers.Go(func() { load.read(reading, i) })
	}
	samples, err := sampling(ctx, "http://"+metrics+"/metrics", load, lasts, out)
	stop()
	readers.Wait()
	load.Stop()
	if err != nil {
		return nil, err
	}
	return append(growth(samples), load.Hold(ctx)...), nil
}

// asked lists what readers request, in turns.
var asked = []string{
	"/", "/api/v1/ranking", "/api/v1/records", "/api/v1/reviews", "/api/v1/editions", "/api/v1/points",
	"/reports.atom", "/api/v1/exports/ranking?form=csv", "/api/v1/steadiness",
}

// read requests one address after the other, until ctx ends. Refusals of a busy service are not errors; an unknown
// address is one.
func (l *Load) read(ctx context.Context, at int) {
	for ; ctx.Err() == nil; at++ {
		_, err := l.get(ctx, l.addresses[0]+asked[at%len(asked)])
		var refused *refusal
		if errors.As(err, &refused) && refused.status < 500 && refused.status != http.StatusTooManyRequests {
			l.mu.Lock()
			l.odd = append(l.odd, err.Error())
			l.mu.Unlock()
			return
		}
		select {
		case <-ctx.Done():
		case <-time.After(300 * time.Millisecond):
		}
	}
}

// sampling records the resources of the service, sixty times in total.
func sampling(
	ctx context.Context, metrics string, load *Load, lasts time.Duration, out io.Writer,
) (samples []sample, err error) {
	const times = 60
	fmt.Fprintln(out, "   after  memory MiB  goroutines  files  connections  acknowledged  refused")
	began := time.Now()
	for i := 1; i <= times; i++ {
		select {
		case <-ctx.Done():
			return samples, ctx.Err()
		case <-time.After(time.Until(began.Add(lasts * time.Duration(i) / times))):
		}
		shown, err := figuresOf(ctx, metrics)
		if err != nil {
			return samples, err
		}
		count := load.Count()
		s := sample{
			at: time.Since(began).Round(time.Second), memory: shown["process_resident_memory_bytes"] / (1 << 20),
			goroutines: shown["go_goroutines"], files: shown["process_open_fds"],
			connections:  shown["dtally_database_connections_used"],
			acknowledged: count.Acknowledged, failures: count.Refused,
		}
		samples = append(samples, s)
		fmt.Fprintf(out, "%8s  %10.0f  %10.0f  %5.0f  %11.0f  %12d  %7d\n",
			s.at, s.memory, s.goroutines, s.files, s.connections, s.acknowledged, s.failures)
	}
	return samples, nil
}

// figuresOf reads metrics without labels from a service.
func figuresOf(ctx context.Context, address string) (map[string]float64, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, err
	}
	answer, err := http.DefaultClient.Do(req)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	figures := map[string]float64{}
	lines := bufio.NewScanner(answer.Body)
	for lines.Scan() {
		name, value, ok := strings.Cut(lines.Text(), " ")
		if x, err := strconv.ParseFloat(value, 64); ok && err == nil {
			figures[name] = x
		}
	}
	return figures, lines.Err()
}

// mostGrowth is how much more of a resource a service can use in the last quarter of the time than in the second.
const mostGrowth = 1.2

// growth lists the resources of which a service uses more in the last quarter of the time than in the second, when it
// is warmed up.
func growth(samples []sample) (grown []string) {
	quarter := len(samples) / 4
	if quarter == 0 {
		return nil
	}
	for name, of := range map[string]func(sample) float64{
		"memory":      func(s sample) float64 { return s.memory },
		"goroutines":  func(s sample) float64 { return s.goroutines },
		"open files":  func(s sample) float64 { return s.files },
		"connections": func(s sample) float64 { return s.connections + 4 }, // few, and always different
	} {
		before, after := mean(samples[quarter:2*quarter], of), mean(samples[len(samples)-quarter:], of)
		if after > mostGrowth*before {
			grown = append(grown, fmt.Sprintf("%s grew from %.0f to %.0f", name, before, after))
		}
	}
	return grown
}

func mean(samples []sample, of func(sample) float64) (sum float64) {
	for _, s := range samples {
		sum += of(s) / float64(len(samples))
	}
	return sum
}

// privateInstance returns a service on a private database.
func privateInstance(o Options, data string, more ...string) (*Instance, error) {
	listen, err := FreeAddress()
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(o.Dir, 0o711); err != nil {
		return nil, err
	}
	args := append([]string{o.Program, "serve", "--data", data, "--listen", listen, "--log-level", "warn"}, more...)
	return &Instance{
		&Program{Name: "service", Log: filepath.Join(o.Dir, "single.log"), Args: args}, "http://" + listen, listen,
	}, nil
}
