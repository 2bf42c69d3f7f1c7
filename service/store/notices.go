package store

import (
	"time"

	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/level"
	"grotta/service/auth"
)

// This file keeps notices: what others did that is about somebody.

// mostNotices is how many of somebody's are kept.
const mostNotices = 500

// notify keeps a notice, and puts it in line for the webhooks of whom it is for.
func notify(tx *gorm.DB, n noticeRow) error {
	n.ID, n.Created = auth.NewID(), time.Now().UTC()
	if err := tx.Create(&n).Error; err != nil {
		return err
	}
	if err := tx.Exec("DELETE FROM notices WHERE user_id = ? AND id NOT IN (SELECT id FROM notices WHERE user_id = ? ORDER BY created DESC LIMIT ?)", n.UserID, n.UserID, mostNotices).Error; err != nil {
		return err
	}
	var hooks []webhook
	if err := tx.Where("owner_id = ?", n.UserID).Find(&hooks).Error; err != nil || len(hooks) == 0 {
		return err
	}
	body, err := level.Encode(n.public())
	if err != nil {
		return err
	}
	for _, h := range hooks {
		if err := tx.Omit("Webhook").Create(&webhookSend{ID: auth.NewID(), WebhookID: h.ID, Body: body, Next: n.Created}).Error; err != nil {
			return err
		}
	}
	return nil
}

func (n *noticeRow) public() api.Notice {
	return api.Notice{ID: n.ID, Kind: n.Kind, From: n.FromName, Level: n.LevelID, About: n.About, Text: n.Text, Created: n.Created, Read: n.Read}
}

// Notices lists the asker's, the newest first.
func (s *Store) Notices(a Asker, unread bool) ([]api.Notice, error) {
	q := s.db.Where("user_id = ?", a.ID).Order("created DESC").Limit(100)
	if unread {
		q = q.Where("read IS NULL")
	}
	var rows []noticeRow
	if err := q.Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]api.Notice, len(rows))
	for i := range rows {
		out[i] = rows[i].public()
	}
	return out, nil
}

// ReadNotices notes that the asker has read some notices, or all where none are named.
func (s *Store) ReadNotices(a Asker, ids []string, now time.Time) error {
	return s.change(func(tx *gorm.DB) error {
		q := tx.Model(&noticeRow{}).Where("user_id = ? AND read IS NULL", a.ID)
		if len(ids) > 0 {
			q = q.Where("id IN ?", ids)
		}
		return q.Update("read", now).Error
	})
}

// mostWebhooks is how many one person has.
const mostWebhooks = 8

// NewWebhook has the asker's notices sent to an address.
func (s *Store) NewWebhook(a Asker, url string) (api.Webhook, error) {
	row := webhook{ID: auth.NewID(), OwnerID: a.ID, URL: url, Secret: auth.NewSecret(), Created: time.Now().UTC()}
	err := s.change(func(tx *gorm.DB) error {
		var have int64
		if err := tx.Model(&webhook{}).Where("owner_id = ?", a.ID).Count(&have).Error; err != nil {
			return err
		}
		if have >= mostWebhooks {
			return fault("/url", "would be the webhook number %d; the most is %d", have+1, mostWebhooks)
		}
		return tx.Create(&row).Error
	})
	out := row.public()
	out.Secret = row.Secret
	return out, err
}

func (w *webhook) public() api.Webhook {
	return api.Webhook{ID: w.ID, URL: w.URL, Created: w.Created, Sent: w.Sent, Failed: w.Failed, Fault: w.Fault}
}

// Webhooks lists the asker's.
func (s *Store) Webhooks(a Asker) ([]api.Webhook, error) {
	var rows []webhook
	err := s.db.Where("owner_id = ?", a.ID).Order("created").Find(&rows).Error
	out := make([]api.Webhook, len(rows))
	for i := range rows {
		out[i] = rows[i].public()
	}
	return out, err
}

// DeleteWebhook ends one of the asker's.
func (s *Store) DeleteWebhook(a Asker, id string) error {
	return s.change(func(tx *gorm.DB) error {
		r := tx.Where("id = ? AND owner_id = ?", id, a.ID).Delete(&webhook{})
		if r.Error == nil && r.RowsAffected == 0 {
			return ErrNotFound
		}
		return r.Error
	})
}

// Send is a notice that is to be sent to a webhook.
type Send struct {
	ID, URL, Secret string
	Body            []byte
	Tries           int
}

// DueSends are those whose time has come.
func (s *Store) DueSends(now time.Time, most int) ([]Send, error) {
	var rows []webhookSend
	if err := s.db.Preload("Webhook").Where("next <= ?", now).Order("next").Limit(most).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]Send, len(rows))
	for i, r := range rows {
		out[i] = Send{r.ID, r.Webhook.URL, r.Webhook.Secret, r.Body, r.Tries}
	}
	return out, nil
}

// Sent notes how a try went. fault is "" where it was taken; again is when to try next, or nil for
// never.
func (s *Store) Sent(id, fault string, again *time.Time) error {
	return s.change(func(tx *gorm.DB) error {
		var row webhookSend
		if err := tx.Where("id = ?", id).First(&row).Error; err != nil {
			return err
		}
		change := map[string]any{"fault": fault, "failed": gorm.Expr("failed + 1")}
		if fault == "" {
			change = map[string]any{"fault": "", "failed": 0, "sent": gorm.Expr("sent + 1")}
		}
		if err := tx.Model(&webhook{}).Where("id = ?", row.WebhookID).Updates(change).Error; err != nil {
			return err
		}
		if again == nil {
			return tx.Where("id = ?", id).Delete(&webhookSend{}).Error
		}
		return tx.Model(&webhookSend{}).Where("id = ?", id).Updates(map[string]any{"tries": row.Tries + 1, "next": *again}).Error
	})
}
