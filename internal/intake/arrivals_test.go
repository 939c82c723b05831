package intake_test

import (
	"database/sql"
	"strings"
	"sync/atomic"
	"testing"

	"dappertally/internal/dbtest"
	"dappertally/internal/imports"
	"dappertally/internal/intake"
	"dappertally/internal/problem"
	"dappertally/internal/service"
	"dappertally/internal/servicetest"
)

// TestImportInPieces breaks off an import of more rows than one transaction writes, and interferes with it.
func TestImportInPieces(t *testing.T) {
	const rows = 12_000
	const third = 23 // an INSERT of the third transaction
	text := manyRows(rows)
	head, _, _ := strings.Cut(text, "\n")
	head += "\n"
	last := text[strings.LastIndexByte(strings.TrimSuffix(text, "\n"), '\n')+1:]
	for _, c := range []struct {
		name string
		run  func(w *pieces)
	}{
		{"line cut", func(w *pieces) {
			w.at(third, func() dbtest.Fate { return dbtest.CutBefore })
			if _, err := w.bring(w.through, text); !problem.IsKind(err, problem.Away) {
				t.Errorf("cut off: %v", err)
			}
			w.holds(0, 0)
		}},
		{"instance gone", func(w *pieces) {
			w.at(third, func() dbtest.Fate {
				w.between.Refuse(true)
				w.between.Cut()
				return dbtest.CutBefore
			})
			if _, err := w.bring(w.through, text); !problem.IsKind(err, problem.Away) {
				t.Errorf("cut off: %v", err)
			}
			w.holds(0, 10_000)
			_, err := w.bring(w.direct, text)
			if !problem.IsKind(err, problem.Conflict) || !strings.Contains(err.Error(), "was interrupted") {
				t.Errorf("at once again: %v", err)
			}
			w.holds(0, 10_000)
			w.exec(`UPDATE pending_imports SET alive = alive - INTERVAL 61 SECOND`)
			if done, err := w.bring(w.direct, text); err != nil || done.New != rows {
				t.Errorf("a minute later: %+v, %v", done, err)
			}
			w.holds(rows, rows)
		}},
		{"somebody records there", func(w *pieces) {
			w.at(third, func() dbtest.Fate {
				if done, err := w.bring(w.direct, head+last); err != nil || done.New != 1 {
					t.Errorf("one row meanwhile: %+v, %v", done, err)
				}
				return dbtest.Arrives
			})
			done, err := w.bring(w.through, text)
			if err != nil || done.New != rows-1 || done.Same != 1 {
				t.Errorf("%+v, %v", done, err)
			}
			w.holds(rows, rows-1)
		}},
		{"taken for abandoned", func(w *pieces) {
			w.at(third, func() dbtest.Fate {
				w.exec(`UPDATE pending_imports SET abandoned = TRUE`)
				return dbtest.Arrives
			})
			if _, err := w.bring(w.through, text); !problem.IsKind(err, problem.Slow) {
				t.Errorf("after it was given up: %v", err)
			}
			w.holds(0, 0)
		}},
	} {
		t.Run(c.name, func(t *testing.T) { c.run(newPieces(t)) })
	}
}

// pieces is a database that one service reaches through a line that breaks, and another directly.
type pieces struct {
	t               *testing.T
	db              *sql.DB
	between         *dbtest.Between
	through, direct *service.Service
	before, waited  int
}

func newPieces(t *testing.T) *pieces {
	dsn := servicetest.Filled.DSN(t)
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	between := dbtest.Through(t, dsn)
	w := &pieces{
		t: t, db: db, between: between,
		through: servicetest.On(t, between.DSN), direct: servicetest.On(t, dsn),
	}
	w.before, w.waited = w.seen(), w.waiting()
	return w
}

// at does something when the nth INSERT of readings arrives.
func (w *pieces) at(nth int32, do func() dbtest.Fate) {
	var n atomic.Int32
	w.between.Decide(func(statement string) dbtest.Fate {
		if strings.HasPrefix(statement, "INSERT INTO readings") && n.Add(1) == nth {
			return do()
		}
		return dbtest.Arrives
	})
}

func (w *pieces) bring(s *service.Service, text string) (intake.Imported, error) {
	ines := servicetest.Person(w.t, w.direct, "ines")
	return s.Intake.ImportReadings(w.t.Context(), ines, drafts(w.t, imports.Own("csv"), text), false, (&heard{}).watch())
}

// seen counts the readings of the target review that the team can see.
func (w *pieces) seen() int {
	w.t.Helper()
	ines := servicetest.Person(w.t, w.direct, "ines")
	all, err := w.direct.Intake.AllReadings(w.t.Context(), ines, intake.Which{Edition: quaymark})
	if err != nil {
		w.t.Fatal(err)
	}
	return len(all)
}

// holds requires that many more readings to be seen, and that many rows that arrived in several transactions.
func (w *pieces) holds(more, inPieces int) {
	w.t.Helper()
	if got := w.seen() - w.before; got != more {
		w.t.Errorf("%d readings more are seen, want %d", got, more)
	}
	if got := w.waiting() - w.waited; got < more || got > more+1 { // the importer is disclosed once
		w.t.Errorf("%d more wait for an acceptance, want %d", got, more)
	}
	var there int
	if err := w.db.QueryRow(`SELECT COUNT(*) FROM readings WHERE import_id <> 0`).Scan(&there); err != nil {
		w.t.Fatal(err)
	}
	if there != inPieces {
		w.t.Errorf("%d rows came in pieces, want %d", there, inPieces)
	}
}

// waiting counts the readings that no acceptance contains.
func (w *pieces) waiting() (n int) {
	w.t.Helper()
	reviews, err := w.direct.Reviewing.All(w.t.Context())
	if err != nil {
		w.t.Fatal(err)
	}
	ids := make([]string, len(reviews))
	for i := range reviews {
		ids[i] = reviews[i].ID
	}
	waiting, err := w.direct.Ledger.Store.Waiting(w.t.Context(), ids)
	if err != nil {
		w.t.Fatal(err)
	}
	for _, of := range waiting {
		n += of
	}
	return n
}

func (w *pieces) exec(statement string) {
	w.t.Helper()
	if _, err := w.db.Exec(statement); err != nil {
		w.t.Fatal(err)
	}
}
