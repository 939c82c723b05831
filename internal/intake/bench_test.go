package intake_test

import (
	"bytes"
	"encoding/json"
	"log/slog"
	"testing"
	"time"

	"dappertally/core/bundle"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/dbtest"
	"dappertally/internal/demo"
	"dappertally/internal/imports"
	"dappertally/internal/intake"
	"dappertally/internal/ledger"
	"dappertally/internal/service"
	"dappertally/internal/store"
)

// BenchmarkImport imports a hundred thousand readings from CSV and from a bundle, writes the same rows with plain SQL
// in the same run, and reports the ratios.
func BenchmarkImport(b *testing.B) {
	const rows = 100_000
	text := manyRows(rows)
	for range b.N {
		byHand := timed(b, func(s *service.Service, st *store.Store, ines *access.Actor) time.Duration {
			prepared := byHandRows(b, s, st, ines, text)
			start := time.Now()
			if _, err := st.Write(b.Context(), ines.ID, demo.Day, func(tx *store.Tx) error { return tx.AddReadings(prepared) }); err != nil {
				b.Fatal(err)
			}
			return time.Since(start)
		})
		quiet := intake.Watch{Row: func(*intake.Outcome) {}, Progress: func(string, int, int) {}}
		csv := timed(b, func(s *service.Service, _ *store.Store, ines *access.Actor) time.Duration {
			start := time.Now()
			done, err := s.Intake.ImportReadings(b.Context(), ines, drafts(b, imports.Own("csv"), text), false, quiet)
			if err != nil || !done.Written {
				b.Fatal(err, done)
			}
			return time.Since(start)
		})
		whole := timed(b, func(s *service.Service, st *store.Store, ines *access.Actor) time.Duration {
			lead := &access.Actor{ID: ines.ID, Name: ines.Name, Roles: []access.Role{access.Lead}}
			from := bundled(b, s, lead)
			for i := range from.Reviews {
				if from.Reviews[i].Edition == quaymark {
					for _, row := range byHandRows(b, s, st, ines, text) {
						from.Reviews[i].Readings = append(from.Reviews[i].Readings, *row.Reading)
					}
				}
			}
			var file bytes.Buffer
			if err := bundle.Write(&file, from); err != nil {
				b.Fatal(err)
			}
			start := time.Now()
			parsed, err := bundle.Parse(&file, intake.LargestImport)
			if err != nil {
				b.Fatal(err)
			}
			done, err := s.Intake.ImportBundle(b.Context(), lead, parsed, false, quiet)
			if err != nil || !done.Written {
				b.Fatal(err, done)
			}
			return time.Since(start)
		})
		b.ReportMetric(rows/byHand.Seconds(), "by-hand/s")
		b.ReportMetric(rows/csv.Seconds(), "csv/s")
		b.ReportMetric(byHand.Seconds()/csv.Seconds(), "csv-ratio")
		b.ReportMetric(byHand.Seconds()/whole.Seconds(), "bundle-ratio")
	}
	b.ReportMetric(0, "ns/op")
}

// timed calls do with a service of its own that has the demo's records.
func timed(b *testing.B, do func(*service.Service, *store.Store, *access.Actor) time.Duration) time.Duration {
	b.Helper()
	st := dbtest.Open(b)
	s := service.New(st, slog.New(slog.DiscardHandler), func() time.Time { return demo.Day })
	go s.Follow(b.Context())
	if _, err := demo.Load(b.Context(), s); err != nil {
		b.Fatal(err)
	}
	ines, err := s.People.ActorNamed(b.Context(), "ines")
	if err != nil {
		b.Fatal(err)
	}
	return do(s, st, ines)
}

// byHandRows are the rows of a table as they are written to the database.
func byHandRows(b *testing.B, s *service.Service, st *store.Store, ines *access.Actor, text string) []store.ReadingRow {
	b.Helper()
	state, err := s.State(b.Context(), 0)
	if err != nil {
		b.Fatal(err)
	}
	reviews, err := s.Reviewing.All(b.Context())
	if err != nil {
		b.Fatal(err)
	}
	var rows []store.ReadingRow
	for _, r := range reviews {
		if r.Edition != quaymark {
			continue
		}
		for _, d := range drafts(b, imports.Own("csv"), text) {
			var run float64
			if err := json.Unmarshal([]byte(d.Answer), &run); err != nil {
				b.Fatal(err)
			}
			x := &reading.Reading{
				ID:        ledger.NewID(),
				Criterion: d.Criterion,
				Reviewer:  "ines",
				Rig:       d.Rig,
				At:        d.At,
				Answer:    reading.Answer{Runs: []float64{run}},
				Received:  &demo.Day,
			}
			x.Context.Method, x.Context.Setup, x.Context.Phase = "stopwatch", "default", "updated"
			rows = append(
				rows,
				store.ReadingRow{
					Reading:  x,
					Review:   r.ID,
					Version:  state.Checklists.Versions[r.Checklist].ID,
					Reviewer: ines.ID,
					Rig:      state.Catalogue.RigVersions[d.Rig].ID,
					Received: demo.Day,
				},
			)
		}
		break
	}
	return rows
}
