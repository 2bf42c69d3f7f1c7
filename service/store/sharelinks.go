package store

import (
	"fmt"
	"time"

	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/preset"
	"grotta/service/auth"
	"grotta/service/rights"
)

// This file keeps links that open a level or a preset to whoever has them, and invitations to join.

// Kinds of link.
const (
	linkJoin   = "join"
	linkLevel  = "level"
	linkPreset = "preset"
)

// linkHours is how long a link holds where nothing is said.
const linkHours = 7 * 24

// NewShareLink makes a link. Once it has expired nobody can use it for the first time; once it is
// withdrawn, who used it loses what it opened.
func (s *Store) NewShareLink(a Asker, want api.NewShareLink, now time.Time) (api.ShareLink, error) {
	secret := auth.NewSecret()
	hours := want.Hours
	if hours == 0 {
		hours = linkHours
	}
	row := shareLink{ID: auth.NewID(), Hash: auth.HashSecret(secret), Kind: want.Kind, Note: want.Note, MakerID: a.ID, Created: now, Expires: now.Add(time.Duration(hours) * time.Hour)}
	err := s.change(func(tx *gorm.DB) error {
		switch want.Kind {
		case linkJoin:
			if !a.Admin {
				return fmt.Errorf("only an admin may invite people to the service: %w", ErrForbidden)
			}
		case linkLevel:
			if err := s.mustOwn(tx, a, want.Level); err != nil {
				return err
			}
			row.Subject, row.Role = want.Level, want.Role
			if row.Role == "" {
				row.Role = rights.Viewer.String()
			}
		case linkPreset:
			own, err := ownPreset(tx, a, want.Preset)
			if err != nil {
				return err
			}
			if err := mayShare(tx, own.ID); err != nil {
				return err
			}
			row.Subject = own.ID
		}
		return tx.Create(&row).Error
	})
	if err != nil {
		return api.ShareLink{}, err
	}
	out, err := s.describeLink(&row)
	out.Secret, out.Path = secret, "/open/"+secret
	if row.Kind == linkJoin {
		out.Path = "/join/" + secret
	}
	return out, err
}

// ShareLinks lists the asker's, the newest first.
func (s *Store) ShareLinks(a Asker) ([]api.ShareLink, error) {
	var rows []shareLink
	if err := s.db.Where("maker_id = ?", a.ID).Order("created DESC").Limit(1000).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]api.ShareLink, len(rows))
	for i := range rows {
		var err error
		if out[i], err = s.describeLink(&rows[i]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (s *Store) describeLink(row *shareLink) (api.ShareLink, error) {
	out := api.ShareLink{ID: row.ID, Kind: row.Kind, Role: row.Role, Note: row.Note, Created: row.Created, Expires: row.Expires, Withdrawn: row.Withdrawn, Uses: []api.LinkUse{}}
	switch row.Kind {
	case linkLevel:
		out.About = nameOf(s.db, row.Subject)
	case linkPreset:
		if err := s.db.Model(&presetRow{}).Where("id = ?", row.Subject).Pluck("name", &out.About).Error; err != nil {
			return out, err
		}
	}
	err := s.db.Raw("SELECT u.name AS user, l.at FROM link_uses l JOIN users u ON u.id = l.user_id WHERE l.link_id = ? ORDER BY l.at", row.ID).Scan(&out.Uses).Error
	return out, err
}

// WithdrawLink ends a link and what it opened.
func (s *Store) WithdrawLink(a Asker, id string) error {
	return s.change(func(tx *gorm.DB) error {
		r := tx.Model(&shareLink{}).Where("id = ? AND maker_id = ?", id, a.ID).Update("withdrawn", true)
		if r.Error == nil && r.RowsAffected == 0 {
			return ErrNotFound
		}
		return r.Error
	})
}

// errLink is the answer to a link that opens nothing.
var errLink = fmt.Errorf("this link has expired, was withdrawn, or never was: %w", ErrNotFound)

func openLink(tx *gorm.DB, secret string, now time.Time, kinds ...string) (shareLink, error) {
	var row shareLink
	if err := tx.Where("hash = ? AND kind IN ? AND NOT withdrawn AND expires > ?", auth.HashSecret(secret), kinds, now).Limit(1).Find(&row).Error; err != nil {
		return row, err
	}
	if row.ID == "" {
		return row, errLink
	}
	return row, nil
}

// OpenLink lets the asker see what a link opens.
func (s *Store) OpenLink(a Asker, secret string, now time.Time) (out api.Opened, err error) {
	err = s.change(func(tx *gorm.DB) error {
		row, err := openLink(tx, secret, now, linkLevel, linkPreset)
		if err != nil {
			return err
		}
		out.Kind = row.Kind
		if row.Kind == linkLevel {
			var found levelRow
			if err := tx.Where("id = ? AND removed IS NULL", row.Subject).Limit(1).Find(&found).Error; err != nil || found.ID == "" {
				return errLink
			}
			out.Level, out.Name = found.ID, found.Name
			if found.OwnerID == a.ID {
				return nil
			}
		} else {
			var found presetRow
			if err := tx.Preload("Owner").Where("id = ? AND removed IS NULL", row.Subject).Limit(1).Find(&found).Error; err != nil || found.ID == "" {
				return errLink
			}
			out.Name = found.Owner.Name + "/" + found.Name
			if found.OwnerID == a.ID {
				return nil
			}
		}
		return tx.Exec("INSERT INTO link_uses (link_id, user_id, at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING", row.ID, a.ID, now).Error
	})
	return out, err
}

// Join makes an account by an invitation, which one person can use.
func (s *Store) Join(want api.Join, now time.Time) error {
	if want.Name == preset.StarterOwner || want.Name == Everybody || !userName.MatchString(want.Name) {
		return badUserName(want.Name)
	}
	if _, err := freeInvitation(s.db, want.Secret, now); err != nil {
		return err // before the password takes its time
	}
	hash, err := hashPassword("/password", want.Password)
	if err != nil {
		return err
	}
	err = s.change(func(tx *gorm.DB) error {
		row, err := freeInvitation(tx, want.Secret, now)
		if err != nil {
			return err
		}
		u := user{Name: want.Name, Password: hash, Created: now}
		if err := tx.Create(&u).Error; err != nil {
			return err
		}
		return tx.Create(&linkUse{row.ID, u.ID, now}).Error
	})
	if err == ErrTaken {
		return fmt.Errorf("there is a user %q already: %w", want.Name, ErrTaken)
	}
	return err
}

// freeInvitation finds an invitation that nobody has used.
func freeInvitation(tx *gorm.DB, secret string, now time.Time) (shareLink, error) {
	row, err := openLink(tx, secret, now, linkJoin)
	if err != nil {
		return row, err
	}
	var used int64
	if err := tx.Model(&linkUse{}).Where("link_id = ?", row.ID).Count(&used).Error; err != nil {
		return row, err
	}
	if used > 0 {
		return row, errLink
	}
	return row, nil
}
