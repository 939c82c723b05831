package cli

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// Messages say what is wrong, where and what to do.
func TestMessages(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	t.Setenv("DTALLY_SERVER", "")
	empty := filepath.Join(t.TempDir(), "empty.yaml")
	if err := os.WriteFile(empty, []byte("\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	nameless := filepath.Join(t.TempDir(), "nameless.yaml")
	if err := os.WriteFile(nameless, []byte("form: csv\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		args string
		code int
		says string
	}{
		{"record temperature -5", WrongUsage, "-5 looks like a flag: write -- before negative numbers, as in dtally record … -- -5"},
		{"record temperature -5,5 --rig bench-old", WrongUsage, "write -- before negative numbers"},
		{"rank --server 127.0.0.1:8310", WrongUsage, "write http:// or https:// before it"},
		{"rank --server localhost:8310", WrongUsage, "write http:// or https:// before it"},
		{"rank --server ftp://127.0.0.1", WrongUsage, "write http:// or https:// before it"},
		{"rank extra", WrongUsage, "the command takes no argument and got 1"},
		{"record", WrongUsage, "the command takes at least 1 argument and got none"},
		{"login a b", WrongUsage, "the command takes 0 to 1 argument and got 2"},
		{"compare a", WrongUsage, "the command takes 2 to 12 arguments and got 1"},
		{"mapping edit " + empty, WrongUsage, "is empty: a mapping needs at least a name"},
		{"mapping add " + nameless, WrongUsage, "name is missing"},
		{"export ranking --at yesterday", WrongUsage, "--at \"yesterday\" is not a time such as 2026-06-01"},
		{"rank --unknown", WrongUsage, "unknown flag: --unknown"},
	} {
		cmd := Command()
		cmd.SetArgs(strings.Fields(c.args))
		var out bytes.Buffer
		cmd.SetOut(&out)
		cmd.SetErr(&out)
		err := cmd.Execute()
		if err == nil {
			err = errors.New("it ended well")
		}
		if code := Code(err); code != c.code || !strings.Contains(err.Error(), c.says) {
			t.Errorf("dtally %s: exit %d, %v; want %d and %q", c.args, code, err, c.code, c.says)
		}
	}
}
