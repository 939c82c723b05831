package localdb

import (
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
)

// secrets are created with the folder and stored in it, readable only by its owner.
type secrets struct {
	Root    string `json:"root"`
	Service string `json:"service"`
}

func (s *secrets) read(f *folder) (found bool, err error) {
	text, err := os.ReadFile(filepath.Join(f.top, secretsFile))
	if errors.Is(err, os.ErrNotExist) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	if _, err := os.Stat(f.data()); err != nil {
		return false, fmt.Errorf("%s has passwords but no data; remove the folder to start again", f.top)
	}
	return true, json.Unmarshal(text, s)
}

func (s *secrets) make(f *folder) error {
	if s.Root == "" {
		*s = newSecrets()
	}
	text, err := json.Marshal(s)
	if err != nil {
		return err
	}
	_, err = f.keep(secretsFile, string(text))
	return err
}

func newSecrets() secrets { return secrets{Root: rand.Text(), Service: rand.Text()} }

// statements set up the two accounts that can sign in, both only by the socket and with a password: root and the
// service's. The account that owns the system views stays; it is locked.
func (s *secrets) statements() string {
	return strings.Join([]string{
		fmt.Sprintf("CREATE DATABASE IF NOT EXISTS %s CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin;", Schema),
		fmt.Sprintf(
			"DELETE FROM mysql.global_priv WHERE NOT (Host = 'localhost' AND User IN ('root', 'mariadb.sys', '%s'));",
			account,
		),
		"DELETE FROM mysql.db WHERE Host <> 'localhost' OR User = '';",
		"DELETE FROM mysql.proxies_priv WHERE Host <> 'localhost';",
		"FLUSH PRIVILEGES;",
		fmt.Sprintf("CREATE USER IF NOT EXISTS '%s'@'localhost' IDENTIFIED BY '%s';", account, s.Service),
		fmt.Sprintf("GRANT ALL ON `%s%%`.* TO '%s'@'localhost';", Schema, account),
		fmt.Sprintf("ALTER USER 'root'@'localhost' IDENTIFIED BY '%s';", s.Root),
	}, "\n") + "\n"
}
