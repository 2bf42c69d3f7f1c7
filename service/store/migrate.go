package store

import (
	"embed"
	"fmt"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/gorm"

	"grotta/core/digest"
)

//go:embed migrations/*.sql
var migrations embed.FS

// migrate applies the versions that the database does not have yet. A version is
// frozen SQL: once released it never changes, and a new one is added below.
func migrate(db *gorm.DB) error {
	return gormigrate.New(db, &gormigrate.Options{TableName: "migrations", IDColumnName: "id", IDColumnSize: 255, UseTransaction: true}, []*gormigrate.Migration{
		{ID: "0001-first", Migrate: script("0001-first")},
		{ID: "0002-documents", Migrate: func(tx *gorm.DB) error {
			if err := script("0002-documents")(tx); err != nil {
				return err
			}
			for _, table := range []string{"levels", "bakes"} {
				if err := moveDocuments(tx, table); err != nil {
					return err
				}
			}
			return script("0003-moved")(tx)
		}},
		{ID: "0004-removed", Migrate: script("0004-removed")},
		{ID: "0005-sharing", Migrate: func(tx *gorm.DB) error {
			if err := script("0005-sharing")(tx); err != nil {
				return err
			}
			return indexPresets(tx)
		}},
		{ID: "0006-pieces", Migrate: script("0006-pieces")},
	}).Migrate()
}

// script runs the SQL of a version.
func script(name string) gormigrate.MigrateFunc {
	return func(tx *gorm.DB) error {
		text, err := migrations.ReadFile("migrations/" + name + ".sql")
		if err != nil {
			return err
		}
		return tx.Exec(string(text)).Error
	}
}

// moveDocuments moves the documents of a table's rows into their own table. One that
// cannot be decompressed is kept as it is, under the hash of its bytes, so that it can
// be looked at; its level is set aside when it is read.
func moveDocuments(tx *gorm.DB, table string) error {
	var ids []string
	if err := tx.Table(table).Where("document IS NOT NULL").Pluck("id", &ids).Error; err != nil {
		return err
	}
	for _, id := range ids {
		var body []byte
		if err := tx.Raw("SELECT document FROM "+table+" WHERE id = ?", id).Row().Scan(&body); err != nil {
			return fmt.Errorf("%s %s: %w", table, id, err)
		}
		text, err := decompress(body)
		if err != nil {
			text = body
		}
		hash := digest.Bytes(text).String()
		if err := tx.Exec("INSERT INTO documents (hash, body, bytes) VALUES (?, ?, ?) ON CONFLICT DO NOTHING", hash, body, len(text)).Error; err != nil {
			return err
		}
		if err := tx.Exec("UPDATE "+table+" SET document_hash = ? WHERE id = ?", hash, id).Error; err != nil {
			return err
		}
	}
	return nil
}
