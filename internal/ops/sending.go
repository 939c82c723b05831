package ops

import (
	"fmt"
	"net"
	"net/http"
	"strconv"

	gomail "github.com/wneessen/go-mail"

	"dappertally/internal/notices"
)

// sending returns how notices leave the service, as configured. Web hooks are sent even without a mail server.
func sending(s *Settings, address string) (*notices.Sending, error) {
	out := &notices.Sending{Address: s.Address, From: s.MailFrom, HTTP: &http.Client{
		// A redirect is not followed: only the given address is notified.
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}}
	if out.Address == "" {
		out.Address = address
	}
	if s.MailServer == "" {
		return out, nil
	}
	host, port, err := net.SplitHostPort(s.MailServer)
	if err != nil {
		return nil, fmt.Errorf("mail-server takes a host and a port, such as mail.example.org:587, not %q", s.MailServer)
	}
	number, err := strconv.Atoi(port)
	if err != nil {
		return nil, fmt.Errorf("mail-server takes a number as the port, not %q", port)
	}
	options := []gomail.Option{gomail.WithPort(number), gomail.WithTLSPolicy(gomail.TLSOpportunistic)}
	if number == 465 { // TLS from the first byte (RFC 8314)
		options = append(options, gomail.WithSSL())
	}
	if s.MailUser != "" {
		options = append(options, gomail.WithSMTPAuth(gomail.SMTPAuthAutoDiscover), gomail.WithUsername(s.MailUser),
			gomail.WithPassword(s.MailSecret), gomail.WithTLSPolicy(gomail.TLSMandatory))
	}
	if out.Mail, err = gomail.NewClient(host, options...); err != nil {
		return nil, fmt.Errorf("mail-server: %w", err)
	}
	return out, nil
}
