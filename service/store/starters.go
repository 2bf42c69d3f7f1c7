package store

import (
	"time"

	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/preset"
)

// This file keeps the starter library: presets of a user who cannot sign in, shared with everybody.

// SyncStarters brings the presets that come with Grotta into the database. One whose content has
// changed since gets another version.
func (s *Store) SyncStarters() error {
	a, err := s.starterOwner()
	if err != nil {
		return err
	}
	for _, r := range preset.Starters() {
		want := api.NewPreset{Name: r.Name, Note: r.Note, Tags: r.Tags, Credit: preset.StarterCredit}
		info, err := s.SavePreset(a, want, r.Preset)
		if err != nil {
			return err
		}
		if len(info.Shared) == 0 {
			if err := s.SharePreset(a, r.Name, api.Share{With: []string{Everybody}}); err != nil {
				return err
			}
		}
	}
	return nil
}

func (s *Store) starterOwner() (Asker, error) {
	var u user
	err := s.change(func(tx *gorm.DB) error {
		if err := tx.Where("name = ?", preset.StarterOwner).Limit(1).Find(&u).Error; err != nil || u.ID != 0 {
			return err
		}
		u = user{Name: preset.StarterOwner, Disabled: true, Created: time.Now().UTC()}
		return tx.Create(&u).Error
	})
	return Asker{ID: u.ID, Name: u.Name}, err
}

// OwnerID is the id of whoever owns presets under a name, also of the starter library's.
func (s *Store) OwnerID(name string) (id uint, err error) {
	err = s.db.Model(&user{}).Where("name = ?", name).Pluck("id", &id).Error
	if err == nil && id == 0 {
		err = ErrNotFound
	}
	return id, err
}
