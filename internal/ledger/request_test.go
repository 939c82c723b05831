package ledger_test

import (
	"bytes"
	"context"
	"log/slog"
	"strings"
	"testing"

	"dappertally/internal/ledger"
)

// TestTraced adds the request to what is logged under its context, and to nothing else.
func TestTraced(t *testing.T) {
	var out bytes.Buffer
	log := slog.New(ledger.Traced(slog.NewTextHandler(&out, nil))).With("instance", 2).WithGroup("store")
	log.InfoContext(ledger.WithRequest(context.Background(), "r-7"), "written", "change", 5)
	log.Info("follows")
	lines := strings.Split(strings.TrimSpace(out.String()), "\n")
	if len(lines) != 2 || !strings.Contains(lines[0], "store.request=r-7") || !strings.Contains(lines[0], "store.change=5") ||
		strings.Contains(lines[1], "request") ||
		!strings.Contains(lines[1], "instance=2") {
		t.Errorf("the log says:\n%s", out.String())
	}
}
