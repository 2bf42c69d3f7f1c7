package store

import (
	"time"

	"gorm.io/gorm"

	"grotta/api"
)

// This file deletes levels, and has them back.

// keptFor is how long a deleted level can be had back.
const keptFor = 30 * 24 * time.Hour

// DeleteLevel puts a level aside, from where it can be had back for 30 days; only its owner may.
func (s *Store) DeleteLevel(a Asker, id string, now time.Time) error {
	return s.change(func(tx *gorm.DB) error {
		if err := s.mustOwn(tx, a, id); err != nil {
			return err
		}
		return tx.Model(&levelRow{}).Where("id = ?", id).Update("removed", now).Error
	})
}

// EraseLevel deletes one of the asker's deleted levels for good.
func (s *Store) EraseLevel(a Asker, id string) error {
	return s.change(func(tx *gorm.DB) error {
		row, err := findRemoved(tx, a, id)
		if err != nil {
			return err
		}
		return deleteLevel(tx, row.ID)
	})
}

// Removed lists the asker's deleted levels that can be had back.
func (s *Store) Removed(a Asker, now time.Time) ([]api.LevelInfo, error) {
	if err := s.DropRemoved(now); err != nil {
		return nil, err
	}
	return s.list(a, "removed IS NOT NULL AND owner_id = ?", a.ID)
}

// DropRemoved deletes for good what was deleted too long ago to be had back.
func (s *Store) DropRemoved(now time.Time) error {
	return s.change(func(tx *gorm.DB) error {
		var old []string
		if err := tx.Model(&levelRow{}).Where("removed < ?", now.Add(-keptFor)).Pluck("id", &old).Error; err != nil {
			return err
		}
		for _, id := range old {
			if err := deleteLevel(tx, id); err != nil {
				return err
			}
		}
		return nil
	})
}

// RecoverLevel takes back that a level was deleted; only its owner may.
func (s *Store) RecoverLevel(a Asker, id string) error {
	return s.change(func(tx *gorm.DB) error {
		row, err := findRemoved(tx, a, id)
		if err != nil {
			return err
		}
		return tx.Model(row).Update("removed", nil).Error
	})
}

// findRemoved is a deleted level of the asker's; ErrNotFound where there is none.
func findRemoved(tx *gorm.DB, a Asker, id string) (*levelRow, error) {
	var row levelRow
	err := tx.Where("id = ? AND owner_id = ? AND removed IS NOT NULL", id, a.ID).First(&row).Error
	return &row, translate(err)
}

// dropOldestRemoved deletes the level of somebody's that was put aside the longest ago, for
// good; it tells whether there was one.
func dropOldestRemoved(tx *gorm.DB, owner uint) (bool, error) {
	var ids []string
	err := tx.Model(&levelRow{}).Where("owner_id = ? AND removed IS NOT NULL", owner).Order("removed").Limit(1).Pluck("id", &ids).Error
	if err != nil || len(ids) == 0 {
		return false, err
	}
	return true, deleteLevel(tx, ids[0])
}

// deleteLevel deletes a level with all its revisions and bakes, for good.
func deleteLevel(tx *gorm.DB, id string) error {
	var hashes []string
	if err := tx.Raw("SELECT document_hash FROM levels WHERE id = ? UNION SELECT base_hash FROM levels WHERE id = ? UNION SELECT document_hash FROM bakes WHERE level_id = ?", id, id, id).Scan(&hashes).Error; err != nil {
		return err
	}
	if err := tx.Where("id = ?", id).Delete(&levelRow{}).Error; err != nil {
		return err
	}
	return dropUnused(tx, hashes...)
}
