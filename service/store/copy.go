package store

import (
	"errors"
	"fmt"

	"github.com/libtnb/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"grotta/core/level"
)

// This file is for backups and checks of a whole database.

// CopyTo writes a copy of the database, in one state, to a file that is not there yet.
// Others may read and write meanwhile.
func (s *Store) CopyTo(file string) error {
	return s.translate(s.db.Exec("VACUUM INTO ?", file).Error)
}

// BlobsOf lists the blobs that a database file names.
func BlobsOf(file string) (hashes []string, err error) {
	db, err := gorm.Open(sqlite.Open("file:"+file+"?mode=ro"), &gorm.Config{Logger: logger.Discard})
	if err != nil {
		return nil, err
	}
	raw, err := db.DB()
	if err != nil {
		return nil, err
	}
	defer raw.Close()
	err = db.Model(&layerRow{}).Distinct("blob").Order("blob").Pluck("blob", &hashes).Error
	return hashes, err
}

// CheckIntegrity lists what the database's own check finds wrong.
func (s *Store) CheckIntegrity() (faults []string, err error) {
	var said []string
	if err := s.db.Raw("PRAGMA integrity_check").Scan(&said).Error; err != nil {
		return nil, err
	}
	for _, line := range said {
		if line != "ok" {
			faults = append(faults, line)
		}
	}
	var broken []struct{ Table, Parent string }
	if err := s.db.Raw(`SELECT "table", parent FROM pragma_foreign_key_check`).Scan(&broken).Error; err != nil {
		return faults, err
	}
	for _, b := range broken {
		faults = append(faults, fmt.Sprintf("a row of %s names one of %s that is not there", b.Table, b.Parent))
	}
	return faults, nil
}

// EachDocument reads every document that a level, a variant or a bake names. users are the ids of the
// levels and bakes, fault is why it does not read.
func (s *Store) EachDocument(visit func(hash string, users []string, fault error)) error {
	var rows []struct{ ID, Hash string }
	if err := s.db.Raw("SELECT id, document_hash AS hash FROM levels UNION ALL SELECT id, base_hash AS hash FROM levels WHERE base_hash <> '' UNION ALL SELECT id, document_hash AS hash FROM bakes ORDER BY hash").Scan(&rows).Error; err != nil {
		return err
	}
	for from := 0; from < len(rows); {
		to := from
		var users []string
		for ; to < len(rows) && rows[to].Hash == rows[from].Hash; to++ {
			users = append(users, rows[to].ID)
		}
		text, err := s.documentText(s.db, rows[from].Hash)
		if err == nil {
			_, err = level.ParseStored(text)
		} else if !errors.Is(err, ErrUnreadable) {
			return err
		}
		visit(rows[from].Hash, users, err)
		from = to
	}
	return nil
}

// EachLayer lists every layer with its blob.
func (s *Store) EachLayer(visit func(key, blob string)) error {
	var rows []layerRow
	err := s.db.FindInBatches(&rows, 500, func(*gorm.DB, int) error {
		for _, r := range rows {
			visit(r.Key, r.Blob)
		}
		return nil
	}).Error
	return err
}
