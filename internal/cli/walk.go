package cli

import (
	"bufio"
	"cmp"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/prompt"
	"dappertally/internal/slip"
)

const walkHelp = "An empty line skips. Commands start with a colon:\n" +
	"  :b back   :n REASON not tested   :a REASON not applicable   :m REMARK note for the next " +
	"answer\n" +
	"  :u undo the last answer   :? this help   :q quit; given answers are recorded"

func (s *session) walkReview() *cobra.Command {
	var f walkFlags
	cmd := &cobra.Command{
		Use:   "walk [REVIEW]",
		Short: "Answer a review question by question",
		Long: "Answer a review question by question: each with its guidance, the possible answers, and the " +
			"answer of the release before. Questions that are already answered are skipped. Every answer " +
			"is recorded at once.\n\n" + walkHelp + "\n\n" +
			"Without a network, --slip with --checklist FILE writes the answers to a slip. If the " +
			"service becomes unreachable, the rest goes to a slip too.",
		Example: "  dtally review walk quaymark/22.1/latchwork --rig bench-old --section usability\n  dtally checklist export workshop@2 checklist.yaml\n  dtally review walk --slip quaymark.slip --checklist checklist.yaml --rig bench-old",
		Args:    args(0, 1),
		RunE:    func(cmd *cobra.Command, a []string) error { return s.walk(cmd, &f, strings.Join(a, "")) },
	}
	p := cmd.Flags()
	p.StringVar(&f.rig, "rig", "", "the rig in use (default: set with dtally at)")
	p.StringVar(&f.section, "section", "", "only this section")
	p.BoolVar(&f.all, "all", false, "also questions that are already answered")
	p.StringVar(&f.slip, "slip", "", "write the answers to this slip, to send them later")
	p.StringVar(&f.checklist, "checklist", "", "file with the checklist, for a slip without a network")
	return cmd
}

type walkFlags struct {
	rig, section, slip, checklist string
	all                           bool
}

// walker asks the questions of a review one after the other.
type walker struct {
	*session
	cmd       *cobra.Command
	list      *checklist.Checklist
	in        *bufio.Reader
	questions []question
	before    map[string]string // answers of the previous release, by criterion
	beforeOf  string            // its name
	save      keeper
	note      string // for the next answer
	last      []int  // the answered questions, for undo
	recorded  int
}

// keeper stores answers: in the service, or on a slip.
type keeper interface {
	// record stores an answer under an id and returns a message for the person.
	record(id string, q *question, a reading.Answer, note string, confirm bool) (string, error)
	// undo removes the last answer.
	undo() (string, error)
}

func (s *session) walk(cmd *cobra.Command, f *walkFlags, named string) error {
	w := &walker{session: s, cmd: cmd, in: bufio.NewReader(cmd.InOrStdin()), before: map[string]string{}}
	var err error
	if f.slip != "" {
		err = w.offline(f)
	} else {
		err = w.online(f, named)
	}
	if err != nil {
		return err
	}
	if len(w.questions) == 0 {
		w.say("There is nothing left to answer.")
		return nil
	}
	w.say(fmt.Sprintf("%s. %s", numerals.Count(len(w.questions), "question"), walkHelp))
	if err := w.each(); err != nil {
		return err
	}
	w.say(fmt.Sprintf("%s recorded.", numerals.Count(w.recorded, "answer")))
	return nil
}

func (w *walker) say(text string) {
	prose(w.cmd.OutOrStdout(), text, widthOf(w.cmd.OutOrStdout()))
}

// offline prepares to write a slip.
func (w *walker) offline(f *walkFlags) error {
	if f.checklist == "" {
		return wrongUsage(
			"--slip needs --checklist FILE, written by dtally checklist export: the service is not " +
				"contacted",
		)
	}
	list, err := readChecklist(w.cmd, f.checklist)
	if err != nil {
		return err
	}
	w.list = list
	w.questions, err = questionsOf(list, f, nil)
	w.save = &slipKeeper{file: f.slip}
	return err
}

// online prepares to record in the service.
func (w *walker) online(f *walkFlags, named string) error {
	c, err := w.connect()
	if err != nil {
		return err
	}
	r, b, err := w.atReview(w.cmd, c, named)
	if err != nil {
		return err
	}
	f.rig = cmp.Or(f.rig, b.Rig)
	list, err := w.fetchChecklist(w.cmd, c, r.Value.Checklist)
	if err != nil {
		return err
	}
	w.list = &list.Value
	desk, err := c.ListReadings(w.cmd.Context(), r.Value.Id)
	if err != nil {
		return err
	}
	who, err := c.WhoAmI(w.cmd.Context())
	if err != nil {
		return err
	}
	answered := func(q *question) bool {
		return slices.ContainsFunc(desk.Value.Readings, func(x reading.Reading) bool {
			return x.Criterion == q.Key && (x.Reviewer == who.Value.Person.Name || q.Kind != checklist.Grade) &&
				(q.rig == "" || x.Rig == q.rig) &&
				x.Disturbance == ""
		})
	}
	if f.all {
		answered = nil
	}
	if w.questions, err = questionsOf(&list.Value, f, answered); err != nil {
		return err
	}
	if beside, err := c.ShowBeside(w.cmd.Context(), r.Value.Id); err == nil &&
		beside.Value.Edition != "" {
		w.beforeOf = beside.Value.Name.Release
		for i := range beside.Value.Readings {
			if x := &beside.Value.Readings[i]; x.Answer.Grade == nil &&
				x.Disturbance == "" { // an old grade must not influence the new one
				w.before[x.Criterion+" "+x.Rig] = answerText(&x.Answer)
			}
		}
	}
	w.save = &serviceKeeper{w: w, client: c, review: r.Value.Id, edition: r.Value.Edition, bearings: b}
	return nil
}

// questionsOf lists what to ask, in the checklist's order.
func questionsOf(list *checklist.Checklist, f *walkFlags, answered func(*question) bool) ([]question, error) {
	var all []question
	known := false
	for i := range list.Sections {
		sec := &list.Sections[i]
		if f.section != "" && sec.Key != f.section {
			continue
		}
		known = true
		for j := range sec.Criteria {
			q := question{Criterion: &sec.Criteria[j], section: title(sec.Title, sec.Key)}
			if onRig(q.Criterion) {
				q.rig = f.rig
			}
			if answered == nil || !answered(&q) {
				all = append(all, q)
			}
		}
	}
	if !known {
		return nil, fmt.Errorf("%w: checklist %s has no section %q", errNotFound, list.Name(), f.section)
	}
	if f.rig == "" && slices.ContainsFunc(all, func(q question) bool { return onRig(q.Criterion) }) {
		return nil, wrongUsage("some criteria need a rig: name it with --rig")
	}
	return all, nil
}

// each asks one question after the other until the last, or until the input ends.
func (w *walker) each() error {
	for i := 0; i < len(w.questions); {
		q := &w.questions[i]
		fmt.Fprintln(w.cmd.OutOrStdout())
		fmt.Fprintf(w.cmd.OutOrStdout(), "%d of %d · ", i+1, len(w.questions))
		q.ask(w.cmd.OutOrStdout(), widthOf(w.cmd.OutOrStdout()))
		if had := w.before[q.Key+" "+q.rig]; had != "" {
			w.say(fmt.Sprintf("  %s had %s %s", w.beforeOf, had, q.Unit))
		}
		next, err := w.one(i)
		if errors.Is(err, io.EOF) || errors.Is(err, prompt.ErrLeft) {
			fmt.Fprintln(w.cmd.OutOrStdout())
			return nil
		}
		if err != nil {
			return err
		}
		i = next
	}
	return nil
}

// one reads lines until the question is answered or skipped, and returns the index of the next question.
func (w *walker) one(i int) (next int, err error) {
	q := &w.questions[i]
	for {
		line, err := w.line("> ")
		if err != nil {
			return i, err
		}
		var a reading.Answer
		command, rest, _ := strings.Cut(line, " ")
		rest = strings.TrimSpace(rest)
		switch command {
		case "":
			return i + 1, nil
		case ":b":
			return max(i-1, 0), nil
		case ":q":
			return i, io.EOF
		case ":?", "?":
			w.say(walkHelp)
			continue
		case ":m":
			w.note = rest
			w.say("  Saved for the next answer.")
			continue
		case ":u":
			says, err := w.save.undo()
			if err != nil {
				w.say("  " + err.Error())
				continue
			}
			w.say("  Taken back: " + says)
			if n := len(w.last); n > 0 {
				back := w.last[n-1]
				w.last, w.recorded = w.last[:n-1], w.recorded-1
				return back, nil
			}
			continue
		case ":n", ":a":
			if rest == "" {
				w.say("  Give a reason, such as: " + command + " no printer at hand")
				continue
			}
			a = reading.Answer{NotTested: rest}
			if command == ":a" {
				a = reading.Answer{NotApplicable: rest}
			}
		default:
			if strings.HasPrefix(command, ":") {
				w.say("  There is no command " + command + "; :? lists the commands.")
				continue
			}
			if a, err = q.answer(line); err != nil {
				w.say("  " + err.Error() + ". Answer: " + q.allowed())
				continue
			}
		}
		kept, err := w.record(q, a)
		if err != nil {
			return i, err
		}
		if kept {
			w.last = append(w.last, i)
			return i + 1, nil
		}
	}
}

// record stores an answer; kept is false if it was refused and must be given again.
func (w *walker) record(q *question, a reading.Answer) (kept bool, err error) {
	x := &reading.Reading{
		ID:        uuid.Must(uuid.NewV7()).String(),
		Reviewer:  "me",
		Criterion: q.Key,
		Context:   q.Context,
		Answer:    a,
	}
	var wrong, odd fault.Book
	reading.Validate(x, w.list, &wrong)
	reading.ValidatePlausible(x, w.list, true, &wrong)
	if faults := wrong.List(); len(faults) > 0 {
		w.say("  " + faults[0].Detail + ". Answer: " + q.allowed())
		return false, nil
	}
	note, confirm := w.note, false
	reading.ValidatePlausible(x, w.list, false, &odd)
	if faults := odd.List(); len(faults) > 0 {
		w.say("  " + faults[0].Detail + ".")
		why, err := w.line("  Why it is correct (empty: it is not): ")
		if err != nil || why == "" {
			return false, err
		}
		note, confirm = strings.TrimPrefix(note+"; "+why, "; "), true
	}
	says, err := w.save.record(x.ID, q, a, note, confirm)
	var no *client.Refusal
	switch {
	case errors.As(err, &no):
		w.say("  " + err.Error())
		return false, nil
	case errors.Is(err, client.ErrUnreachable):
		return w.moveToSlip(err, func() (string, error) { return w.save.record(x.ID, q, a, note, confirm) })
	case err != nil:
		return false, err
	}
	return w.kept(says), nil
}

func (w *walker) kept(says string) bool {
	w.say("  " + says)
	w.note = ""
	w.recorded++
	return true
}

// moveToSlip continues with a slip if the service is out of reach, starting with the answer that was not confirmed.
// It keeps its id, so that it is not doubled if it arrived after all.
func (w *walker) moveToSlip(why error, again func() (string, error)) (bool, error) {
	online, ok := w.save.(*serviceKeeper)
	if !ok {
		return false, why
	}
	file := strings.ReplaceAll(online.edition, "/", "-") + ".slip"
	w.say("  The service cannot be reached. This answer and the next ones can go to a slip, to be sent " +
		"later.")
	reply, err := w.line("  Write to " + file + "? [y/N] ")
	if err != nil || !strings.EqualFold(strings.TrimSpace(reply), "y") {
		return false, cmp.Or(err, why)
	}
	w.save = &slipKeeper{file: file, review: online.review, edition: online.edition}
	says, err := again()
	if err != nil {
		return false, err
	}
	return w.kept(says), nil
}

func (w *walker) line(question string) (string, error) {
	fmt.Fprint(w.cmd.OutOrStdout(), question)
	line, err := prompt.Line(w.cmd.Context(), w.in)
	return strings.TrimSpace(line), err
}

// serviceKeeper records in a review.
type serviceKeeper struct {
	w               *walker
	client          *client.Client
	review, edition string
	bearings        bearings
}

func (k *serviceKeeper) record(id string, q *question, a reading.Answer, note string, confirm bool) (string, error) {
	x := contract.NewReading{
		Criterion: q.Key,
		Rig:       q.rig,
		System:    k.bearings.System,
		Context:   q.Context,
		Answer:    a,
		Note:      note,
		Confirm:   confirm,
	}
	done, err := k.client.Record(k.w.cmd.Context(), k.review, id, x)
	if err != nil {
		return "", err
	}
	says := "Recorded: " + answerText(&a)
	if v := done.Value.Value; v != nil {
		says = "Recorded: " + numerals.Value(v) + " " + q.Unit
	}
	if p := pointsText(done.Value.Points); p != "" {
		says += ", " + p
	}
	if done.Value.Scatter.TooFew {
		says += fmt.Sprintf("; %s of the %d expected", numerals.Count(done.Value.Scatter.Runs, "run"), q.Runs.Expect)
	}
	if done.Value.Scatter.Unsteady {
		says += "; the runs scatter, measure again"
	}
	return says + ".", nil
}

func (k *serviceKeeper) undo() (string, error) {
	done, err := k.client.Undo(k.w.cmd.Context(), k.review, contract.Undo{})
	return done.Value.Says, err
}

// slipKeeper writes to a slip.
type slipKeeper struct{ file, review, edition string }

func (k *slipKeeper) record(id string, q *question, a reading.Answer, note string, confirm bool) (string, error) {
	r := newReading(time.Now())
	r.ID = id
	r.Criterion, r.Rig, r.Note, r.Confirm = q.Key, q.rig, note, confirm
	r.Answer, r.NotTested, r.NotApplicable = slip.Words(&a), a.NotTested, a.NotApplicable
	if err := slip.Append(k.file, &slip.Slip{Review: k.review, Edition: k.edition, Readings: []slip.Reading{r}}); err != nil {
		return "", err
	}
	return fmt.Sprintf("Written to %s: %s.", k.file, answerText(&a)), nil
}

func (k *slipKeeper) undo() (string, error) {
	return "", fmt.Errorf("an answer on a slip is corrected in the file %s", k.file)
}
