package cli

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/internal/measure"
	"dappertally/internal/programs"
	"dappertally/internal/remote"
	"dappertally/internal/shell"
)

// awayBench is a bench on another machine, reached by SSH.
type awayBench struct {
	flags measureFlags // the same flags as for this machine
	host  remote.Host
	sheet *measure.Sheet
	named []string

	conn      *remote.Conn
	place     *remote.Place
	able      []*checklist.Criterion
	lacks     []lacking
	reference *checklist.Criterion
	bench     *measure.Bench
}

// measureElsewhere measures on other machines, all at once.
func (s *session) measureElsewhere(cmd *cobra.Command, f *measureFlags, sheet *measure.Sheet, named []string) error {
	all, err := f.benches(sheet, named)
	if err != nil {
		return err
	}
	defer func() {
		for _, b := range all {
			b.leave()
		}
	}()
	for _, b := range all {
		if err := b.settle(cmd.Context(), s); err != nil {
			return err
		}
	}
	if f.list {
		return s.listElsewhere(cmd, all)
	}
	for _, b := range all {
		for _, x := range b.lacks {
			fmt.Fprintf(cmd.ErrOrStderr(), "%s: %s is skipped: %s\n", b.host, x.criterion.Key, x.why)
		}
		if len(b.able) == 0 {
			return fmt.Errorf("%s: there is nothing to measure there; --list shows why", b.host)
		}
		if err := b.flags.agree(cmd, sheet, b.able, b.lacks, b.reference); err != nil {
			return err
		}
		if b.bench, err = b.flags.bench(cmd, sheet, b.able, b.reference); err != nil {
			return err
		}
		defer b.bench.Journal.Close()
	}
	return s.runElsewhere(cmd, all)
}

// benches returns the benches that --on names. If there are several, each names its rig.
func (f *measureFlags) benches(sheet *measure.Sheet, named []string) ([]*awayBench, error) {
	var all []*awayBench
	rigs := map[string]bool{}
	for _, text := range f.on {
		b := &awayBench{flags: *f, sheet: sheet, named: named}
		at, rig, own := strings.Cut(text, "=")
		var err error
		if b.host, err = remote.ParseHost(at); err != nil {
			return nil, wrongUsage("--on: %v", err)
		}
		switch {
		case own:
			b.flags.rig = rig
		case len(f.on) > 1:
			return nil, wrongUsage("--on %s: name its rig, as in --on %s=RIG", text, text)
		}
		if b.flags.rig == "" {
			return nil, wrongUsage("name the rig of %s with --rig: values compare only on the same machine", b.host)
		}
		if rigs[b.flags.rig] {
			return nil, wrongUsage("--on names the rig %s twice", b.flags.rig)
		}
		rigs[b.flags.rig] = true
		if len(f.on) > 1 && (f.journal != "" || f.slip != "") {
			return nil, wrongUsage("several machines need their own journals and slips: leave out --journal and --slip")
		}
		all = append(all, b)
	}
	return all, nil
}

// settle signs in, copies client and run sheet, and asks what can be measured there.
func (b *awayBench) settle(ctx context.Context, s *session) (err error) {
	if b.conn, err = remote.Dial(ctx, b.host, remote.Ways{Key: b.flags.key}); err != nil {
		return err
	}
	if b.place, err = remote.Settle(b.conn); err != nil {
		return err
	}
	program, err := b.program(ctx, s)
	if err != nil {
		return err
	}
	defer program.Close()
	if err := b.place.Put(ctx, "dtally", program); err != nil {
		return err
	}
	packed, carried := io.Pipe()
	defer packed.Close()
	go func() { carried.CloseWithError(b.sheet.Write(carried, b.flags.kit)) }()
	if err := b.place.Put(ctx, "run.sheet", packed); err != nil {
		return err
	}
	says, err := b.place.Output(ctx, "chmod 700 dtally && "+shell.Line(b.command("--list", "--output", "json")...))
	if err != nil {
		return err
	}
	var plan []plannedMeasure
	if err := json.Unmarshal([]byte(says), &plan); err != nil {
		return fmt.Errorf("%s: its plan cannot be read: %w", b.host, err)
	}
	for _, p := range plan {
		c, ok := b.sheet.List.Criterion(p.Criterion)
		switch {
		case !ok:
			return fmt.Errorf(
				"%s: its plan has %q, which is not in the checklist",
				b.host,
				p.Criterion,
			)
		case p.LeftOut != "":
			b.lacks = append(b.lacks, lacking{c, p.LeftOut})
		case p.Reference:
			b.reference = c
		default:
			b.able = append(b.able, c)
		}
	}
	return nil
}

// command returns the dtally measure command to run there.
func (b *awayBench) command(more ...string) []string {
	words := []string{
		"env",
		"XDG_CONFIG_HOME=" + b.place.Folder + "/config",
		"TMPDIR=" + b.place.Folder,
		"./dtally",
		"measure",
	}
	words = append(words, b.named...)
	words = append(words, "--sheet", "run.sheet", "--rig", b.flags.rig, "--root", b.flags.machine.Root)
	if b.flags.machine.Scratch != "" {
		words = append(words, "--scratch", b.flags.machine.Scratch)
	}
	if b.flags.rest > 0 {
		words = append(words, "--rest", b.flags.rest.String())
	}
	return append(words, more...)
}

// program returns the client for the machine: the named one, or this one if it fits, or the service's.
func (b *awayBench) program(ctx context.Context, s *session) (io.ReadCloser, error) {
	if b.flags.client != "" {
		return os.Open(b.flags.client)
	}
	kind, err := b.conn.Output(ctx, "uname -sm")
	if err != nil {
		return nil, err
	}
	arch := map[string]string{"Linux x86_64": "amd64", "Linux aarch64": "arm64"}[kind]
	if arch == "" {
		return nil, fmt.Errorf("%s is %s; there is no dtally for it: name one with --client", b.host, kind)
	}
	if self, err := os.Executable(); err == nil && arch == runtime.GOARCH {
		if alone, err := programs.RunsAlone(self); err == nil && alone {
			return os.Open(self)
		}
	}
	return s.fetchProgram(ctx, arch)
}

// fetchProgram downloads the client for an architecture from the service.
func (s *session) fetchProgram(ctx context.Context, arch string) (io.ReadCloser, error) {
	kept, err := readLogin()
	if err != nil {
		return nil, err
	}
	address := s.address(kept) + "/get/" + arch
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, err
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return nil, fmt.Errorf("there is no dtally for %s here, and the service cannot be asked: %w", arch, err)
	}
	if resp.StatusCode != http.StatusOK {
		resp.Body.Close()
		return nil, fmt.Errorf(
			"the service has no dtally for %s (%s: %s); name one with --client",
			arch,
			address,
			resp.Status,
		)
	}
	return resp.Body, nil
}

func (b *awayBench) leave() {
	if b.place != nil {
		_ = b.place.Leave() // it is closed with the connection anyway
	}
	if b.conn != nil {
		_ = b.conn.Close()
	}
}

// listElsewhere shows what would be run on each machine.
func (s *session) listElsewhere(cmd *cobra.Command, all []*awayBench) error {
	plans := map[string][]plannedMeasure{}
	var sheets []*sheet
	for _, b := range all {
		plans[b.host.String()] = planned(b.able, b.lacks, b.reference)
		t := planSheet(b.sheet, b.flags.rig, b.able, b.lacks, b.reference)
		t.heading = b.host.String() + ", " + b.flags.rig + ": " + t.heading
		sheets = append(sheets, t)
	}
	return s.print(cmd, plans, sheets...)
}

// runElsewhere runs all benches at once, and writes the results of each to its own slip.
func (s *session) runElsewhere(cmd *cobra.Command, all []*awayBench) error {
	errs := make([]error, len(all))
	var running sync.WaitGroup
	var mu sync.Mutex // guards the output
	for i, b := range all {
		var shown display
		if len(all) == 1 {
			shown = watch(cmd, b.bench)
		} else {
			shown = b.lines(cmd.ErrOrStderr(), &mu)
		}
		running.Go(func() {
			errs[i] = b.run(cmd, s)
			shown.end()
		})
	}
	running.Wait()
	var failed []error
	for i, b := range all {
		switch {
		case errors.Is(errs[i], measure.ErrRestart):
			fmt.Fprintf(
				cmd.ErrOrStderr(),
				"%s: the next runs need another start of the machine: restart it, and continue with --resume\n",
				b.host,
			)
		case errs[i] != nil:
			failed = append(failed, errs[i])
		default:
			failed = append(failed, s.finish(cmd, &b.flags, b.sheet, b.bench))
		}
	}
	return errors.Join(failed...)
}

// lines shows every run in a line that begins with the rig.
func (b *awayBench) lines(out io.Writer, mu *sync.Mutex) display {
	v := &benchView{out: &prefixed{out: out, prefix: b.flags.rig + ": ", mu: mu}, bench: b.bench, lines: -1}
	b.bench.Progress = v.ran
	b.bench.Waiting = func(why string) { v.say("waiting: " + why) }
	return v
}

// prefixed writes whole lines, each with a prefix.
type prefixed struct {
	out    io.Writer
	prefix string
	mu     *sync.Mutex
}

func (p *prefixed) Write(text []byte) (int, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	_, err := io.WriteString(p.out, p.prefix+string(text))
	return len(text), err
}

// run runs the bench there until nothing is left, also over restarts if these are wanted.
func (b *awayBench) run(cmd *cobra.Command, s *session) error {
	for {
		ctx, told := s.reporting(cmd.Context(), &b.flags, b.bench)
		err := b.once(ctx)
		told()
		if cmd.Context().Err() == nil && ctx.Err() != nil && errors.Is(err, ctx.Err()) {
			return fmt.Errorf("%s: %w; continue with --resume", b.host, context.Cause(ctx))
		}
		if cmd.Context().Err() != nil {
			return fmt.Errorf("%s: stopped; continue with --resume", b.host)
		}
		if !errors.Is(err, measure.ErrRestart) || !b.flags.restart {
			return err
		}
		b.bench.Waiting("the machine restarts")
		if err := b.restart(cmd.Context(), s); err != nil {
			return err
		}
	}
}

// once runs the bench there once. Every run is in the local journal before the next one is read.
func (b *awayBench) once(ctx context.Context) error {
	known, err := os.ReadFile(b.flags.journal)
	if err != nil {
		return err
	}
	if err := b.place.Put(ctx, "measure.journal", bytes.NewReader(known)); err != nil {
		return err
	}
	keys := make([]string, len(b.able))
	for i, c := range b.able {
		keys[i] = c.Key
	}
	b.named = keys
	restart := false
	err = b.place.Run(ctx, shell.Line(b.command("--journal", "measure.journal", "--resume", "--yes", "--stream")...),
		func(line []byte) error {
			var told measure.Told
			if err := json.Unmarshal(line, &told); err != nil {
				return fmt.Errorf("%s: its output cannot be read: %w: %.80q", b.host, err, line)
			}
			if told.Waiting != "" {
				b.bench.Waiting(told.Waiting)
			}
			restart = restart || told.Restart
			if told.Run != nil {
				return b.bench.Receive(*told.Run)
			}
			return nil
		})
	if err == nil && restart {
		return measure.ErrRestart
	}
	return err
}

// How long a machine can take to restart, and the pause between attempts to reach it.
const (
	restartTime  = 15 * time.Minute
	restartPause = 3 * time.Second
)

// restart restarts the machine, waits for its next start, and copies everything again.
func (b *awayBench) restart(ctx context.Context, s *session) error {
	boot := func() (string, error) {
		return b.conn.Output(ctx, "cat "+shell.Quoted(cmp.Or(strings.TrimSuffix(b.flags.machine.Root, "/"), "")+
			"/proc/sys/kernel/random/boot_id"))
	}
	before, err := boot()
	if err != nil {
		return err
	}
	if _, err := b.conn.Output(ctx, "systemctl reboot || sudo -n systemctl reboot"); err != nil &&
		!strings.Contains(err.Error(), "without exit status") { // it may be gone before it answers
		return fmt.Errorf("it cannot be restarted from here: %w", err)
	}
	for until := time.Now().Add(restartTime); time.Now().Before(until); {
		_ = b.conn.Close()
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(restartPause):
		}
		b.place, b.able, b.lacks = nil, nil, nil
		if b.conn, err = remote.Dial(ctx, b.host, remote.Ways{Key: b.flags.key}); err != nil {
			continue // it is not up yet
		}
		if now, err := boot(); err != nil || now == before {
			continue
		}
		return b.again(ctx, s)
	}
	return fmt.Errorf("%s did not come back within %s: %w", b.host, restartTime, err)
}

// again copies everything after a restart. The same criteria must be measurable as before.
func (b *awayBench) again(ctx context.Context, s *session) error {
	was := slices.Clone(b.named)
	if err := b.settle(ctx, s); err != nil {
		return err
	}
	for _, c := range b.able {
		was = slices.DeleteFunc(was, func(key string) bool { return key == c.Key })
	}
	if len(was) > 0 {
		return fmt.Errorf("%s: after the restart, %s cannot be measured", b.host, strings.Join(was, ", "))
	}
	return nil
}
