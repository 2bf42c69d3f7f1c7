// Package store keeps the records: people, levels and their revisions, bakes,
// presets. It is the only place that talks to the database, and the place where
// rights are judged: every function that reads or changes something of somebody's
// takes the asker.
package store

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/libtnb/sqlite"
	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// Errors that callers tell apart. Not-found is also the answer where the asker
// may not know that a thing exists.
var (
	ErrNotFound  = errors.New("not found")
	ErrForbidden = errors.New("not allowed")
	ErrTaken     = errors.New("taken")
)

// Store is an open database.
type Store struct {
	db    *gorm.DB
	write sync.Mutex // SQLite has one writer; queue here, not in busy loops
	docs  docCache
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
	if err := db.Raw("PRAGMA quick_check").Scan(&verdict).Error; err != nil || verdict != "ok" {
		return nil, fmt.Errorf("the database %s is damaged: %s %w", path, verdict, err)
	}
	if err := migrate(db); err != nil {
		return nil, fmt.Errorf("migrate %s: %w", path, err)
	}
	return &Store{db: db}, nil
}

// Close closes the database.
func (s *Store) Close() error {
	raw, err := s.db.DB()
	if err != nil {
		return err
	}
	return raw.Close()
}

// Ping tells whether the database answers.
func (s *Store) Ping() error { return s.db.Exec("SELECT 1").Error }

// change runs a transaction that writes.
func (s *Store) change(fn func(tx *gorm.DB) error) error {
	s.write.Lock()
	defer s.write.Unlock()
	return translate(s.db.Transaction(fn))
}

func translate(err error) error {
	switch {
	case errors.Is(err, gorm.ErrRecordNotFound):
		return ErrNotFound
	case errors.Is(err, gorm.ErrDuplicatedKey):
		return ErrTaken
	}
	return err
}

// migrate applies the versions that the database does not have yet. A version
// is never changed once released; a new one is added below.
func migrate(db *gorm.DB) error {
	return gormigrate.New(db, gormigrate.DefaultOptions, []*gormigrate.Migration{
		{
			ID: "0001-first",
			Migrate: func(tx *gorm.DB) error {
				return tx.AutoMigrate(&user{}, &session{}, &token{}, &levelRow{}, &member{}, &revision{},
					&bakeRow{}, &layerRow{}, &presetRow{}, &presetVersion{}, &presetShare{}, &platformRow{})
			},
		},
	}).Migrate()
}
