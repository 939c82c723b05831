package localdb

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/go-sql-driver/mysql"
)

// versionFile stores the version of the server that last used the data.
const versionFile = "version"

// release is a server's version, as far as it determines the format of the data, such as 10.11.
type release struct{ major, minor int }

func releaseOf(version string) (r release, ok bool) {
	parts := strings.SplitN(version, ".", 3)
	if len(parts) < 2 {
		return r, false
	}
	var errs [2]error
	r.major, errs[0] = strconv.Atoi(parts[0])
	r.minor, errs[1] = strconv.Atoi(parts[1])
	return r, errs[0] == nil && errs[1] == nil
}

func (r release) before(other release) bool {
	return r.major < other.major || r.major == other.major && r.minor < other.minor
}

func (r release) String() string { return fmt.Sprintf("%d.%d", r.major, r.minor) }

// lastUsed returns the release that last used the data; not ok for new data and data of an early version of ours.
func (f *folder) lastUsed() (r release, ok bool) {
	text, err := os.ReadFile(filepath.Join(f.top, versionFile))
	if err != nil {
		return r, false
	}
	return releaseOf(strings.TrimSpace(string(text)))
}

// installed returns the release of the installed server.
func installed(ctx context.Context, program string) (release, error) {
	out, err := exec.CommandContext(ctx, program, "--no-defaults", "--version").Output()
	if err != nil {
		return release{}, fmt.Errorf("asking %s for its version: %w", program, err)
	}
	_, version, _ := strings.Cut(string(out), "Ver ")
	r, ok := releaseOf(version)
	if !ok {
		return r, fmt.Errorf("%s does not show its version: %.80q", program, out)
	}
	return r, nil
}

// fits refuses data that a newer release has used: an older one may destroy it.
func (s *Server) fits(ctx context.Context, program string) error {
	last, ok := s.folder.lastUsed()
	if !ok {
		return nil
	}
	now, err := installed(ctx, program)
	if err != nil {
		return err
	}
	if now.before(last) {
		return fmt.Errorf("the data in %s was last used by MariaDB %s, and %s is MariaDB %s; install the newer one, "+
			"or restore a backup into a new folder", s.folder.top, last, program, now)
	}
	return nil
}

// upgrade updates the server's own tables after the server was replaced by a newer release, and stores which release
// uses the data.
func (s *Server) upgrade(ctx context.Context) error {
	db, err := s.asRoot()
	if err != nil {
		return err
	}
	defer db.Close()
	var version string
	if err := db.QueryRowContext(ctx, `SELECT VERSION()`).Scan(&version); err != nil {
		return fmt.Errorf("asking the database for its version: %w", err)
	}
	now, ok := releaseOf(version)
	if !ok {
		return fmt.Errorf("the database does not show its version: %q", version)
	}
	last, known := s.folder.lastUsed()
	if known && last == now {
		return nil
	}
	if known {
		if err := s.runUpgrade(ctx); err != nil {
			return err
		}
	}
	_, err = s.folder.keep(versionFile, version)
	return err
}

// asRoot signs in to the server as its root.
func (s *Server) asRoot() (*sql.DB, error) {
	cfg := s.config("")
	cfg.User, cfg.Passwd, cfg.InterpolateParams = "root", s.secrets.Root, true
	connector, err := mysql.NewConnector(cfg)
	if err != nil {
		return nil, err
	}
	return sql.OpenDB(connector), nil
}

func (s *Server) runUpgrade(ctx context.Context) error {
	bin, err := program("mariadb-upgrade", "mysql_upgrade")
	if err != nil {
		return err
	}
	options, err := s.folder.write(
		"upgrade.cnf", fmt.Sprintf("[client]\nuser=root\npassword=%s\nsocket=%s\n", s.secrets.Root, s.folder.socket()),
	)
	if err != nil {
		return err
	}
	defer os.Remove(options)
	cmd := exec.CommandContext(ctx, bin, "--defaults-file="+options)
	s.folder.owner.run(cmd)
	cmd.Dir = s.folder.own
	if says, err := cmd.CombinedOutput(); err != nil {
		return errors.Join(fmt.Errorf("upgrading the database's own tables: %w", err),
			errors.New(strings.TrimSpace(string(says))))
	}
	return nil
}
