// Package slip is the file for facts, times and readings until they can be submitted: plain YAML, to be read and
// corrected by hand.
package slip

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"time"

	"go.yaml.in/yaml/v3"

	"dappertally/core/reading"
	"dappertally/internal/wholefile"
)

// Format and Version name the file format.
const (
	Format  = "dapper-tally/slip"
	Version = 1
)

// Slip is what was recorded away from the service.
type Slip struct {
	Format   string    `yaml:"format"`
	Version  int       `yaml:"version"`
	Review   string    `yaml:"review,omitempty"`  // id; otherwise found by the edition
	Edition  string    `yaml:"edition,omitempty"` // distribution/release/edition; otherwise proposed from the system
	Rig      string    `yaml:"rig,omitempty"`     // default for entries
	Phase    string    `yaml:"phase,omitempty"`   // default for entries
	Setup    string    `yaml:"setup,omitempty"`   // default for entries
	System   *System   `yaml:"system,omitempty"`
	Mismatch string    `yaml:"mismatch,omitempty"` // why it is submitted to a review of another system
	States   []State   `yaml:"states,omitempty"`
	Readings []Reading `yaml:"readings,omitempty"`
	Evidence []File    `yaml:"evidence,omitempty"`
}

// File is a file of evidence, stored next to the slip.
type File struct {
	ID      string    `yaml:"id"`
	At      time.Time `yaml:"at"`
	Name    string    `yaml:"name"`         // in the slip's folder
	Of      string    `yaml:"of,omitempty"` // id of its reading
	Caption string    `yaml:"caption,omitempty"`
}

// System identifies the system on which the slip was written.
type System struct {
	Name         string `yaml:"name"`
	ID           string `yaml:"id,omitempty"`
	Version      string `yaml:"version,omitempty"`
	Variant      string `yaml:"variant,omitempty"`
	Desktop      string `yaml:"desktop,omitempty"`
	Architecture string `yaml:"architecture,omitempty"`
}

// State is a surveyed system state.
type State struct {
	Key         string         `yaml:"key"`
	At          time.Time      `yaml:"at"`
	Rig         string         `yaml:"rig,omitempty"`
	Phase       string         `yaml:"phase,omitempty"`
	Note        string         `yaml:"note,omitempty"`
	Disturbance string         `yaml:"disturbance,omitempty"` // runs of facts that change over time
	Facts       map[string]any `yaml:"facts"`
}

// Reading is one reading. It answers a criterion, or every criterion that names its fact.
type Reading struct {
	ID            string    `yaml:"id"`
	Criterion     string    `yaml:"criterion,omitempty"`
	Fact          string    `yaml:"fact,omitempty"`
	At            time.Time `yaml:"at"`
	State         string    `yaml:"state,omitempty"`
	Rig           string    `yaml:"rig,omitempty"`
	Method        string    `yaml:"method,omitempty"`
	Setup         string    `yaml:"setup,omitempty"`
	Phase         string    `yaml:"phase,omitempty"`
	Answer        string    `yaml:"answer,omitempty"` // in the form of dtally record
	Unit          string    `yaml:"unit,omitempty"`   // of a measure, if it differs from the criterion's
	Boots         []Boot    `yaml:"boots,omitempty"`  // the starts of the machine in which runs were made
	Adjust        *Adjust   `yaml:"adjust,omitempty"`
	Bound         string    `yaml:"bound,omitempty"`
	Disturbance   string    `yaml:"disturbance,omitempty"`
	Repeat        bool      `yaml:"repeat,omitempty"`
	NotTested     string    `yaml:"notTested,omitempty"`
	NotApplicable string    `yaml:"notApplicable,omitempty"`
	Note          string    `yaml:"note,omitempty"`
	Confirm       bool      `yaml:"confirm,omitempty"` // values outside the plausible range are correct

	value *reading.Fact // of a surveyed fact, instead of the answer in words
}

// Boot is a start of the machine, and how many consecutive runs were made in it.
type Boot struct {
	ID   string `yaml:"id"`
	Runs int    `yaml:"runs"`
}

// Adjust is a known offset to subtract from every run.
type Adjust struct {
	Amount float64 `yaml:"amount"`
	Reason string  `yaml:"reason"`
}

// Load reads a slip. Errors name the line.
func Load(name string) (*Slip, error) {
	data, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	s, err := Parse(data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return s, nil
}

// Parse parses a slip.
func Parse(data []byte) (*Slip, error) {
	var s Slip
	d := yaml.NewDecoder(bytes.NewReader(data))
	d.KnownFields(true)
	if err := d.Decode(&s); errors.Is(err, io.EOF) {
		return nil, errors.New("is empty")
	} else if err != nil {
		return nil, errors.New(plain(err, data))
	}
	if s.Format != Format || s.Version != Version {
		return nil, fmt.Errorf("is no slip: it does not begin with format: %s and version: %d", Format, Version)
	}
	return &s, s.check()
}

var unknownField = regexp.MustCompile(`field (\S+) not found in type \S+`)

// plain rewords an error of the YAML package for people.
func plain(err error, data []byte) string {
	var moment *time.ParseError
	if errors.As(err, &moment) {
		before, _, _ := bytes.Cut(data, []byte(moment.Value))
		return fmt.Sprintf(
			"line %d: %q is no time such as 2026-11-20T09:30:00Z", 1+bytes.Count(before, []byte("\n")), moment.Value,
		)
	}
	says := strings.TrimPrefix(strings.TrimPrefix(err.Error(), "yaml: "), "unmarshal errors:\n")
	return strings.TrimSpace(unknownField.ReplaceAllString(says, "a slip has no field $1 here"))
}

// check reports everything that is wrong whatever the checklist says.
func (s *Slip) check() error {
	var faults []error
	add := func(format string, args ...any) { faults = append(faults, fmt.Errorf(format, args...)) }
	states := map[string]bool{}
	for i, x := range s.States {
		if x.Key == "" || states[x.Key] {
			add("state %d: its key %q is missing or duplicated", i+1, x.Key)
		}
		states[x.Key] = true
		if x.At.IsZero() {
			add("state %s: its time, at, is missing", x.Key)
		}
		for key, value := range x.Facts {
			if _, err := fact(value); err != nil {
				add("state %s: %s: %w", x.Key, key, err)
			}
		}
	}
	ids := map[string]bool{}
	for i, x := range s.Readings {
		if !reading.ValidID(x.ID) {
			add("reading %d: the id %q is not a UUID in lower case", i+1, x.ID)
		} else if ids[x.ID] {
			add("reading %d: the id %s is duplicated", i+1, x.ID)
		}
		ids[x.ID] = true
		if (x.Criterion == "") == (x.Fact == "") {
			add("reading %s: it needs a criterion or a fact, and not both", x.ID)
		}
		if x.At.IsZero() {
			add("reading %s: its time, at, is missing", x.ID)
		}
		if x.State != "" && !states[x.State] {
			add("reading %s: the slip has no state %q", x.ID, x.State)
		}
		if n := count(x.Answer != "", x.NotTested != "", x.NotApplicable != ""); n != 1 {
			add("reading %s: it needs exactly one of answer, notTested and notApplicable", x.ID)
		}
	}
	for i, x := range s.Evidence {
		if !reading.ValidID(x.ID) || ids[x.ID] {
			add("evidence %d: the id %q is not a UUID in lower case, or is duplicated", i+1, x.ID)
		}
		ids[x.ID] = true
		if x.Name == "" || x.Name != filepath.Base(x.Name) {
			add("evidence %d: its file %q must be in the slip's own folder", i+1, x.Name)
		}
	}
	return errors.Join(faults...)
}

// Shift moves every time on the slip, for a system with a wrong clock.
func (s *Slip) Shift(by time.Duration) {
	for i := range s.Evidence {
		s.Evidence[i].At = s.Evidence[i].At.Add(by)
	}
	for i := range s.States {
		s.States[i].At = s.States[i].At.Add(by)
	}
	for i := range s.Readings {
		s.Readings[i].At = s.Readings[i].At.Add(by)
	}
}

// Remark adds a sentence to the note of every state and reading.
func (s *Slip) Remark(sentence string) {
	add := func(note *string) { *note = strings.TrimPrefix(*note+"; "+sentence, "; ") }
	for i := range s.States {
		add(&s.States[i].Note)
	}
	for i := range s.Readings {
		add(&s.Readings[i].Note)
	}
}

func count(these ...bool) (n int) {
	for _, is := range these {
		if is {
			n++
		}
	}
	return n
}

// fact converts a YAML value to a fact.
func fact(value any) (reading.Fact, error) {
	switch v := value.(type) {
	case string:
		return reading.Fact{Text: v}, nil
	case int:
		return reading.Fact{Sort: reading.FactNumber, Number: float64(v)}, nil
	case float64:
		return reading.Fact{Sort: reading.FactNumber, Number: v}, nil
	case []any:
		f := reading.Fact{Sort: reading.FactList, List: []string{}}
		for _, x := range v {
			f.List = append(f.List, fmt.Sprint(x))
		}
		return f, nil
	}
	return reading.Fact{}, fmt.Errorf("%v is not a text, a number or a list", value)
}

// Plain returns a fact as a slip stores it.
func Plain(f *reading.Fact) any {
	switch f.Sort {
	case reading.FactNumber:
		return f.Number
	case reading.FactList:
		return f.List
	}
	return f.Text
}

const head = "# Readings made away from the service. Correct errors by hand, leave the ids as they are,\n" +
	"# and send it with: dtally submit FILE. Sending it twice is safe.\n"

// Append adds the content of more to a slip file, or creates it; what people wrote in the file stays. It writes the
// file completely or not at all, also when several programs append at once.
func Append(name string, more *Slip) error {
	unlock, err := lock(filepath.Dir(name))
	if err != nil {
		return err
	}
	defer unlock()
	var doc yaml.Node
	old, err := os.ReadFile(name)
	switch {
	case errors.Is(err, os.ErrNotExist):
		more.Format, more.Version = Format, Version
		if err := doc.Encode(more); err != nil {
			return err
		}
		doc.HeadComment = head
	case err != nil:
		return err
	default:
		if _, err := Parse(old); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		if err := yaml.Unmarshal(old, &doc); err != nil {
			return err
		}
		if err := merge(doc.Content[0], more); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
	}
	var text bytes.Buffer
	e := yaml.NewEncoder(&text)
	e.SetIndent(2)
	if err := e.Encode(&doc); err != nil {
		return err
	}
	return wholefile.Write(name, func(w io.Writer) error {
		_, err := text.WriteTo(w)
		return err
	})
}

// lock keeps other programs from appending to a slip in the same folder.
func lock(folder string) (unlock func(), err error) {
	f, err := os.Open(folder)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX); err != nil {
		return nil, errors.Join(fmt.Errorf("locking %s: %w", folder, err), f.Close())
	}
	return func() { f.Close() }, nil
}

// merge adds to the lists of a slip's document and fills in missing fields. Existing fields stay, except that another
// system means another slip.
func merge(doc *yaml.Node, more *Slip) error {
	var there Slip
	if err := doc.Decode(&there); err != nil {
		return err
	}
	if there.System != nil && more.System != nil &&
		(there.System.ID != more.System.ID || there.System.Version != more.System.Version) {
		return fmt.Errorf(
			"was started on %s %s and this is %s %s; use another file",
			there.System.Name,
			there.System.Version,
			more.System.Name,
			more.System.Version,
		)
	}
	var add yaml.Node
	if err := add.Encode(more); err != nil {
		return err
	}
	for i := 0; i < len(add.Content); i += 2 {
		name, value := add.Content[i].Value, add.Content[i+1]
		if name == "format" || name == "version" {
			continue
		}
		at := find(doc, name)
		switch {
		case at == nil:
			doc.Content = append(doc.Content, add.Content[i], value)
		case at.Kind == yaml.SequenceNode:
			at.Style &^= yaml.FlowStyle
			at.Content = append(at.Content, value.Content...)
		case at.Kind == yaml.ScalarNode && at.Value != value.Value && name != "system":
			return fmt.Errorf(
				"has %s %s and this is %s; use another file, or set it for each entry", name, at.Value, value.Value,
			)
		}
	}
	return nil
}

func find(doc *yaml.Node, name string) *yaml.Node {
	for i := 0; i+1 < len(doc.Content); i += 2 {
		if doc.Content[i].Value == name {
			return doc.Content[i+1]
		}
	}
	return nil
}
