package ops_test

import (
	"context"
	"database/sql"
	"errors"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"dappertally/internal/ledger"
	"dappertally/internal/localdb"
	"dappertally/internal/problem"
	"dappertally/internal/smalldisk"
	"dappertally/internal/store"
)

// TestDiskOfTheDatabaseFillsUp: a private database whose disk fills up ends; who wrote is told why, nothing of it
// stays, and the database comes back by itself once there is room.
func TestDiskOfTheDatabaseFillsUp(t *testing.T) {
	const disk, left = 400 << 20, 24 << 20
	folder := smalldisk.Mount(t, disk)
	server, err := localdb.Start(t.Context(), filepath.Join(folder, "db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(server.Stop)
	st, err := store.Open(server.DSN(localdb.Schema))
	if err != nil {
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
	l := ledger.New(st, slog.New(slog.DiscardHandler), time.Now)
	go l.Follow(keeping)
	free, _ := server.Room()
	filler := filepath.Join(folder, "filler")
	if err := os.WriteFile(filler, make([]byte, free-left), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := l.RoomFor(left); !problem.IsKind(err, problem.Full) {
		t.Errorf("before it is tried: %v", err)
	}
	write := func(rows int) error {
		_, err := st.Write(t.Context(), "", time.Now(), func(tx *store.Tx) error {
			for range rows {
				if _, err := tx.ExecContext(t.Context(),
					`INSERT INTO writes (id, number, sort, subject, answer) VALUES (?, 0, '', 'filling', ?)`,
					store.NewID()[:32], make([]byte, 1<<20)); err != nil {
					return errors.Join(store.ErrUnavailable, err) // as the store's own statements tell it
				}
			}
			return nil
		})
		return err
	}
	if err := write(200); !errors.Is(err, store.ErrFull) {
		t.Errorf("while the disk fills up: %v", err)
	}
	_, err = l.Latest(t.Context())
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
