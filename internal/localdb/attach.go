package localdb

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Holds reports whether a folder holds a private database, or one is being created there.
func Holds(dir string) bool {
	_, err := os.Stat(filepath.Join(dir, secretsFile))
	return err == nil || locked(dir)
}

// Use returns the server of a folder: the one that another process runs, or one that Start starts, which must be
// stopped. If the folder holds no database, it fails and creates none.
func Use(ctx context.Context, dir string) (*Server, error) {
	top, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	if !Holds(top) {
		return nil, fmt.Errorf("%s has no Dapper Tally database; dtallyd serve --data %s creates one", top, dir)
	}
	if !locked(top) {
		return Start(ctx, dir)
	}
	s := &Server{folder: folder{top: top, own: filepath.Join(top, serverFolder)}}
	if err := s.attach(ctx); err != nil {
		return nil, err
	}
	return s, nil
}

// attachTime is how long a server that another process is starting can take to answer.
const attachTime = 60 * time.Second

// attach determines how to reach the server that another process runs, and waits until it answers.
func (s *Server) attach(ctx context.Context) error {
	limited, cancel := context.WithTimeout(ctx, attachTime)
	defer cancel()
	for {
		err := s.reach(limited)
		if err == nil {
			return nil
		}
		if !locked(s.folder.top) {
			return errors.Join(fmt.Errorf("the database in %s has just ended; try again", s.folder.top), err)
		}
		select {
		case <-limited.Done():
			return fmt.Errorf("the database in %s does not answer: %w", s.folder.top, err)
		case <-time.After(50 * time.Millisecond):
		}
	}
}

func (s *Server) reach(ctx context.Context) error {
	found, err := s.secrets.read(&s.folder)
	if err != nil {
		return err
	}
	if !found {
		return errors.New("it is being created")
	}
	where, err := os.ReadFile(filepath.Join(s.folder.top, socketFile))
	if err != nil {
		return err
	}
	s.folder.away = strings.TrimSpace(string(where))
	connector, err := mysql.NewConnector(s.config(Schema))
	if err != nil {
		return err
	}
	conn, err := connector.Connect(ctx)
	if err != nil {
		return err
	}
	return conn.Close()
}

// Attached reports whether another process runs the server.
func (s *Server) Attached() bool { return s.running() == nil }
