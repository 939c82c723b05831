package ops

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func settings(t *testing.T, args ...string) (string, error) {
	t.Helper()
	cmd := Command()
	var out bytes.Buffer
	cmd.SetOut(&out)
	cmd.SetErr(&out)
	cmd.SetArgs(append([]string{"settings"}, args...))
	err := cmd.Execute()
	return out.String(), err
}

func file(t *testing.T, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "dtally.yaml")
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

// line finds a setting's value and source in the output.
func line(out, name string) string {
	for l := range strings.Lines(out) {
		if f := strings.Fields(l); len(f) > 0 && f[0] == name {
			return strings.Join(f[1:], " ")
		}
	}
	return ""
}

func TestSettingsOrder(t *testing.T) {
	config := file(t, "listen: 127.0.0.1:1001\nteam: Filed\nlog-level: debug\n")
	t.Setenv("DTALLY_LISTEN", "127.0.0.1:1002")
	t.Setenv("DTALLY_TEAM", "Environed")
	out, err := settings(t, "--config", config, "--listen", "127.0.0.1:1003", "--database", "me:secret@tcp(x)/y")
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{
		"listen": "127.0.0.1:1003 flag", "team": "Environed environment", "log-level": "debug file", "trusted-proxies": "default", "public": "true default", "database": "(set, not shown) flag",
	} {
		if got := line(out, name); got != want {
			t.Errorf("%s is %q, want %q", name, got, want)
		}
	}
	if strings.Contains(out, "secret") {
		t.Error("a password is shown")
	}
}

func TestSettingsErrors(t *testing.T) {
	for _, c := range []struct {
		name, says string
		args       []string
	}{
		{"no file", "cannot be read", []string{"--config", "/nowhere.yaml"}},
		{"unknown setting", `unknown setting "lisen"`, []string{"--config", file(t, "lisen: x\n")}},
		{"level", "must be debug", []string{"--log-level", "loud"}},
		{"proxy", "addresses or networks", []string{"--trusted-proxies", "10.0.0.0/8 the-proxy"}},
		{"proxied", "trusted-proxies", []string{"--config", file(t, "proxied: true\n")}},
		{"public", "true or false", []string{"--public", "perhaps"}},
		{"half of TLS", "go together", []string{"--certificate", "x.pem"}},
	} {
		if _, err := settings(t, c.args...); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, want it to say %q", c.name, err, c.says)
		}
	}
}

func TestServeSaysWhatIsMissing(t *testing.T) {
	cmd := Command()
	cmd.SetArgs([]string{"serve"})
	if err := cmd.ExecuteContext(t.Context()); err == nil || !strings.Contains(err.Error(), "no database is set") {
		t.Errorf("serving without a database: %v", err)
	}
}

// TestLogFormat writes a JSON object in each line if wanted, and refuses unknown formats.
func TestLogFormat(t *testing.T) {
	for form, begins := range map[string]string{"text": "time=", "json": `{"time":`} {
		cmd := serveCommand()
		var said bytes.Buffer
		cmd.SetErr(&said)
		if err := cmd.Flags().Set("log-format", form); err != nil {
			t.Fatal(err)
		}
		s, err := loadSettings(cmd.Flags())
		if err != nil {
			t.Fatal(err)
		}
		newLog(cmd, s).Info("something")
		if !strings.HasPrefix(said.String(), begins) {
			t.Errorf("%s: %s", form, &said)
		}
	}
	if out, err := dtallyd("settings", "--log-format", "xml"); err == nil || !strings.Contains(err.Error(), "log-format") {
		t.Errorf("xml: %v %s", err, out)
	}
}
