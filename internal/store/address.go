package store

import (
	"fmt"
	"net"
	"regexp"
	"strings"

	"github.com/go-sql-driver/mysql"
)

// Address is the location of the database and the credentials: one server, or the nodes of a cluster.
type Address struct {
	hosts []string // HOST:PORT or a socket's path, in order of preference
	cfg   *mysql.Config
}

// several matches a list of hosts, which the driver does not support.
var several = regexp.MustCompile(`@tcp\(([^()]*,[^()]*)\)`)

// ParseAddress parses USER:PASSWORD@tcp(HOST:PORT)/SCHEMA, with any number of hosts separated by commas, and whatever
// else the driver accepts.
func ParseAddress(text string) (*Address, error) {
	a := &Address{}
	one := text
	if at := several.FindStringSubmatchIndex(text); at != nil {
		for host := range strings.SplitSeq(text[at[2]:at[3]], ",") {
			if host = strings.TrimSpace(host); host == "" {
				return nil, fmt.Errorf("the database's address is malformed: there is an empty host between commas")
			}
			if _, _, err := net.SplitHostPort(host); err != nil {
				host = net.JoinHostPort(host, "3306")
			}
			a.hosts = append(a.hosts, host)
		}
		one = text[:at[2]] + a.hosts[0] + text[at[3]:]
	}
	var err error
	if a.cfg, err = mysql.ParseDSN(one); err != nil {
		return nil, fmt.Errorf("the database's address is malformed: %w", err)
	}
	if a.hosts == nil {
		a.hosts = []string{a.cfg.Addr}
	}
	return a, nil
}

// HasPassword reports whether the address holds a password.
func (a *Address) HasPassword() bool { return a.cfg.Passwd != "" }

// WithPassword sets the password of the address.
func (a *Address) WithPassword(password string) { a.cfg.Passwd = password }

// String returns the address in the form that ParseAddress reads, including the password.
func (a *Address) String() string {
	one := a.cfg.FormatDSN()
	if len(a.hosts) == 1 {
		return one
	}
	return strings.Replace(one, "("+a.hosts[0]+")", "("+strings.Join(a.hosts, ",")+")", 1)
}
