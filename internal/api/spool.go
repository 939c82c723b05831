package api

import (
	"bufio"
	"context"
	"errors"
	"io"
	"net/http"
	"os"
	"strconv"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"dappertally/internal/problem"
	"dappertally/internal/turns"
)

// spool is a file that is sent while it is written.
type spool struct {
	file *os.File

	mu      sync.Mutex
	size    int64 // bytes that can be read
	ended   bool
	failed  error
	changed *sync.Cond
}

const (
	// slowest is how long somebody can take to read a part of an export.
	slowest = 30 * time.Second
	// enough is how much is written before sending begins: an error before that can be reported.
	enough = 256 << 10
)

// startSpool lets write write a file, in its turn, until ctx ends. Close it.
func startSpool(ctx context.Context, write func(io.Writer) error) (*spool, error) {
	file, err := os.CreateTemp("", "dtally-export-*")
	if err != nil {
		return nil, problem.Unkept("the export", err)
	}
	if err := os.Remove(file.Name()); err != nil { // it is deleted with its last reader
		return nil, errors.Join(problem.Unkept("the export", err), file.Close())
	}
	s := &spool{file: file}
	s.changed = sync.NewCond(&s.mu)
	go func() {
		err := s.fill(ctx, write)
		s.mu.Lock()
		s.ended, s.failed = true, err
		s.mu.Unlock()
		s.changed.Broadcast()
	}()
	return s, nil
}

func (s *spool) fill(ctx context.Context, write func(io.Writer) error) (err error) {
	done, err := turns.Take(ctx)
	if err != nil {
		return err
	}
	defer done()
	defer func() {
		if x := recover(); x != nil { // this goroutine is outside the request, whose panics are caught
			err = problem.New(problem.Internal, "making the export: %v", x)
		}
	}()
	file := bufio.NewWriterSize(s, enough/4)
	err = write(file)
	if full := file.Flush(); full != nil { // whatever failed first, this is why
		err = full
	}
	var disk *os.PathError
	if errors.As(err, &disk) {
		return problem.Unkept("the export", err)
	}
	return err
}

// Write implements io.Writer.
func (s *spool) Write(b []byte) (int, error) {
	n, err := s.file.Write(b)
	s.mu.Lock()
	s.size += int64(n)
	s.mu.Unlock()
	s.changed.Broadcast()
	return n, err
}

// begun waits until there is something to send, or everything, and returns what failed until then.
func (s *spool) begun() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	for s.size < enough && !s.ended {
		s.changed.Wait()
	}
	return s.failed
}

// after waits until more than n bytes are written, and returns how many are; ended is true if nothing follows.
func (s *spool) after(sent int64) (size int64, ended bool, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for s.size == sent && !s.ended {
		s.changed.Wait()
	}
	return s.size, s.ended, s.failed
}

// send answers with the file from its beginning, as long as somebody reads.
func (s *spool) send(c *gin.Context) {
	if size, ended, _ := s.after(0); ended {
		c.Header("Content-Length", strconv.FormatInt(size, 10))
	}
	c.Writer.Header().Add("Vary", "Accept-Encoding")
	c.Status(http.StatusOK)
	control := http.NewResponseController(c.Writer)
	var sent int64
	for {
		size, ended, err := s.after(sent)
		if err == nil {
			err = control.SetWriteDeadline(time.Now().Add(slowest))
		}
		var n int64
		if err == nil {
			n, err = io.CopyN(c.Writer, io.NewSectionReader(s.file, sent, size-sent), min(size-sent, enough))
		}
		sent += n
		switch {
		case err != nil: // or nobody reads; the missing end shows that it is incomplete
			_ = c.Error(err)
			panic(http.ErrAbortHandler)
		case ended && sent == size:
			return
		case sent == n:
			c.Writer.Flush() // the first of it
		}
	}
}

// close closes the file as soon as nobody writes to it; its writer must have been told to stop.
func (s *spool) close() {
	s.mu.Lock()
	for !s.ended {
		s.changed.Wait()
	}
	s.mu.Unlock()
	_ = s.file.Close() // it is deleted already
}
