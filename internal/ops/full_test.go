package ops_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"dappertally/internal/demo"
	"dappertally/internal/imports"
	"dappertally/internal/intake"
	"dappertally/internal/ledger"
	"dappertally/internal/localdb"
	"dappertally/internal/problem"
	"dappertally/internal/service"
	"dappertally/internal/servicetest"
	"dappertally/internal/smalldisk"
	"dappertally/internal/store"
)

// TestDiskOfTheDatabaseFillsUp: a private database whose disk fills up ends. Writers get that reason, nothing of their
// writes stays, and the database returns by itself once there is room.
func TestDiskOfTheDatabaseFillsUp(t *testing.T) {
	const left = 24 << 20
	server, st, folder := onSmallDisk(t)
	l := ledger.New(st, slog.New(slog.DiscardHandler), time.Now)
	go l.Follow(t.Context())
	filler := fill(t, server, folder, left)
	if err := l.RoomFor(left); !problem.IsKind(err, problem.Full) {
		t.Errorf("before it is tried: %v", err)
	}
	write := func(rows int) error {
		_, err := st.Write(t.Context(), "", time.Now(), func(tx *store.Tx) error {
			for range rows {
				if _, err := tx.ExecContext(t.Context(),
					`INSERT INTO writes (id, number, sort, subject, answer) VALUES (?, 0, '', 'filling', ?)`,
					store.NewID()[:32], make([]byte, 1<<20)); err != nil {
					return errors.Join(store.ErrUnavailable, err) // as the store's own statements report it
				}
			}
			return nil
		})
		return err
	}
	if err := write(200); !errors.Is(err, store.ErrFull) {
		t.Errorf("while the disk fills up: %v", err)
	}
	_, err := l.Latest(t.Context())
	if err != nil && !problem.IsKind(err, problem.Full) && !problem.IsKind(err, problem.Away) {
		t.Errorf("while it is full: %v", err)
	}
	if err := os.Remove(filler); err != nil {
		t.Fatal(err)
	}
	began := time.Now()
	for err = write(1); err != nil && time.Since(began) < time.Minute; err = write(1) {
		time.Sleep(100 * time.Millisecond)
	}
	t.Logf("written again after %v", time.Since(began).Round(time.Millisecond))
	if err != nil {
		t.Fatalf("with room again: %v", err)
	}
	db, err := sql.Open("mysql", server.DSN(localdb.Schema))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var n int
	if err := db.QueryRow(`SELECT COUNT(*) FROM writes WHERE subject = 'filling'`).Scan(&n); err != nil || n != 1 {
		t.Errorf("%d rows are there, %v; one was written", n, err)
	}
}

// onSmallDisk starts a private database on a small disk of its own, and restarts it when it ends.
func onSmallDisk(t *testing.T) (server *localdb.Server, st *store.Store, folder string) {
	t.Helper()
	const disk = 400 << 20
	folder = smalldisk.Mount(t, disk)
	server, err := localdb.Start(t.Context(), filepath.Join(folder, "db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(server.Stop)
	if st, err = store.Open(server.DSN(localdb.Schema)); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { st.Close() })
	st.Room = server.Room
	if _, err := st.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	keeping, stop := context.WithCancel(t.Context())
	kept := make(chan error, 1)
	go func() { kept <- server.Keep(keeping, slog.New(slog.DiscardHandler)) }()
	t.Cleanup(func() {
		stop()
		if err := <-kept; err != nil {
			t.Error(err)
		}
	})
	return server, st, folder
}

// fill leaves that many bytes free on the disk, and returns the file that takes the rest.
func fill(t *testing.T, server *localdb.Server, folder string, left uint64) (filler string) {
	t.Helper()
	free, _ := server.Room()
	filler = filepath.Join(folder, "filler")
	if err := os.WriteFile(filler, make([]byte, free-left), 0o600); err != nil {
		t.Fatal(err)
	}
	return filler
}

// TestImportOnAFullDisk: an import for which the disk has no room leaves nothing visible, and later nothing at all;
// with room again, the same import succeeds.
func TestImportOnAFullDisk(t *testing.T) {
	server, st, folder := onSmallDisk(t)
	s := service.New(st, slog.New(slog.DiscardHandler), demo.Clock)
	go s.Follow(t.Context())
	if _, err := demo.Load(t.Context(), s); err != nil {
		t.Fatal(err)
	}
	ines := servicetest.Person(t, s, "ines")
	var text strings.Builder
	text.WriteString("edition,criterion,rig,at,answer,note\n")
	const rows = 60_000
	for i := range rows {
		fmt.Fprintf(&text, "quaymark/22.1/latchwork,browser-start,bench-old,%s,4.5,%s\n",
			demo.Day.Add(-time.Duration(i)*time.Minute).Format(time.RFC3339), strings.Repeat("long ", 100))
	}
	m := imports.Own("csv")
	file, err := imports.Open(strings.NewReader(text.String()), &m)
	if err != nil {
		t.Fatal(err)
	}
	drafts, err := file.All(rows, nil)
	if err != nil {
		t.Fatal(err)
	}
	bring := func() (intake.Imported, error) {
		return s.Intake.ImportReadings(t.Context(), ines, drafts, false,
			intake.Watch{Rows: "refused", Row: func(*intake.Outcome) {}, Progress: func(string, int, int) {}})
	}
	seen := func() int {
		all, err := s.Intake.AllReadings(t.Context(), ines, intake.Which{Edition: "quaymark/22.1/latchwork"})
		if err != nil {
			t.Fatal(err)
		}
		return len(all)
	}
	before := seen()
	filler := fill(t, server, folder, 24<<20)
	if _, err := bring(); !problem.IsKind(err, problem.Full) {
		t.Errorf("on a disk that fills up: %v", err)
	}
	if err := os.Remove(filler); err != nil {
		t.Fatal(err)
	}
	for end := time.Now().Add(time.Minute); st.Look(t.Context()) != nil && time.Now().Before(end); {
		time.Sleep(100 * time.Millisecond)
	}
	if n := seen(); n != before {
		t.Errorf("%d readings of an import that failed are seen", n-before)
	}
	db, err := sql.Open("mysql", server.DSN(localdb.Schema))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec(`UPDATE pending_imports SET alive = alive - INTERVAL 61 SECOND`); err != nil {
		t.Fatal(err)
	}
	if err := st.DropAbandoned(t.Context()); err != nil {
		t.Fatal(err)
	}
	var left int
	if err := db.QueryRow(`SELECT COUNT(*) FROM readings WHERE import_id <> 0`).Scan(&left); err != nil || left != 0 {
		t.Errorf("%d rows of it are left, %v", left, err)
	}
	if done, err := bring(); err != nil || done.New != rows || seen()-before != rows {
		t.Errorf("with room again: %+v, %v", done, err)
	}
}
