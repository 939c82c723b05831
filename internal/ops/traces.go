package ops

import (
	"context"
	"fmt"
	"log/slog"
	"net/url"
	"strconv"
	"strings"
	"time"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/propagation"
	"go.opentelemetry.io/otel/sdk/resource"
	"go.opentelemetry.io/otel/sdk/trace"

	"dappertally/internal/build"
)

// tracesPath is the default path of an OTLP receiver over HTTP.
const tracesPath = "/v1/traces"

// lastTraces is the time limit for sending the last traces when the service stops.
const lastTraces = 5 * time.Second

// startTraces starts sending traces of requests to a receiver. end sends the rest. A receiver that is away delays
// nobody: traces that cannot be sent are lost, and the log says so.
func startTraces(ctx context.Context, s *Settings, instance string, log *slog.Logger) (end func(), err error) {
	to := *s.Traces
	if strings.Trim(to.Path, "/") == "" {
		to.Path = tracesPath
	}
	exporter, err := otlptracehttp.New(ctx, otlptracehttp.WithEndpointURL(to.String()))
	if err != nil {
		return nil, fmt.Errorf("traces: %w", err)
	}
	provider := trace.NewTracerProvider(
		trace.WithBatcher(exporter),
		// By the trace's id, so that a trace is sent completely or not at all, whatever the caller asks for.
		trace.WithSampler(trace.TraceIDRatioBased(s.TracesShare)),
		trace.WithResource(resource.NewSchemaless(
			attribute.String("service.name", "dtallyd"),
			attribute.String("service.version", build.Version()),
			attribute.String("service.instance.id", instance),
		)),
	)
	otel.SetErrorHandler(otel.ErrorHandlerFunc(func(err error) { log.Warn("traces were not sent", "error", err) }))
	otel.SetTextMapPropagator(propagation.TraceContext{})
	otel.SetTracerProvider(provider)
	return func() {
		ending, cancel := context.WithTimeout(context.WithoutCancel(ctx), lastTraces)
		defer cancel()
		if err := provider.Shutdown(ending); err != nil {
			log.Warn("the last traces were not sent", "error", err)
		}
	}, nil
}

// tracing reads where traces go, and what share of them.
func (s *Settings) tracing() error {
	if text := s.texts["traces"]; text != "" {
		to, err := url.Parse(text)
		if err != nil || !isWeb(text) {
			return fmt.Errorf("traces (from %s) must be an address such as http://127.0.0.1:4318, not %q",
				s.sources["traces"], text)
		}
		s.Traces = to
	}
	text := s.texts["traces-share"]
	share, err := strconv.ParseFloat(text, 64)
	if err != nil || !(share >= 0 && share <= 1) { // also refuses NaN
		return fmt.Errorf("traces-share (from %s) must be a number from 0 to 1, not %q", s.sources["traces-share"], text)
	}
	s.TracesShare = share
	return nil
}
