package signon

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"dappertally/core/checklist"
	"dappertally/internal/access"
)

// Config is how a provider is asked, and what its answers mean here.
type Config struct {
	Key        string              `yaml:"key"`   // part of addresses: https://…/sign-on/KEY/back
	Title      string              `yaml:"title"` // label of the button
	Issuer     string              `yaml:"issuer"`
	ClientID   string              `yaml:"client-id"`
	SecretFile string              `yaml:"client-secret-file"`
	Secret     string              `yaml:"client-secret"`
	Scopes     []string            `yaml:"scopes"`      // in addition to openid
	RolesClaim string              `yaml:"roles-claim"` // empty: roles are only set here
	Roles      map[string][]string `yaml:"roles"`       // by a value of that claim
	Accounts   string              `yaml:"accounts"`    // make or link

	secret string
}

// What happens when somebody signs in for the first time.
const (
	Make = "make" // they get an account
	Link = "link" // they sign in as before, and link their existing account
)

// mostFile is the largest file of providers.
const mostFile = 1 << 20

// Read reads the file of the providers with which people sign in.
func Read(file string) ([]*Provider, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("single-sign-on: %w", err)
	}
	if len(text) > mostFile {
		return nil, fmt.Errorf("single-sign-on: %s is larger than 1 MiB", file)
	}
	var document struct {
		Providers []Config `yaml:"providers"`
	}
	d := yaml.NewDecoder(bytes.NewReader(text))
	d.KnownFields(true)
	if err := d.Decode(&document); err != nil && !errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("single-sign-on: %s: %w", file, err)
	}
	if len(document.Providers) == 0 {
		return nil, fmt.Errorf("single-sign-on: %s lists no providers", file)
	}
	all := make([]*Provider, len(document.Providers))
	for i, c := range document.Providers {
		if err := c.validate(); err != nil {
			return nil, fmt.Errorf("single-sign-on: %s: provider %d (%s): %w", file, i+1, c.Key, err)
		}
		if slices.ContainsFunc(all[:i], func(p *Provider) bool { return p.Key == c.Key }) {
			return nil, fmt.Errorf("single-sign-on: %s: provider %s is listed twice", file, c.Key)
		}
		all[i] = &Provider{Config: c, http: http.Client{Timeout: patience}}
	}
	return all, nil
}

// validate reports the first fault of a provider.
func (c *Config) validate() error {
	issuer, err := url.Parse(c.Issuer)
	switch {
	case !checklist.ValidKey(c.Key):
		return errors.New("key must be a key, such as house")
	case strings.TrimSpace(c.Title) == "":
		return errors.New("title must say what stands on the button")
	case err != nil || issuer.Host == "" || issuer.Scheme != "https" && !loopback(issuer):
		return fmt.Errorf("issuer must be an address that begins with https, not %q", c.Issuer)
	case c.ClientID == "":
		return errors.New("client-id is missing: the provider gives it when the service is registered there")
	case c.Secret != "" && c.SecretFile != "":
		return errors.New("set client-secret or client-secret-file, not both")
	case c.Accounts != Make && c.Accounts != Link:
		return fmt.Errorf("accounts must be make or link, not %q", c.Accounts)
	case (c.RolesClaim == "") != (len(c.Roles) == 0):
		return errors.New("roles-claim and roles go together; set both or neither")
	}
	for value, roles := range c.Roles {
		for _, r := range roles {
			if !slices.Contains(access.Roles, r) {
				return fmt.Errorf("roles: %s has %q, which is no role: there are %s", value, r, strings.Join(access.Roles, ", "))
			}
		}
	}
	return c.readSecret()
}

func (c *Config) readSecret() error {
	c.secret = c.Secret
	if c.SecretFile == "" {
		return nil
	}
	text, err := os.ReadFile(c.SecretFile)
	if err != nil {
		return fmt.Errorf("client-secret-file: %w", err)
	}
	if c.secret = strings.TrimRight(string(text), "\r\n"); c.secret == "" {
		return fmt.Errorf("client-secret-file: %s is empty", c.SecretFile)
	}
	return nil
}

// loopback reports whether an address leads only to this machine, where nobody can intercept it.
func loopback(at *url.URL) bool {
	ip := net.ParseIP(at.Hostname())
	return at.Hostname() == "localhost" || ip != nil && ip.IsLoopback()
}
