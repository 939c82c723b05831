package ops

import (
	"context"
	"log/slog"
	"time"

	"dappertally/internal/store"
)

// How often the service checks the age of the newest backup, and the pause before the same warning again.
const (
	backupsEvery = time.Hour
	warnEvery    = 24 * time.Hour
)

// watchBackups logs a warning, once a day, if the newest backup is older than so many days, until ctx ends.
func watchBackups(ctx context.Context, st *store.Store, days int, log *slog.Logger) {
	if days == 0 {
		return
	}
	tick := time.NewTicker(backupsEvery)
	defer tick.Stop()
	var warned time.Time
	for {
		if time.Since(warned) > warnEvery && warnOfBackup(ctx, st, days, time.Now(), log) {
			warned = time.Now()
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// warnOfBackup logs a warning if the newest backup is older than so many days, and reports whether it did.
func warnOfBackup(ctx context.Context, st *store.Store, days int, now time.Time, log *slog.Logger) bool {
	last, err := st.LastBackup(ctx)
	old := time.Duration(days) * 24 * time.Hour
	switch {
	case err != nil: // the database is away, which is reported elsewhere
		return false
	case last.IsZero():
		log.Warn("no backup has been made yet; dtallyd backup makes one")
	case now.Sub(last) > old:
		log.Warn("the last backup is too old", "made", last.Format(time.RFC3339), "days", int(now.Sub(last).Hours()/24))
	default:
		return false
	}
	return true
}
