package store_test

import (
	"database/sql"
	"reflect"
	"testing"

	"dappertally/core/reading"
	"dappertally/internal/servicetest"
	"dappertally/internal/store"
)

// TestEachPinned: reading all reviews at once returns the same as reading each, for any content of a reading.
func TestEachPinned(t *testing.T) {
	dsn := servicetest.Filled.DSN(t)
	st, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { st.Close() })
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	odd := [][]any{
		{0.1 + 0.2, "moved", "a\nb\r\n\\ ' \" ☃", "loud\n", "at-least", "2026-01-02 03:04:05.000006"},
		{1e-300, "", "", "", "", nil},
		{-1e22, "1\n2", "\n", "\n\n", "about", "1999-12-31 23:59:59.999999"},
		{5e-324, "x", "{\"a\":\"\\n\"}", "", "at-most", nil},
	}
	var ids []string
	rows, err := db.Query(`SELECT id FROM readings WHERE pinned AND JSON_EXISTS(answer, '$.runs') LIMIT 4`)
	if err != nil {
		t.Fatal(err)
	}
	for rows.Next() {
		var id string
		if err := rows.Scan(&id); err != nil {
			t.Fatal(err)
		}
		ids = append(ids, id)
	}
	if len(ids) != len(odd) {
		t.Fatalf("%d readings to alter", len(ids))
	}
	for i, x := range odd {
		if _, err := db.Exec(`UPDATE readings SET adjustment = ?, adjustment_reason = ?, note = ?, disturbance = ?, bound = ?,
			received = ? WHERE id = ?`, append(x, ids[i])...); err != nil {
			t.Fatal(err)
		}
	}
	snap, err := st.ReadAt(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer snap.Close()
	reviews, err := snap.Reviews(nil)
	if err != nil {
		t.Fatal(err)
	}
	var some []string
	for i := range reviews {
		if i%3 == 0 {
			some = append(some, reviews[i].ID)
		}
	}
	for _, of := range [][]string{nil, some} {
		read := map[string][]reading.Reading{}
		if err := snap.EachPinned(of, func(review string, readings []reading.Reading) {
			if read[review] != nil {
				t.Errorf("review %s comes twice", review)
			}
			read[review] = append([]reading.Reading{}, readings...)
		}); err != nil {
			t.Fatal(err)
		}
		n := 0
		for i := range reviews {
			if of != nil && i%3 != 0 {
				continue
			}
			want, err := st.Readings(t.Context(), reviews[i].ID, true)
			if err != nil {
				t.Fatal(err)
			}
			if len(want) > 0 {
				n++
			}
			if got := read[reviews[i].ID]; len(want)+len(got) > 0 && !reflect.DeepEqual(got, want) {
				t.Errorf("review %s: %+v, want %+v", reviews[i].ID, got, want)
			}
		}
		if n != len(read) || n < 5 {
			t.Errorf("%d reviews are read, %d have readings", len(read), n)
		}
	}
}
