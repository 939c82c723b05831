package cli

import (
	"cmp"
	"encoding/hex"
	"fmt"
	"slices"
	"strconv"
	"time"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"dappertally/internal/numerals"
	"dappertally/internal/slip"
	"dappertally/internal/survey"
)

// destination is where the results of a command go besides the screen: to a slip, or into a review.
type destination struct {
	file, review, rig, phase, setup, note, mismatch string
	yes, dryRun                                     bool
	folder                                          string // of the slip
}

func (d *destination) define(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&d.file, "slip", "", "add it to this slip, to send it later")
	f.StringVar(&d.review, "review", "", "send it now: id of the review, or its edition if only one is open")
	f.StringVar(&d.rig, "rig", "", "the rig that it was measured on")
	f.StringVar(&d.phase, "phase", "", "the phase, such as fresh or updated")
	f.StringVar(&d.setup, "setup", "", "the setup, if not the one in the criterion")
	f.StringVar(&d.note, "note", "", "a remark")
	f.BoolVar(&d.yes, "yes", false, "send it without asking")
}

// wanted reports whether the results go anywhere besides the screen.
func (d *destination) wanted() bool { return d.file != "" || d.review != "" }

// deliver adds a slip to its file, or submits it.
func (s *session) deliver(cmd *cobra.Command, d *destination, x *slip.Slip) error {
	if d.file != "" && d.review != "" {
		return wrongUsage("--slip saves it for later, --review sends it now: choose one")
	}
	if d.file == "" {
		return s.submit(cmd, x, d)
	}
	if err := slip.Append(d.file, x); err != nil {
		return err
	}
	fmt.Fprintf(cmd.ErrOrStderr(), "added %s to %s\n", counted(len(x.States), len(x.Readings)), d.file)
	return nil
}

func counted(states, readings int) string {
	switch {
	case states == 0:
		return numerals.Count(readings, "reading")
	case readings == 0:
		return "the system state"
	}
	return "the system state and " + numerals.Count(readings, "reading")
}

// surveySlip returns a survey as a slip: a system state with the facts, and a reading of each fact that was read
// several times.
func (d *destination) surveySlip(v *survey.Survey) *slip.Slip {
	id := uuid.Must(uuid.NewV7())
	state := slip.State{
		// Random enough for one review, and short enough to be read aloud.
		Key: "s-" + v.At.Format("0102-1504") + "-" + hex.EncodeToString(id[14:]),
		At:  v.At, Rig: d.rig, Phase: d.phase, Note: cmp.Or(d.note, "surveyed"), Disturbance: v.Disturbance(),
		Facts: map[string]any{},
	}
	x := &slip.Slip{System: systemOf(v)}
	for i := range v.Facts {
		f := &v.Facts[i]
		if f.Value == nil {
			continue
		}
		state.Facts[f.Key] = slip.Plain(f.Value)
		if len(f.Runs) > 1 {
			r := newReading(v.At)
			r.Fact, r.State, r.Rig, r.Phase, r.Setup = f.Key, state.Key, d.rig, d.phase, d.setup
			r.Answer, r.Unit, r.Disturbance = words(f.Runs), f.Unit, state.Disturbance
			r.Boots = slipBoots(slices.Repeat([]string{v.Boot}, len(f.Runs)))
			x.Readings = append(x.Readings, r)
		}
	}
	x.States = []slip.State{state}
	return x
}

func newReading(at time.Time) slip.Reading {
	return slip.Reading{ID: uuid.Must(uuid.NewV7()).String(), At: at.UTC().Truncate(time.Second)}
}

// systemOf identifies the system of a survey.
func systemOf(v *survey.Survey) *slip.System {
	n := v.Named()
	if n.Name == "" {
		return nil
	}
	return &slip.System{
		Name:         n.Name,
		ID:           n.ID,
		Version:      n.Version,
		Variant:      n.Variant,
		Desktop:      n.Desktop,
		Architecture: n.Architecture,
	}
}

// words formats runs as dtally record reads them.
func words(runs []float64) string {
	text := ""
	for i, x := range runs {
		if i > 0 {
			text += " "
		}
		text += strconv.FormatFloat(x, 'f', -1, 64)
	}
	return text
}
