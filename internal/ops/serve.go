package ops

import (
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"sync"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"dappertally/internal/api"
	"dappertally/internal/ledger"
	"dappertally/internal/people"
	"dappertally/internal/service"
	"dappertally/web"
)

func serveCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Run the service",
		Long: "Run the service on a database. Its schema is upgraded first.\n\n" +
			"With --data FOLDER, the service runs its own private MariaDB in that folder, without a " +
			"network: all that a team on one machine needs. The other commands take the same --data, " +
			"also while the service runs.\n\n" +
			"With --database, it uses a database that you run. Any number of instances can use one " +
			"database. SIGINT and SIGTERM stop an instance when the current requests are finished.",
		Example: "  dtallyd serve --data /var/lib/dtally\n  dtallyd serve --database 'dtally:SECRET@tcp(127.0.0.1:3306)/" +
			"dtally'\n  dtallyd serve --config /etc/dtally.yaml --listen 0.0.0.0:8310",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			s, err := loadSettings(cmd.Flags())
			if err != nil {
				return err
			}
			return serve(cmd, s)
		},
	}
	addSettings(cmd)
	return cmd
}

// serve runs the service on the configured database, until it is told to stop.
func serve(cmd *cobra.Command, s *Settings) error {
	log := newLog(cmd, s)
	for _, warning := range s.Warnings {
		log.Warn(warning)
	}
	st, err := openToServe(cmd.Context(), s)
	if err != nil {
		return err
	}
	defer st.Close()
	applied, err := st.Migrate(cmd.Context())
	if err != nil {
		return err
	}
	log.Info("schema up to date", "applied", applied)
	svc := service.New(st.Store, log, time.Now)
	svc.Keeper = s.Team
	svc.People.Ways = people.Ways{Providers: s.Providers, NoWords: s.NoPasswords}
	return runOn(cmd.Context(), st, svc, s, log, func(address string) { log.Info("listening", "address", address) })
}

// runOn is run for a database that may be private: the service keeps it running, and ends if its data is gone.
func runOn(
	ctx context.Context, st *records, svc *service.Service, s *Settings, log *slog.Logger, ready func(address string),
) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	kept := make(chan error, 1)
	go func() {
		err := st.keep(ctx, log)
		if err != nil {
			cancel() // without its data the service is useless
		}
		kept <- err
	}()
	err := run(ctx, svc, s, log, ready)
	cancel()
	return errors.Join(err, <-kept)
}

func newLog(cmd *cobra.Command, s *Settings) *slog.Logger {
	options := &slog.HandlerOptions{Level: s.LogLevel}
	var lines slog.Handler = slog.NewTextHandler(cmd.ErrOrStderr(), options)
	if s.JSONLog {
		lines = slog.NewJSONHandler(cmd.ErrOrStderr(), options)
	}
	log := slog.New(ledger.Traced(lines))
	slog.SetDefault(log)
	return log
}

// Time limits of the parts of a request, and of the whole stop.
const (
	headerTime = 10 * time.Second
	readTime   = 60 * time.Second
	writeTime  = 120 * time.Second
	idleTime   = 120 * time.Second
	stopTime   = 20 * time.Second
	grace      = 5 * time.Second // of requests under way, at the stop
)

// run serves until ctx ends, then lets requests finish. ready is called with the address once it answers.
func run(ctx context.Context, svc *service.Service, s *Settings, log *slog.Logger, ready func(address string)) error {
	streaming, endStreams := context.WithCancel(context.WithoutCancel(ctx))
	defer endStreams()
	name, err := os.Hostname()
	if err != nil {
		name = "unknown host"
	}
	if !svc.Demo { // whose records nobody needs to keep
		svc.Monitor.BackupDays = s.BackupDays
	}
	if s.Traces != nil {
		end, err := startTraces(ctx, s, name+" "+s.Listen, log)
		if err != nil {
			return err
		}
		defer end()
	}
	handler, err := api.New(
		svc,
		api.Options{
			Console:  web.Console(),
			Log:      log,
			Secure:   s.overTLS(),
			Trusted:  s.Trusted,
			Address:  s.Address,
			Closed:   !s.Public,
			Frames:   s.Frames,
			Until:    streaming,
			Programs: s.programs(),
			Traced:   s.Traces != nil,
		},
	)
	if err != nil {
		return err
	}
	listener, err := listen(s.Listen)
	if err != nil {
		return err
	}
	svc.Monitor.Address = name + " " + listener.Addr().String()
	beside, err := openBeside(s, handler.Metrics, log)
	if err != nil {
		return errors.Join(err, listener.Close())
	}
	defer beside.close()
	following, stopFollowing := context.WithCancel(context.WithoutCancel(ctx))
	var telling sync.WaitGroup
	defer telling.Wait() // after it was told to stop
	defer stopFollowing()
	go svc.Follow(following)
	go keepSmall(following)
	scheme := "http"
	if s.Certificate != "" {
		scheme = "https"
	}
	if svc.Notices.Sending, err = sending(s, scheme+"://"+listener.Addr().String()); err != nil {
		return err
	}
	telling.Go(func() { svc.Notices.Run(following) })
	telling.Go(func() { svc.Forget(following) })
	telling.Go(func() { svc.Monitor.Run(following) })
	telling.Go(func() { svc.Audit.Keep(following, s.AuditDays) })
	if !svc.Demo {
		telling.Go(func() { watchBackups(following, svc.Store, s.BackupDays, log) })
	}
	serving, endServing := context.WithCancel(context.WithoutCancel(ctx))
	defer endServing()
	server := &http.Server{
		BaseContext: func(net.Listener) context.Context { return serving },
		Handler:     handler, ReadHeaderTimeout: headerTime, ReadTimeout: readTime, WriteTimeout: writeTime,
		IdleTimeout: idleTime,
		ErrorLog:    slog.NewLogLogger(log.Handler(), slog.LevelWarn),
	}
	server.RegisterOnShutdown(endStreams)
	served := make(chan error, 1)
	if s.Certificate != "" {
		pair, err := newPair(s.Certificate, s.Key, log)
		if err != nil {
			return errors.Join(err, listener.Close())
		}
		server.TLSConfig = &tls.Config{GetCertificate: pair.get, MinVersion: tls.VersionTLS12}
		go func() { served <- server.ServeTLS(listener, "", "") }()
	} else {
		go func() { served <- server.Serve(listener) }()
	}
	if _, err := svc.State(ctx, 0); err != nil && ctx.Err() == nil {
		log.Warn("the records are not loaded yet", "error", err)
	}
	tellSetUp(ctx, svc, log, cmp.Or(s.Address, scheme+"://"+listener.Addr().String()))
	ready(scheme + "://" + listener.Addr().String())
	select {
	case err := <-served:
		return err
	case <-ctx.Done():
	}
	log.Info("stopping: current requests can finish")
	stopping, cancel := context.WithTimeout(context.WithoutCancel(ctx), stopTime)
	defer cancel()
	defer time.AfterFunc(grace, endServing).Stop()
	if err := server.Shutdown(stopping); err != nil {
		return fmt.Errorf("some requests did not finish within %s: %w", stopTime, err)
	}
	log.Info("stopped")
	return nil
}

// tellSetUp logs how to set up a service that nobody can sign in to.
func tellSetUp(ctx context.Context, svc *service.Service, log *slog.Logger, address string) {
	awaits, err := svc.People.AwaitsSetUp(ctx)
	if err != nil || !awaits {
		return // if the database is away, the next start logs it
	}
	code, err := svc.People.SetUpCode(ctx)
	if err != nil {
		log.Warn("no set-up code could be created", "error", err)
		return
	}
	log.Warn(
		"nobody can sign in yet: set up the service in a browser, with this code, once",
		"address",
		address+"/set-up#"+code,
		"code",
		code,
	)
}

func listen(address string) (net.Listener, error) {
	l, err := net.Listen("tcp", address)
	switch {
	case errors.Is(err, syscall.EADDRINUSE):
		return nil, fmt.Errorf(
			"%s is in use by another program; stop that program, or choose another port with "+
				"--listen HOST:PORT (make demo LISTEN=HOST:PORT)",
			address,
		)
	case err != nil:
		return nil, fmt.Errorf("cannot listen on %s: %w", address, err)
	}
	return l, nil
}
