package store

import (
	"time"

	"gorm.io/gorm"

	"grotta/api"
)

// This file keeps who did what, for admins.

// auditFor is how long entries are kept.
const auditFor = 400 * 24 * time.Hour

// Audit notes that somebody did something.
func (s *Store) Audit(who, action, about string, now time.Time) error {
	return s.change(func(tx *gorm.DB) error {
		return tx.Create(&auditRow{At: now, Who: who, Action: action, About: about}).Error
	})
}

// AuditSearch asks for entries. What is left out does not bind.
type AuditSearch struct {
	Who, Action, About string
	Before             int // number; 0 is the newest
	Limit              int
}

// AuditList lists entries, the newest first.
func (s *Store) AuditList(want AuditSearch) ([]api.AuditEntry, error) {
	q := s.db.Order("number DESC").Limit(want.Limit)
	if want.Before > 0 {
		q = q.Where("number < ?", want.Before)
	}
	if want.Who != "" {
		q = q.Where("who = ?", want.Who)
	}
	if want.Action != "" {
		q = q.Where("action = ?", want.Action)
	}
	if want.About != "" {
		q = q.Where("about LIKE '%' || ? || '%'", want.About)
	}
	var rows []auditRow
	err := q.Find(&rows).Error
	out := make([]api.AuditEntry, len(rows))
	for i, r := range rows {
		out[i] = api.AuditEntry(r)
	}
	return out, err
}

// DropOldAudit deletes entries that are kept no longer.
func (s *Store) DropOldAudit(now time.Time) error {
	return s.change(func(tx *gorm.DB) error { return tx.Where("at < ?", now.Add(-auditFor)).Delete(&auditRow{}).Error })
}
