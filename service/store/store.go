// Package store keeps the records: people, levels and their revisions, bakes,
// presets. It is the only place that talks to the database, and the place where
// rights are judged: every function that reads or changes something of somebody's
// takes the asker.
package store

import (
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/libtnb/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"grotta/api"
	"grotta/service/disk"
	"grotta/service/keyed"
	"grotta/service/rights"
)

// Errors that callers tell apart. Not-found is also the answer where the asker
// may not know that a thing exists.
var (
	ErrNotFound  = rights.ErrNotFound
	ErrForbidden = rights.ErrForbidden
	ErrTaken     = errors.New("taken")
	ErrQuota     = errors.New("over the quota")
)

// Asker is who wants something.
type Asker = rights.Asker

// Quota bounds what one person may keep. 0 does not bind.
type Quota struct {
	Levels int   // that they own
	Bytes  int64 // of the documents of those
	Bakes  int   // that are not over, started by them
}

// Store is an open database.
type Store struct {
	Quota Quota // set before use

	OnPreset func(api.PresetInfo) // set before use; hears of versions that were saved

	dir     string
	db      *gorm.DB
	write   sync.Mutex  // SQLite has one writer; queue here, not in busy loops
	editing keyed.Locks // one edit of a level at a time
	docs    *documents
}

// readers is how many connections read at once, beside the one that writes.
const readers = 8

// OpenExisting is Open for a folder that has a database already; the error says so
// where it has none.
func OpenExisting(dir string) (*Store, error) {
	if _, err := os.Stat(filepath.Join(dir, "grotta.db")); err != nil {
		return nil, fmt.Errorf("there is no data of Grotta in the folder %s; name another one with --data", dir)
	}
	return Open(dir)
}

// Open opens or makes the database in a folder, checks it and brings it up to
// date.
func Open(dir string) (*Store, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	path := filepath.Join(dir, "grotta.db")
	dsn := "file:" + path + "?_pragma=journal_mode(WAL)&_pragma=foreign_keys(1)&_pragma=busy_timeout(5000)&_pragma=synchronous(FULL)&_txlock=immediate"
	db, err := gorm.Open(sqlite.Open(dsn), &gorm.Config{
		Logger:         logger.Discard,
		TranslateError: true,
		NowFunc:        func() time.Time { return time.Now().UTC() },
	})
	if err != nil {
		return nil, fmt.Errorf("open %s: %w", path, err)
	}
	var verdict string
	if err := db.Raw("PRAGMA quick_check").Scan(&verdict).Error; err != nil {
		return nil, fmt.Errorf("the database %s cannot be read: %w", path, err)
	}
	if verdict != "ok" {
		return nil, fmt.Errorf("the database %s is damaged (%s); restore a backup with \"grotta restore\"", path, verdict)
	}
	if err := migrate(db); err != nil {
		return nil, fmt.Errorf("migrate %s: %w", path, err)
	}
	raw, err := db.DB()
	if err != nil {
		return nil, err
	}
	raw.SetMaxOpenConns(readers + 1)
	raw.SetMaxIdleConns(readers + 1)
	return &Store{dir: dir, db: db, docs: newDocuments()}, nil
}

// Close closes the database.
func (s *Store) Close() error {
	raw, err := s.db.DB()
	if err != nil {
		return err
	}
	return raw.Close()
}

// shown tells that a version was saved.
func (s *Store) shown(info api.PresetInfo) {
	if s.OnPreset != nil {
		s.OnPreset(info)
	}
}

// Ping tells whether the database answers and can be written.
func (s *Store) Ping() error {
	if err := s.db.Exec("SELECT 1").Error; err != nil {
		return err
	}
	return disk.HasRoom(s.dir)
}

// change runs a transaction that writes. What it calls should only read and write
// rows: everything that takes time belongs before it.
func (s *Store) change(fn func(tx *gorm.DB) error) error {
	s.write.Lock()
	defer s.write.Unlock()
	return s.translate(s.db.Transaction(fn))
}

// snapshot runs a transaction that reads one state of the database.
func (s *Store) snapshot(fn func(tx *gorm.DB) error) error {
	return s.translate(s.db.Transaction(fn, &sql.TxOptions{ReadOnly: true}))
}

// translate gives the errors of the database their meaning here.
func (s *Store) translate(err error) error {
	var code interface{ Code() int }
	if errors.As(err, &code) {
		const full, ioerr = 13, 10 // SQLITE_FULL, SQLITE_IOERR
		switch primary := code.Code() & 0xff; {
		case primary == full, primary == ioerr && disk.HasRoom(s.dir) != nil:
			return fmt.Errorf("%w: %w", disk.ErrFull, err)
		}
	}
	return translate(err)
}

func translate(err error) error {
	switch {
	case errors.Is(err, gorm.ErrRecordNotFound):
		return ErrNotFound
	case errors.Is(err, gorm.ErrDuplicatedKey):
		return ErrTaken
	case errors.Is(err, gorm.ErrForeignKeyViolated):
		return ErrNotFound // what it belongs to was removed meanwhile
	}
	return disk.Explain(err)
}
