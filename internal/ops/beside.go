package ops

import (
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strings"
)

// beside are the listeners besides the main one.
type beside struct{ servers []*http.Server }

// openBeside listens for metrics, and for HTTP that is redirected to HTTPS, as configured.
func openBeside(s *Settings, metrics http.Handler, log *slog.Logger) (*beside, error) {
	b := &beside{}
	only := http.NewServeMux()
	only.Handle("GET /metrics", metrics)
	for _, x := range []struct {
		at      string
		handler http.Handler
	}{{s.Metrics, only}, {s.Redirect, onward(s)}} {
		if x.at == "" {
			continue
		}
		listener, err := listen(x.at)
		if err != nil {
			b.close()
			return nil, err
		}
		server := &http.Server{
			Handler: x.handler, ReadHeaderTimeout: headerTime, ReadTimeout: headerTime, WriteTimeout: headerTime,
			IdleTimeout: headerTime, MaxHeaderBytes: 16 << 10, ErrorLog: slog.NewLogLogger(log.Handler(), slog.LevelWarn),
		}
		b.servers = append(b.servers, server)
		go func() {
			if err := server.Serve(listener); err != http.ErrServerClosed {
				log.Error("a listener has ended", "address", x.at, "error", err)
			}
		}()
	}
	return b, nil
}

func (b *beside) close() {
	for _, server := range b.servers {
		_ = server.Close() // nothing is stored there
	}
}

// onward redirects from HTTP to the same address over HTTPS: to the configured host if there is one, so that the host
// header cannot lead anybody elsewhere.
func onward(s *Settings) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		to := url.URL{Scheme: "https", Host: r.Host, Path: r.URL.Path, RawPath: r.URL.RawPath, RawQuery: r.URL.RawQuery}
		if at, err := url.Parse(s.Address); err == nil && strings.HasPrefix(s.Address, "https:") {
			to.Host = at.Host
		} else if host, _, err := net.SplitHostPort(r.Host); err == nil {
			to.Host = host
			if _, port, err := net.SplitHostPort(s.Listen); err == nil && port != "443" {
				to.Host = net.JoinHostPort(host, port)
			}
		}
		w.Header().Set("Connection", "close")
		http.Redirect(w, r, to.String(), http.StatusPermanentRedirect)
	})
}
