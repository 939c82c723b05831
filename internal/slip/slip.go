// Package slip is the file that facts, times and readings wait in until they can be
// submitted: plain YAML, to be read and corrected by hand.
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

// Slip is what was noted down away from the service.
type Slip struct {
	Format   string    `yaml:"format"`
	Version  int       `yaml:"version"`
	Review   string    `yaml:"review,omitempty"`  // id; else the edition says
	Edition  string    `yaml:"edition,omitempty"` // distribution/release/edition; else proposed from the system
	Rig      string    `yaml:"rig,omitempty"`     // where an entry names none
	Phase    string    `yaml:"phase,omitempty"`   // where an entry names none
	Setup    string    `yaml:"setup,omitempty"`   // where an entry names none
	System   *System   `yaml:"system,omitempty"`
	Mismatch string    `yaml:"mismatch,omitempty"` // why it goes to a review of another system
	States   []State   `yaml:"states,omitempty"`
	Readings []Reading `yaml:"readings,omitempty"`
	Evidence []File    `yaml:"evidence,omitempty"`
}

// File is a file that shows what was found. It lies beside the slip.
type File struct {
	ID      string    `yaml:"id"`
	At      time.Time `yaml:"at"`
	Name    string    `yaml:"name"`         // in the slip's folder
	Of      string    `yaml:"of,omitempty"` // id of the reading that it belongs to
	Caption string    `yaml:"caption,omitempty"`
}

// System names the system that the slip was written on, as it names itself.
type System struct {
	Name         string `yaml:"name"`
	ID           string `yaml:"id,omitempty"`
	Version      string `yaml:"version,omitempty"`
	Variant      string `yaml:"variant,omitempty"`
	Desktop      string `yaml:"desktop,omitempty"`
	Architecture string `yaml:"architecture,omitempty"`
}

// State is a system state as it was surveyed.
type State struct {
	Key         string         `yaml:"key"`
	At          time.Time      `yaml:"at"`
	Rig         string         `yaml:"rig,omitempty"`
	Phase       string         `yaml:"phase,omitempty"`
	Note        string         `yaml:"note,omitempty"`
	Disturbance string         `yaml:"disturbance,omitempty"` // of what moves
	Facts       map[string]any `yaml:"facts"`
}

// Reading is one reading. It answers a criterion, or every criterion that names its
// fact.
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
	Answer        string    `yaml:"answer,omitempty"` // as dtally record takes it
	Unit          string    `yaml:"unit,omitempty"`   // of a measure, if it is not the criterion's
	Boots         []Boot    `yaml:"boots,omitempty"`  // the starts of the machine that runs were made in
	Adjust        *Adjust   `yaml:"adjust,omitempty"`
	Bound         string    `yaml:"bound,omitempty"`
	Disturbance   string    `yaml:"disturbance,omitempty"`
	Repeat        bool      `yaml:"repeat,omitempty"`
	NotTested     string    `yaml:"notTested,omitempty"`
	NotApplicable string    `yaml:"notApplicable,omitempty"`
	Note          string    `yaml:"note,omitempty"`
	Confirm       bool      `yaml:"confirm,omitempty"` // a value outside the plausible range is right, and the note says why

	value *reading.Fact // of a surveyed fact, instead of the answer in words
}

// Boot is a start of the machine, and how many consecutive runs were made in it.
type Boot struct {
	ID   string `yaml:"id"`
	Runs int    `yaml:"runs"`
}

// Adjust is a known offset to take off every run.
type Adjust struct {
	Amount float64 `yaml:"amount"`
	Reason string  `yaml:"reason"`
}

// Load reads a slip. What is wrong with it is told with its line.
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

// Parse reads a slip from its text.
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

// plain says in a person's words what the YAML package complains of.
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

// check names everything that cannot be right whatever the checklist says.
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

// Shift moves every time on the slip, for a system whose clock was wrong.
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

// fact takes a YAML value for a fact.
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

// Plain is a fact as a slip writes it.
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

// Append adds what more holds to the slip in a file, or begins one; what people wrote
// into the file stays. It is written whole or not at all, also when several programs
// append at once.
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

// merge adds to the lists of a slip's document and fills in what it leaves open. What
// it says otherwise stays, but for another system: that is another slip.
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
