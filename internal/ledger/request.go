package ledger

import (
	"context"
	"log/slog"
)

type requestKey struct{}

// WithRequest sets the id of the request that is answered under ctx, for the log.
func WithRequest(ctx context.Context, id string) context.Context {
	return context.WithValue(ctx, requestKey{}, id)
}

// Traced is a handler of log records that adds the request of their context.
func Traced(h slog.Handler) slog.Handler { return traced{h} }

type traced struct{ slog.Handler }

func (t traced) Handle(ctx context.Context, r slog.Record) error {
	if id, ok := ctx.Value(requestKey{}).(string); ok {
		r.AddAttrs(slog.String("request", id))
	}
	return t.Handler.Handle(ctx, r)
}

func (t traced) WithAttrs(attrs []slog.Attr) slog.Handler { return traced{t.Handler.WithAttrs(attrs)} }

func (t traced) WithGroup(name string) slog.Handler { return traced{t.Handler.WithGroup(name)} }
