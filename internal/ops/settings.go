// Package ops runs the service: its settings, its start and stop, the demo, and
// what an administrator does at the machine.
package ops

import (
	"fmt"
	"log/slog"
	"net/netip"
	"net/url"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/spf13/viper"
)

// Settings are what the service can be told: by flag, by environment (DTALLY_ and
// the name in capitals), by a YAML file, in this order of force.
type Settings struct {
	Listen      string
	Database    string
	Team        string
	LogLevel    slog.Level
	Certificate string
	Key         string
	Trusted     []netip.Prefix
	Public      bool
	Frames      []string
	Address     string
	MailServer  string
	MailFrom    string
	MailUser    string
	MailSecret  string

	sources map[string]string
}

// setting is one of them, as it is named everywhere.
type setting struct {
	name, standard, help string
	secret               bool
}

var all = []setting{
	{"listen", "127.0.0.1:8310", "address and port to listen on", false},
	{"database", "", "address of the database: USER:PASSWORD@tcp(HOST:PORT)/SCHEMA", true},
	{"team", "Review team", "who runs this service, as readers are told", false},
	{"log-level", "info", "debug, info, warn or error", false},
	{"certificate", "", "file with the TLS certificate chain", false},
	{"key", "", "file with the certificate's key", false},
	{"trusted-proxies", "",
		"addresses or networks of proxies in front, whose word on who asks and how is believed, such as 10.0.0.0/8", false},
	{"public", "true", "false where only people with an account may read", false},
	{"frames", "",
		"origins whose pages may show a ranking or a scorecard in a frame, such as https://example.org, or *", false},
	{"address", "", "how people reach this service, such as https://bench.example.org; mails and web hooks name it",
		false},
	{"mail-server", "", "host and port of a mail server (SMTP) for notices; empty: no mails", false},
	{"mail-from", "", "the address that mails come from", false},
	{"mail-user", "", "the account at the mail server, where it wants one", false},
	{"mail-password", "", "its password", true},
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
	if file := v.GetString("config"); file != "" {
		v.SetConfigFile(file)
		if err := v.ReadInConfig(); err != nil {
			return nil, fmt.Errorf("the settings file %s cannot be read: %w", file, err)
		}
		for _, key := range v.AllKeys() {
			if v.InConfig(key) && key == "proxied" {
				return nil, fmt.Errorf("the settings file %s has proxied, which is no setting any more; "+
					"set trusted-proxies to the address of the proxy, and address to how people reach the service", file)
			}
			if v.InConfig(key) && !known(key) {
				return nil, fmt.Errorf(
					"the settings file %s has an unknown setting %q; dtallyd settings lists those there are", file, key,
				)
			}
		}
	}
	s := &Settings{
		Listen: v.GetString("listen"), Database: v.GetString("database"), Team: v.GetString("team"),
		Certificate: v.GetString("certificate"), Key: v.GetString("key"), sources: map[string]string{},
	}
	for _, x := range all {
		s.sources[x.name] = source(v, flags, x.name)
	}
	if err := s.LogLevel.UnmarshalText([]byte(v.GetString("log-level"))); err != nil {
		return nil, fmt.Errorf(
			"log-level (from %s) must be debug, info, warn or error, not %q",
			s.sources["log-level"],
			v.GetString("log-level"),
		)
	}
	for name, into := range map[string]*bool{"public": &s.Public} {
		switch text := v.GetString(name); text {
		case "true", "false":
			*into = text == "true"
		default:
			return nil, fmt.Errorf("%s (from %s) must be true or false, not %q", name, s.sources[name], text)
		}
	}
	if err := s.outside(v); err != nil {
		return nil, err
	}
	if (s.Certificate == "") != (s.Key == "") {
		return nil, fmt.Errorf("certificate and key go together; set both or neither")
	}
	return s, nil
}

// outside reads how the service is seen from outside: its address, mails, and whose pages may frame it.
func (s *Settings) outside(v *viper.Viper) error {
	s.Address, s.MailServer = strings.TrimSuffix(v.GetString("address"), "/"), v.GetString("mail-server")
	s.MailFrom, s.MailUser, s.MailSecret = v.GetString("mail-from"), v.GetString("mail-user"), v.GetString("mail-password")
	if s.Address != "" && !isWeb(s.Address) {
		return fmt.Errorf(
			"address (from %s) takes an address such as https://bench.example.org, not %q", s.sources["address"], s.Address,
		)
	}
	if s.MailServer != "" && (s.MailFrom == "" || s.Address == "") {
		return fmt.Errorf("mail-server needs mail-from and address too, for what mails say")
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

// listed takes a list apart that is written with commas or spaces.
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
			return fmt.Errorf("trusted-proxies (from %s) takes addresses or networks such as 127.0.0.1 or 10.0.0.0/8, not %q",
				s.sources["trusted-proxies"], x)
		}
		s.Trusted = append(s.Trusted, network.Masked())
	}
	return nil
}

// isWeb reports whether a text is a whole address of the web.
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

func written(networks []netip.Prefix) string {
	names := make([]string, len(networks))
	for i, n := range networks {
		names[i] = n.String()
	}
	return strings.Join(names, " ")
}

func settingsCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "settings",
		Short:   "Print the settings in force and where each came from",
		Example: "  dtallyd settings\n  DTALLY_LISTEN=127.0.0.1:9000 dtallyd settings --config /etc/dtally.yaml",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			s, err := loadSettings(cmd.Flags())
			if err != nil {
				return err
			}
			values := map[string]string{
				"listen": s.Listen, "database": s.Database, "team": s.Team, "log-level": strings.ToLower(s.LogLevel.String()),
				"certificate": s.Certificate, "key": s.Key, "trusted-proxies": written(s.Trusted), "public": fmt.Sprint(s.Public),
				"frames": strings.Join(s.Frames, " "), "address": s.Address, "mail-server": s.MailServer, "mail-from": s.MailFrom,
				"mail-user": s.MailUser, "mail-password": s.MailSecret,
			}
			for _, x := range all {
				value := values[x.name]
				if x.secret && value != "" {
					value = "(set, not shown)"
				}
				fmt.Fprintf(cmd.OutOrStdout(), "%-15s %-28s %s\n", x.name, value, s.sources[x.name])
			}
			return nil
		},
	}
	addSettings(cmd)
	return cmd
}
