// Package replica keeps a copy of a service's records elsewhere while it runs, and restores it. The copy is a log
// of the database's changes with snapshots of the whole now and then, so what is sent grows with what changes. It
// holds the database only; baked layers are baked again where it is restored.
//
// The log is kept by the package litestream, in its file format. Where it is kept is a Target.
package replica

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync/atomic"
	"time"

	"github.com/benbjohnson/litestream"
)

// How the log is kept short. Changes of a minute, and of an hour, are put together into one file. A snapshot is made
// once a day. What came before the oldest snapshot that is kept is deleted, so states of a day less than snapshotsKept
// can be restored.
const (
	shortLevel    = time.Minute
	longLevel     = time.Hour
	singleKept    = 10 * time.Minute // single changes, once they are put together
	snapshotEvery = 24 * time.Hour
	snapshotsKept = 4 * 24 * time.Hour
)

// How long the keeper waits: for its last copy when the service stops, and for the database to be free.
const (
	lastCopyAtMost = time.Minute
	freeAtMost     = 5 * time.Second
)

// Keeper copies what changes in a database.
type Keeper struct {
	Database string // file of the database, which is in WAL mode
	Work     string // folder for the keeper's own state; each target has its own
	To       Target
	Every    time.Duration // between copies of what changed
	Log      *slog.Logger
	failed   bool
	copied   atomic.Int64 // when everything was copied, in Unix nanoseconds
}

// Copied is when all that was acknowledged then was known to be copied; the zero time if never.
func (k *Keeper) Copied() time.Time {
	if at := k.copied.Load(); at != 0 {
		return time.Unix(0, at)
	}
	return time.Time{}
}

// Run copies until the context ends, and once more then.
func (k *Keeper) Run(ctx context.Context) error {
	db := litestream.NewDB(k.Database)
	db.SetMetaPath(k.Work)
	db.MonitorInterval = 0 // Run calls it
	db.BusyTimeout = freeAtMost
	db.Replica = litestream.NewReplicaWithClient(db, k.To)
	db.Replica.MonitorEnabled = false
	kept := litestream.NewStore([]*litestream.DB{db}, litestream.CompactionLevels{{Level: 0}, {Level: 1, Interval: shortLevel}, {Level: 2, Interval: longLevel}})
	kept.Logger = onlyFaults(k.Log)
	db.SetLogger(kept.Logger)
	kept.SnapshotInterval, kept.SnapshotRetention = snapshotEvery, snapshotsKept
	kept.SetL0Retention(singleKept)
	kept.SetShutdownSyncTimeout(0) // one attempt
	if err := db.Open(); err != nil {
		return fmt.Errorf("the copy of the records at %s: %w", k.To, err)
	}
	for shortens := false; ctx.Err() == nil; {
		err := k.once(ctx, db)
		if err == nil && !shortens {
			err = kept.Open(context.WithoutCancel(ctx)) // there is something to shorten now
			shortens = err == nil
		}
		if ctx.Err() == nil {
			k.tell(err)
		}
		select {
		case <-ctx.Done():
		case <-time.After(k.Every):
		}
	}
	last, stop := context.WithTimeout(context.Background(), lastCopyAtMost)
	defer stop()
	k.tell(errors.Join(k.once(last, db), kept.Close(last)))
	return nil
}

// once copies what changed since the last time. Where the keeper's own state is damaged, or the target no longer has
// what came before, it begins again with a snapshot.
func (k *Keeper) once(ctx context.Context, db *litestream.DB) error {
	began := time.Now()
	err := db.SyncAndWait(ctx)
	var own *litestream.LTXError
	if errors.As(err, &own) && own.IsAutoRecoverable() {
		if err = db.ResetLocalState(ctx); err == nil {
			err = db.SyncAndWait(ctx)
		}
	}
	if err == nil {
		k.copied.Store(began.UnixNano())
	}
	return err
}

// tell logs a first failure and the end of it.
func (k *Keeper) tell(err error) {
	switch {
	case err != nil && !k.failed:
		k.Log.Error("the records were not copied; it is tried again", "to", k.To.String(), "error", err)
	case err == nil && k.failed:
		k.Log.Info("the records are copied again", "to", k.To.String())
	}
	k.failed = err != nil
}

// ErrNone says that no copy is there.
var ErrNone = errors.New("no copy of records is there")

// Restore writes the database to a file that does not exist yet: its newest state, or the one of a time. It tells when
// that state was copied.
func Restore(ctx context.Context, from Target, at time.Time, file string) (state time.Time, err error) {
	copied := litestream.NewReplicaWithClient(nil, from)
	first, last, err := copied.TimeBounds(ctx)
	switch {
	case err != nil:
		return state, fmt.Errorf("%s: %w", from, err)
	case first.IsZero():
		return state, fmt.Errorf("%s: %w", from, ErrNone)
	case !at.IsZero() && !first.Before(at):
		return state, fmt.Errorf("%s has states from %s to %s; %s is before", from, first.Format(time.RFC3339), last.Format(time.RFC3339), at.Format(time.RFC3339))
	}
	plan, err := litestream.CalcRestorePlan(ctx, from, 0, at, slog.New(slog.DiscardHandler))
	if err == nil {
		options := litestream.NewRestoreOptions()
		options.OutputPath, options.TXID = file, plan[len(plan)-1].MaxTXID // also if more is copied meanwhile
		err = copied.Restore(ctx, options)
	}
	if err != nil {
		return state, fmt.Errorf("%s cannot be restored: %w", from, err)
	}
	return plan[len(plan)-1].CreatedAt, nil
}

// onlyFaults is a logger that leaves out what the package litestream says of its daily work.
func onlyFaults(log *slog.Logger) *slog.Logger { return slog.New(faults{log.Handler()}) }

type faults struct{ slog.Handler }

func (f faults) Enabled(ctx context.Context, level slog.Level) bool {
	return level >= slog.LevelWarn && f.Handler.Enabled(ctx, level)
}

func (f faults) WithAttrs(a []slog.Attr) slog.Handler { return faults{f.Handler.WithAttrs(a)} }
func (f faults) WithGroup(name string) slog.Handler   { return faults{f.Handler.WithGroup(name)} }
