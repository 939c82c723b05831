// Package ops runs the service: its settings, its start and stop, the demo, and the commands of an administrator on
// the machine.
package ops

import (
	"errors"
	"fmt"
	"log/slog"
	"net/netip"
	"net/url"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/spf13/viper"

	"dappertally/internal/programs"
	"dappertally/internal/signon"
	"dappertally/internal/store"
)

// Settings are the settings of the service: by flag, by environment (DTALLY_ and the name in capitals), or by a YAML
// file, in this order of precedence.
type Settings struct {
	Listen      string
	Database    string
	Data        string
	Team        string
	LogLevel    slog.Level
	JSONLog     bool
	Certificate string
	Key         string
	Redirect    string
	Metrics     string
	Trusted     []netip.Prefix
	Public      bool
	AuditDays   int
	BackupDays  int
	Traces      *url.URL // nil: nowhere
	TracesShare float64
	Frames      []string
	Address     string
	Providers   []*signon.Provider
	NoPasswords bool
	MailServer  string
	MailFrom    string
	MailUser    string
	MailSecret  string

	Warnings []string // what the log should report

	sources, texts map[string]string // by name
}

// setting is one of them, with its name.
type setting struct {
	name, standard, help string
	secret               bool
}

var all = []setting{
	{"listen", "127.0.0.1:8310", "address and port to listen on", false},
	{"database", "", "address of the database: USER:PASSWORD@tcp(HOST:PORT)/SCHEMA; for a cluster, HOST:PORT of " +
		"each node, separated by commas", true},
	{"data", "", "folder of a private database that the service runs itself, instead of database",
		false},
	{"database-password", "", "the password of the database, separate from its address", true},
	{"database-password-file", "", "a file with only that password", false},
	{"team", "", "name of the team, instead of the one in its settings", false},
	{"log-level", "info", "debug, info, warn or error", false},
	{"log-format", "text", "text or json", false},
	{"certificate", "", "file with the TLS certificate chain", false},
	{"key", "", "file with the certificate's key", false},
	{"redirect", "", "address and port where plain HTTP is redirected to HTTPS, such as 0.0.0.0:80; empty: none", false},
	{"metrics", "", "address and port for /metrics, best on loopback; empty: none", false},
	{
		"traces",
		"",
		"address that takes traces of requests (OpenTelemetry, OTLP over HTTP), such as http://127.0.0.1:4318; " +
			"empty: none are sent",
		false,
	},
	{"traces-share", "1", "share of the requests that are traced, from 0 to 1", false},
	{"trusted-proxies", "",
		"addresses or networks of trusted proxies in front, such as 10.0.0.0/8; their headers are " +
			"believed", false},
	{"audit-days", "0", "days to keep entries of the audit trail; 0: forever", false},
	{"backup-days", "7", "maximum age of the newest backup in days before the service warns; 0: never warn", false},
	{"public", "true", "false: only people with an account can read", false},
	{"frames", "",
		"origins of pages that can embed a ranking or a scorecard, such as https://example.org, or *", false},
	{"address", "", "public address of this service, such as https://bench.example.org; used in mails and web " +
		"hooks",
		false},
	{"single-sign-on", "", "YAML file with sign-in providers (OpenID Connect); empty: none", false},
	{"password-sign-in", "true", "false: nobody can sign in with a password", false},
	{
		"clients",
		"",
		"folder with the client for machines under review (make clients); empty: the client of this " +
			"program",
		false,
	},
	{"mail-server", "", "host and port of a mail server (SMTP) for notices; empty: no mail", false},
	{"mail-from", "", "sender address of mails", false},
	{"mail-user", "", "account at the mail server, if it needs one", false},
	{"mail-password", "", "password of that account", true},
}

func addSettings(cmd *cobra.Command) {
	for _, s := range all {
		cmd.Flags().String(s.name, s.standard, s.help)
	}
	cmd.Flags().String("config", "", "YAML file with settings")
}

func loadSettings(flags *pflag.FlagSet) (*Settings, error) {
	v := viper.New()
	v.SetEnvPrefix("DTALLY")
	v.SetEnvKeyReplacer(strings.NewReplacer("-", "_"))
	v.AutomaticEnv()
	if err := v.BindPFlags(flags); err != nil {
		return nil, err
	}
	s := &Settings{sources: map[string]string{}, texts: map[string]string{}}
	if file := v.GetString("config"); file != "" {
		if err := s.read(v, file); err != nil {
			return nil, err
		}
	}
	for _, x := range all {
		s.sources[x.name], s.texts[x.name] = source(v, flags, x.name), v.GetString(x.name)
	}
	s.Listen, s.Team, s.Data = s.texts["listen"], s.texts["team"], s.texts["data"]
	s.Certificate, s.Key = s.texts["certificate"], s.texts["key"]
	s.Redirect, s.Metrics = s.texts["redirect"], s.texts["metrics"]
	if err := s.LogLevel.UnmarshalText([]byte(s.texts["log-level"])); err != nil {
		return nil, fmt.Errorf("log-level (from %s) must be debug, info, warn or error, not %q",
			s.sources["log-level"], s.texts["log-level"])
	}
	switch text := s.texts["log-format"]; text {
	case "text", "json":
		s.JSONLog = text == "json"
	default:
		return nil, fmt.Errorf("log-format (from %s) must be text or json, not %q", s.sources["log-format"], text)
	}
	for name, days := range map[string]*int{"audit-days": &s.AuditDays, "backup-days": &s.BackupDays} {
		n, err := strconv.Atoi(s.texts[name])
		if err != nil || n < 0 {
			return nil, fmt.Errorf(
				"%s (from %s) must be a number of days, not %q",
				name,
				s.sources[name],
				s.texts[name],
			)
		}
		*days = n
	}
	switch text := s.texts["public"]; text {
	case "true", "false":
		s.Public = text == "true"
	default:
		return nil, fmt.Errorf("public (from %s) must be true or false, not %q", s.sources["public"], text)
	}
	if err := errors.Join(s.outside(v), s.tracing()); err != nil {
		return nil, err
	}
	if err := s.signingIn(); err != nil {
		return nil, err
	}
	if (s.Certificate == "") != (s.Key == "") {
		return nil, fmt.Errorf("certificate and key go together; set both or neither")
	}
	if s.Redirect != "" && !s.overTLS() {
		return nil, fmt.Errorf(
			"redirect needs HTTPS: set certificate and key, or an address that starts with https",
		)
	}
	return s, s.database()
}

// signingIn reads how people can sign in.
func (s *Settings) signingIn() (err error) {
	if file := s.texts["single-sign-on"]; file != "" {
		if s.Providers, err = signon.Read(file); err != nil {
			return err
		}
		s.guarded(file, "secrets of providers")
	}
	switch text := s.texts["password-sign-in"]; {
	case text != "true" && text != "false":
		return fmt.Errorf(
			"password-sign-in (from %s) must be true or false, not %q",
			s.sources["password-sign-in"],
			text,
		)
	case text == "false" && len(s.Providers) == 0:
		return errors.New(
			"password-sign-in is false and single-sign-on has no provider, so nobody could sign in",
		)
	default:
		s.NoPasswords = text == "false"
	}
	return nil
}

// overTLS reports whether the service is reached over TLS.
func (s *Settings) overTLS() bool {
	return s.Certificate != "" || strings.HasPrefix(s.Address, "https:")
}

// read reads a settings file.
func (s *Settings) read(v *viper.Viper, file string) error {
	v.SetConfigFile(file)
	if err := v.ReadInConfig(); err != nil {
		return fmt.Errorf("the settings file %s cannot be read: %w", file, err)
	}
	for _, key := range v.AllKeys() {
		switch {
		case !v.InConfig(key) || known(key):
		case key == "proxied":
			return fmt.Errorf("the settings file %s has proxied, which is no longer a setting; set trusted-proxies to the "+
				"address of the proxy, and address to the public address of the service", file)
		default:
			return fmt.Errorf(
				"the settings file %s has an unknown setting %q; dtallyd settings lists all settings", file, key,
			)
		}
	}
	for _, x := range all {
		if x.secret && v.InConfig(x.name) {
			s.guarded(file, x.name)
		}
	}
	return nil
}

// guarded warns of a file with a secret that others on this machine can read.
func (s *Settings) guarded(file, what string) {
	if info, err := os.Stat(file); err == nil && info.Mode().Perm()&0o007 != 0 {
		s.Warnings = append(s.Warnings,
			fmt.Sprintf("%s has %s and can be read by every user of this machine; run chmod o-rwx %s", file, what, file))
	}
}

// database combines the address of the database with a separately given password.
func (s *Settings) database() error {
	s.Database = s.texts["database"]
	password := s.texts["database-password"]
	if s.Data != "" && s.Database != "" {
		return fmt.Errorf("data (from %s) and database (from %s) are both set; a private database needs no address",
			s.sources["data"], s.sources["database"])
	}
	if file := s.texts["database-password-file"]; file != "" {
		if password != "" {
			return fmt.Errorf("set database-password or database-password-file, not both")
		}
		text, err := os.ReadFile(file)
		if err != nil {
			return fmt.Errorf("database-password-file: %w", err)
		}
		s.guarded(file, "the database's password")
		if password = strings.TrimRight(string(text), "\r\n"); password == "" {
			return fmt.Errorf("database-password-file: %s is empty", file)
		}
	}
	if password == "" {
		return nil
	}
	at, err := store.ParseAddress(s.Database)
	if err != nil {
		return fmt.Errorf("database (from %s) takes USER@tcp(HOST:PORT)/SCHEMA: %w", s.sources["database"], err)
	}
	if at.HasPassword() {
		return fmt.Errorf(
			"the address of the database already has a password; remove one of the two",
		)
	}
	at.WithPassword(password)
	s.Database = at.String()
	return nil
}

// outside reads the public side of the service: its address, mails, and who can embed its pages.
func (s *Settings) outside(v *viper.Viper) error {
	s.Address, s.MailServer = strings.TrimSuffix(v.GetString("address"), "/"), v.GetString("mail-server")
	s.MailFrom, s.MailUser, s.MailSecret = v.GetString(
		"mail-from",
	), v.GetString(
		"mail-user",
	), v.GetString(
		"mail-password",
	)
	if s.Address != "" && !isWeb(s.Address) {
		return fmt.Errorf(
			"address (from %s) takes an address such as https://bench.example.org, not %q",
			s.sources["address"],
			s.Address,
		)
	}
	if s.MailServer != "" && (s.MailFrom == "" || s.Address == "") {
		return fmt.Errorf("mail-server also needs mail-from and address")
	}
	for _, text := range listed(v.GetString("frames")) {
		at, _ := url.Parse(text)
		if text != "*" && (!isWeb(text) || strings.Trim(at.Path, "/") != "" || strings.ContainsAny(text, "';")) {
			return fmt.Errorf(
				"frames (from %s) takes origins such as https://example.org, or *, not %q", s.sources["frames"], text,
			)
		}
		s.Frames = append(s.Frames, strings.TrimSuffix(text, "/"))
	}
	return s.proxies(v.GetString("trusted-proxies"))
}

// listed splits a list that is separated by commas or spaces.
func listed(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' })
}

func (s *Settings) proxies(text string) error {
	for _, x := range listed(text) {
		network, err := netip.ParsePrefix(x)
		if at, one := netip.ParseAddr(x); one == nil {
			network, err = at.Prefix(at.BitLen())
		}
		if err != nil {
			return fmt.Errorf(
				"trusted-proxies (from %s) takes addresses or networks such as 127.0.0.1 or 10.0.0.0/8, not %q",
				s.sources["trusted-proxies"],
				x,
			)
		}
		s.Trusted = append(s.Trusted, network.Masked())
	}
	return nil
}

// isWeb reports whether a text is a complete web address.
func isWeb(text string) bool {
	at, err := url.Parse(text)
	return err == nil && at.Host != "" && (at.Scheme == "https" || at.Scheme == "http")
}

func known(key string) bool {
	for _, s := range all {
		if s.name == key {
			return true
		}
	}
	return false
}

func source(v *viper.Viper, flags *pflag.FlagSet, name string) string {
	_, inEnvironment := os.LookupEnv("DTALLY_" + strings.ToUpper(strings.ReplaceAll(name, "-", "_")))
	switch {
	case flags.Changed(name):
		return "flag"
	case inEnvironment:
		return "environment"
	case v.InConfig(name):
		return "file"
	}
	return "default"
}

func settingsCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "settings",
		Short:   "Print all settings and the source of each",
		Example: "  dtallyd settings\n  DTALLY_LISTEN=127.0.0.1:9000 dtallyd settings --config /etc/dtally.yaml",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			s, err := loadSettings(cmd.Flags())
			if err != nil {
				return err
			}
			for _, x := range all {
				value := s.texts[x.name]
				if x.secret && value != "" {
					value = "(set, not shown)"
				}
				fmt.Fprintf(cmd.OutOrStdout(), "%-22s %-28s %s\n", x.name, value, s.sources[x.name])
			}
			return nil
		},
	}
	addSettings(cmd)
	return cmd
}

// programs returns the folder of the clients for download.
func (s *Settings) programs() *programs.Folder {
	if folder := s.texts["clients"]; folder != "" {
		return &programs.Folder{Path: folder}
	}
	return programs.Beside()
}
