package intake_test

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"dappertally/core/bundle"
	"dappertally/core/catalogue"
	"dappertally/internal/access"
	"dappertally/internal/exports"
	"dappertally/internal/imports"
	"dappertally/internal/intake"
	"dappertally/internal/people"
	"dappertally/internal/problem"
	"dappertally/internal/service"
	"dappertally/internal/servicetest"
	"dappertally/internal/tables"
)

const quaymark = "quaymark/22.1/latchwork"

// heard collects the reports of an import.
type heard struct{ rows []intake.Outcome }

func (h *heard) watch() intake.Watch {
	return intake.Watch{
		Row:      func(o *intake.Outcome) { h.rows = append(h.rows, *o) },
		Progress: func(string, int, int) {},
	}
}

func drafts(t testing.TB, m imports.Mapping, text string) []imports.Draft {
	t.Helper()
	r, err := imports.Open(strings.NewReader(text), &m)
	if err != nil {
		t.Fatal(err)
	}
	all, err := r.All(intake.MostImported, nil)
	if err != nil {
		t.Fatal(err)
	}
	return all
}

func TestImportReadings(t *testing.T) {
	s, marit, ines := servicetest.Loaded(t)
	m := imports.Own("csv")
	const head = "edition,criterion,rig,at,answer,notTested,reviewer,note\n"
	const good = head +
		quaymark + ",browser-start,bench-old,2026-11-18T09:00:00Z,4.1 4.2 4.3,,,\n" +
		quaymark + ",wireless,bench-old,2026-11-18T09:05:00Z,works,,,\n" +
		quaymark + ",printing,,2026-11-18T09:06:00Z,,no printer at hand,,\n" +
		quaymark + ",archives,,,plain=worked solid=failed,,,\n" +
		quaymark + ",wireless,bench-old,2026-11-18T09:05:00Z,works,,,\n"
	before, err := s.Intake.AllReadings(t.Context(), ines, intake.Which{Edition: quaymark})
	if err != nil {
		t.Fatal(err)
	}
	count := func() int {
		t.Helper()
		all, err := s.Intake.AllReadings(t.Context(), ines, intake.Which{Edition: quaymark})
		if err != nil {
			t.Fatal(err)
		}
		return len(all) - len(before)
	}
	expect := func(who *access.Actor, text string, trial bool, want intake.Imported) []intake.Outcome {
		t.Helper()
		var h heard
		done, err := s.Intake.ImportReadings(t.Context(), who, drafts(t, m, text), trial, h.watch())
		if err != nil {
			t.Fatal(err)
		}
		done.Change = 0
		if done != want {
			t.Errorf("%+v, want %+v: %+v", done, want, h.rows)
		}
		return h.rows
	}
	expect(ines, good, true, intake.Imported{New: 4, Same: 1})
	if n := count(); n != 0 {
		t.Errorf("a trial wrote %d readings", n)
	}
	rows := expect(ines, good, false, intake.Imported{New: 4, Same: 1, Written: true})
	if rows[4].Why != "same as line 3" {
		t.Errorf("the same twice in one file: %+v", rows[4])
	}
	if n := count(); n != 4 {
		t.Errorf("%d readings arrived", n)
	}
	expect(ines, good, false, intake.Imported{Same: 5, Written: true})
	rows = expect(
		ines,
		strings.Replace(good, "4.1 4.2 4.3", "5.1 5.2 5.3", 1),
		false,
		intake.Imported{Replaces: 1, Same: 4, Written: true},
	)
	if !strings.Contains(rows[0].Why, "was") {
		t.Errorf("what is replaced is not told: %+v", rows[0])
	}

	bad := []struct{ row, column, says string }{
		{"nowhere/1/x,wireless,,,works,,,", "edition", "there is no edition"},
		{quaymark + ",colour,,,works,,,", "criterion", "has no criterion"},
		{quaymark + ",wireless,bench-gone,,works,,,", "rig", "no rig"},
		{quaymark + ",wireless,,,perhaps,,,", "answer", "works, workaround or fails"},
		{quaymark + ",browser-start,,,fast,,,", "answer", "is not a number"},
		{quaymark + ",browser-start,,,NaN,,,", "answer", "is not a number"},
		{quaymark + ",wireless,,2031-01-01T00:00:00Z,works,,,", "at", "is in the future"},
		{quaymark + ",wireless,,yesterday,works,,,", "at", "is not a time"},
		{quaymark + ",wireless,,,works,,odile,", "reviewer", "only a lead"},
		{quaymark + ",wireless,,,,,,", "answer", "there is no answer"},
		{quaymark + ",wireless,,,works,no time,,", "answer", "a reason for none"},
		{",wireless,,,works,,,", "edition", "names the edition"},
		{quaymark + ",wireless", "", "has 2 columns"},
	}
	text := good
	for _, b := range bad {
		text += b.row + "\n"
	}
	rows = expect(
		ines,
		text+quaymark+",wireless,bench-new,2026-11-18T10:00:00Z,works,,,\n",
		false,
		intake.Imported{New: 1, Same: 5, Refused: len(bad)},
	)
	if !strings.Contains(rows[0].Why, "replaced since") {
		t.Errorf("an old file is taken for a correction: %+v", rows[0])
	}
	for i, b := range bad {
		if o := rows[5+i]; o.Fate != intake.FateRefused || o.Line != 7+i || o.Column != b.column ||
			!strings.Contains(o.Why, b.says) {
			t.Errorf("%s: %+v", b.row, o)
		}
	}
	if n := count(); n != 5 {
		t.Errorf("%d readings after a file with bad rows: it is all or nothing", n)
	}

	// A lead imports measurements of somebody else.
	expect(
		marit,
		head+quaymark+",browser-start,bench-new,2026-11-18T11:00:00Z,3 3 3,,odile,\n",
		false,
		intake.Imported{New: 1, Written: true},
	)
	expect(
		marit,
		head+quaymark+",browser-start,bench-new,2026-11-18T11:00:00Z,3 3 3,,nobody,\n",
		false,
		intake.Imported{Refused: 1},
	)
	perrin, err := s.People.ActorNamed(t.Context(), "perrin")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Intake.ImportReadings(t.Context(), perrin, nil, true, (&heard{}).watch()); err == nil {
		t.Error("an administrator imports readings")
	}
}

// TestImportAtOnce imports one file several times at once: its readings are there once.
func TestImportAtOnce(t *testing.T) {
	s, _, ines := servicetest.Loaded(t)
	var text strings.Builder
	text.WriteString("edition,criterion,rig,at,answer\n")
	for i := range 200 {
		fmt.Fprintf(&text, "%s,browser-start,bench-old,2026-10-%02dT%02d:00:00Z,%d.5\n", quaymark, 1+i/24, i%24, 3+i%5)
	}
	all := drafts(t, imports.Own("csv"), text.String())
	before, err := s.Intake.AllReadings(t.Context(), ines, intake.Which{Edition: quaymark})
	if err != nil {
		t.Fatal(err)
	}
	servicetest.AtOnce(t, 5, func(int) error {
		_, err := s.Intake.ImportReadings(t.Context(), ines, all, false, (&heard{}).watch())
		return err
	}, problem.Conflict)
	after, err := s.Intake.AllReadings(t.Context(), ines, intake.Which{Edition: quaymark})
	if err != nil || len(after)-len(before) != 200 {
		t.Errorf("%d readings of 200 came in, %v", len(after)-len(before), err)
	}
}

// TestManyRows imports a hundred thousand rows, first with a bad one among them.
func TestManyRows(t *testing.T) {
	if testing.Short() {
		t.Skip("takes its time")
	}
	s, _, ines := servicetest.Loaded(t)
	const rows = 100_000
	text := manyRows(rows)
	bad := strings.Replace(text, ",77.5\n", ",77.5x\n", 1)
	var h heard
	done, err := s.Intake.ImportReadings(
		t.Context(),
		ines,
		drafts(t, imports.Own("csv"), bad),
		false,
		intake.Watch{Row: func(o *intake.Outcome) {
			if o.Fate == intake.FateRefused {
				h.rows = append(h.rows, *o)
			}
		}, Progress: func(string, int, int) {}},
	)
	if err != nil || done.Refused != 1 || done.Written || len(h.rows) != 1 || h.rows[0].Line < 2 {
		t.Fatalf("%+v, %v, %+v", done, err, h.rows)
	}
	start := time.Now()
	written := 0
	done, err = s.Intake.ImportReadings(
		t.Context(),
		ines,
		drafts(t, imports.Own("csv"), text),
		false,
		intake.Watch{Row: func(*intake.Outcome) {}, Progress: func(phase string, done, of int) {
			if phase == "written" {
				written = done
			}
		}},
	)
	if err != nil || done.New != rows || !done.Written || written != rows {
		t.Fatalf("%+v, %v, told of %d", done, err, written)
	}
	t.Logf("%d rows in %s", rows, time.Since(start))
}

func manyRows(n int) string {
	var text strings.Builder
	text.WriteString("edition,criterion,rig,at,answer\n")
	at := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	for i := range n {
		fmt.Fprintf(
			&text,
			"%s,browser-start,bench-old,%s,%d.5\n",
			quaymark,
			at.Add(time.Duration(i)*time.Minute).Format(time.RFC3339),
			3+i%90,
		)
	}
	return text.String()
}

// TestReadingsRoundTrip exports readings in every form and imports each of them unchanged.
func TestReadingsRoundTrip(t *testing.T) {
	s, marit, _ := servicetest.Loaded(t)
	all, err := s.Intake.AllReadings(t.Context(), marit, intake.Which{})
	if err != nil || len(all) < 3000 {
		t.Fatalf("%d readings, %v", len(all), err)
	}
	for _, form := range tables.Readable {
		var b bytes.Buffer
		f, _ := tables.Find(form)
		each := func(visit func(intake.ReadingOf) error) error {
			return s.Intake.EachReading(t.Context(), marit, intake.Which{}, visit)
		}
		if err := f.Write(&b, exports.Readings(each)); err != nil {
			t.Fatal(err)
		}
		var h heard
		done, err := s.Intake.ImportReadings(
			t.Context(), marit, drafts(t, imports.Own(form), b.String()), true, h.watch(),
		)
		if err != nil || done.Same != len(all) {
			t.Errorf("%s: %+v, %v", form, done, err)
			for _, o := range h.rows {
				if o.Fate != intake.FateSame {
					t.Errorf("%s: %+v", form, o)
					break
				}
			}
		}
	}
}

// TestBundleRoundTrip exports everything as a bundle, imports it into an empty service and exports the same bytes
// again.
func TestBundleRoundTrip(t *testing.T) {
	s, marit, _ := servicetest.Loaded(t)
	whole := func(s *service.Service, who *access.Actor) []byte {
		t.Helper()
		var out bytes.Buffer
		if err := s.Intake.WriteBundle(t.Context(), who, &out, nil); err != nil {
			t.Fatal(err)
		}
		return out.Bytes()
	}
	first := whole(s, marit)
	b, err := bundle.Parse(bytes.NewReader(first), intake.LargestImport)
	if err != nil {
		t.Fatal(err)
	}
	var h heard
	done, err := s.Intake.ImportBundle(t.Context(), marit, b, false, h.watch())
	if err != nil || done.New+done.Refused != 0 || done.Same < 100 {
		t.Errorf("into the service that it comes from: %+v, %v", done, err)
	}

	empty := servicetest.Empty(t)
	for _, wrong := range []access.Role{access.Reviewer, access.Administrator} {
		if _, err := empty.Intake.ImportBundle(t.Context(), &access.Actor{ID: "x", Name: "x", Roles: []access.Role{wrong}}, b, true, h.watch()); err == nil {
			t.Errorf("a %s imports a bundle", wrong)
		}
	}
	if err := empty.People.FirstPerson(t.Context(), people.Account{Name: "lead", Title: "Lead", Roles: []access.Role{access.Lead}}, "a long enough secret"); err != nil {
		t.Fatal(err)
	}
	lead, err := empty.People.ActorNamed(t.Context(), "lead")
	if err != nil {
		t.Fatal(err)
	}
	if done, err = empty.Intake.ImportBundle(t.Context(), lead, b, true, h.watch()); err != nil || done.Written ||
		done.New < 100 {
		t.Errorf("on trial: %+v, %v", done, err)
	}
	if done, err = empty.Intake.ImportBundle(t.Context(), lead, b, false, h.watch()); err != nil || !done.Written ||
		done.Refused != 0 {
		t.Fatalf("into an empty service: %+v, %v", done, err)
	}
	if second := whole(empty, lead); !bytes.Equal(first, second) {
		at := 0
		for at < min(len(first), len(second)) && first[at] == second[at] {
			at++
		}
		t.Errorf(
			"%d bytes became %d; they part at …%s… and …%s…",
			len(first),
			len(second),
			first[max(0, at-80):min(len(first), at+80)],
			second[max(0, at-80):min(len(second), at+80)],
		)
	}

	// A bundle never changes existing records; new ones are added.
	b, _ = bundle.Parse(bytes.NewReader(first), intake.LargestImport)
	b.Rigs[0].CPU = "another"
	b.Distributions[0].Releases = append(
		b.Distributions[0].Releases,
		catalogue.Release{Version: "99", Date: "2026-11-01", Editions: []catalogue.Edition{{Key: "x", Line: "x"}}},
	)
	h = heard{}
	if done, err = empty.Intake.ImportBundle(t.Context(), lead, b, false, h.watch()); err != nil || done.Written ||
		done.Refused != 1 ||
		done.New != 2 {
		t.Errorf("with another rig: %+v, %v", done, err)
	}
	b.Rigs[0].CPU = mustRig(t, empty, b.Rigs[0].Key).CPU
	if done, err = empty.Intake.ImportBundle(t.Context(), lead, b, false, h.watch()); err != nil || !done.Written ||
		done.New != 2 {
		t.Errorf("with a new release: %+v, %v", done, err)
	}
}

func mustRig(t *testing.T, s *service.Service, key string) catalogue.Rig {
	t.Helper()
	state, err := s.State(t.Context(), 0)
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range state.Catalogue.Rigs {
		if r.Key == key {
			return r
		}
	}
	t.Fatalf("no rig %s", key)
	return catalogue.Rig{}
}

// TestPublicBundle gives readers only accepted records.
func TestPublicBundle(t *testing.T) {
	s, marit, _ := servicetest.Loaded(t)
	b := bundled(t, s, &access.Actor{})
	for _, r := range b.Reviews {
		if r.Accepted == nil {
			t.Errorf("the review %s of %s is %s", r.ID, r.Edition, r.State)
		}
	}
	if team := bundled(t, s, marit); len(team.Reviews) <= len(b.Reviews) {
		t.Errorf("the team sees %d reviews, readers %d", len(team.Reviews), len(b.Reviews))
	}
}

// bundled returns the bundle that a person gets.
func bundled(t testing.TB, s *service.Service, who *access.Actor) *bundle.Bundle {
	t.Helper()
	var out bytes.Buffer
	if err := s.Intake.WriteBundle(t.Context(), who, &out, nil); err != nil {
		t.Fatal(err)
	}
	b, err := bundle.Parse(&out, int64(out.Len()))
	if err != nil {
		t.Fatalf("it is no sound bundle: %v", err)
	}
	return b
}

func TestImportSystem(t *testing.T) {
	s, _, ines := servicetest.Loaded(t)
	var h heard
	named := catalogue.NamedBy(
		catalogue.ParseOSRelease(
			"NAME=Harrowgate\nID=harrowgate\nVERSION_ID='2.0'\nID_LIKE=\"heathbase fenbase\"\n# a remark\nSUPPORT_END=2030-01-01\n",
		),
	)
	named.Desktop, named.Architecture = "Pebble Dash", "x86_64"
	done, err := s.Intake.ImportSystem(t.Context(), ines, intake.Installed{Named: named}, false, h.watch())
	if err != nil || done.Written || done.Refused != 1 || !strings.Contains(h.rows[1].Why, "date") {
		t.Errorf("without a date: %+v, %v, %+v", done, err, h.rows)
	}
	if done, err = s.Intake.ImportSystem(t.Context(), ines, intake.Installed{Named: named, Date: "2026-10-01"}, false, h.watch()); err != nil ||
		done.New != 3 ||
		!done.Written {
		t.Fatalf("%+v, %v", done, err)
	}
	state, err := s.State(t.Context(), done.Change)
	if err != nil {
		t.Fatal(err)
	}
	if e, ok := state.Edition("harrowgate/2.0/pebble-dash"); !ok || e.Architecture != "amd64" ||
		e.Desktop != "Pebble Dash" {
		t.Errorf("%+v, %v", e, ok)
	}
	if done, err = s.Intake.ImportSystem(t.Context(), ines, intake.Installed{Named: named}, false, h.watch()); err != nil ||
		done.Same != 3 ||
		done.Written {
		t.Errorf("again: %+v, %v", done, err)
	}
	var e *problem.Error
	if _, err := s.Intake.ImportSystem(t.Context(), &access.Actor{}, intake.Installed{Named: named}, true, h.watch()); !errors.As(
		err, &e,
	) ||
		e.Kind != problem.NotSignedIn {
		t.Errorf("a reader: %v", err)
	}
}
