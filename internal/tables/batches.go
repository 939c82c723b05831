package tables

import "sync/atomic"

// How many rows are passed on at once, and how many such batches there are.
const (
	rowsAtOnce = 256
	batches    = 4
)

// apart iterates over the rows of a table like each, on another goroutine while the next rows are made.
func (t *Table) apart(visit func(row []any) error) error {
	full, free := make(chan [][]any, batches), make(chan [][]any, batches)
	for range batches {
		free <- make([][]any, 0, rowsAtOnce)
	}
	var failed atomic.Pointer[error]
	done := make(chan struct{})
	go func() {
		defer close(done)
		for batch := range full {
			for _, row := range batch {
				if failed.Load() != nil {
					break
				}
				if err := visit(row); err != nil {
					failed.Store(&err)
				}
			}
			free <- batch
		}
	}()
	batch := <-free
	err := t.each(func(row []any) error {
		if n := len(batch); cap(batch) > n && cap(batch[:n+1][n]) >= len(row) { // one of before
			batch = batch[:n+1]
			batch[n] = append(batch[n][:0], row...)
		} else {
			batch = append(batch, append([]any(nil), row...))
		}
		if len(batch) < rowsAtOnce {
			return nil
		}
		full <- batch
		batch = (<-free)[:0]
		if err := failed.Load(); err != nil {
			return *err
		}
		return nil
	})
	full <- batch
	close(full)
	<-done
	if f := failed.Load(); f != nil {
		return *f
	}
	return err
}
