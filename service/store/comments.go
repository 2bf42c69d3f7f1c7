package store

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json"
	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/level"
	"grotta/service/auth"
	"grotta/service/rights"
)

// This file keeps what people say about levels: comments in threads, and reviews of revisions.

// mostComments is how many a level has.
const mostComments = 5000

// AddComment says something about a level, or answers something that was said.
func (s *Store) AddComment(a Asker, levelID string, want api.NewComment) (api.Comment, error) {
	row := commentRow{ID: auth.NewID(), LevelID: levelID, AuthorID: a.ID, Text: want.Text, Entity: want.Entity, Created: time.Now().UTC(), Author: user{Name: a.Name}}
	row.Thread = row.ID
	var err error
	if want.At != nil {
		if row.Place, err = encoded(want.At); err != nil {
			return api.Comment{}, err
		}
	}
	if want.Camera != nil {
		if row.Camera, err = encoded(want.Camera); err != nil {
			return api.Comment{}, err
		}
	}
	err = s.change(func(tx *gorm.DB) error {
		lev, err := s.mayComment(tx, a, levelID)
		if err != nil {
			return err
		}
		row.Revision = lev.Head
		var have int64
		if err := tx.Model(&commentRow{}).Where("level_id = ?", levelID).Count(&have).Error; err != nil {
			return err
		}
		if have >= mostComments {
			return fault("/text", "would be comment number %d; the most is %d", have+1, mostComments)
		}
		if want.Thread != "" {
			var first commentRow
			if err := tx.Where("id = ? AND level_id = ?", want.Thread, levelID).Limit(1).Find(&first).Error; err != nil {
				return err
			}
			if first.ID == "" {
				return fault("/thread", "is %q; the level has no such comment", want.Thread)
			}
			row.Thread = first.Thread
		}
		if err := tx.Omit("Author", "Resolver").Create(&row).Error; err != nil {
			return err
		}
		return s.tellOfComment(tx, a, lev, &row)
	})
	if err != nil {
		return api.Comment{}, err
	}
	return row.public()
}

func encoded(v any) (string, error) {
	text, err := level.Encode(v)
	return string(text), err
}

// mayComment finds a level that the asker may comment on.
func (s *Store) mayComment(tx *gorm.DB, a Asker, levelID string) (*levelRow, error) {
	row, role, err := s.find(tx, a, levelID)
	if err == nil {
		err = rights.AtLeast(role, rights.Commenter)
	}
	return row, err
}

// mentioned finds @name in a text.
var mentioned = regexp.MustCompile(`(?:^|[^\pL\pN@])@([a-z0-9][a-z0-9._-]{0,31})`)

// tellOfComment tells who was called by name, and who wrote in the same thread before.
func (s *Store) tellOfComment(tx *gorm.DB, a Asker, lev *levelRow, row *commentRow) error {
	may, err := peopleOn(tx, lev)
	if err != nil {
		return err
	}
	told := map[uint]bool{a.ID: true}
	tell := func(id uint, kind string) error {
		if told[id] || !slices.Contains(may, id) {
			return nil
		}
		told[id] = true
		return notify(tx, noticeRow{UserID: id, Kind: kind, FromName: a.Name, LevelID: lev.ID, About: lev.Name, Text: shorten(row.Text)})
	}
	for _, m := range mentioned.FindAllStringSubmatch(row.Text, 100) {
		u, err := s.userNamed(tx, strings.TrimRight(m[1], "._-"))
		if err != nil {
			continue // a word with an @ before it
		}
		if err := tell(u.ID, "mention"); err != nil {
			return err
		}
	}
	var others []uint
	if err := tx.Model(&commentRow{}).Distinct("author_id").Where("thread = ?", row.Thread).Pluck("author_id", &others).Error; err != nil {
		return err
	}
	for _, id := range append(others, lev.OwnerID) {
		if err := tell(id, "answer"); err != nil {
			return err
		}
	}
	return nil
}

// shorten is the beginning of a text on one line.
func shorten(text string) string {
	const most = 160
	runes := []rune(strings.Join(strings.Fields(text), " "))
	if len(runes) > most {
		return string(runes[:most]) + "…"
	}
	return string(runes)
}

func (c *commentRow) public() (api.Comment, error) {
	out := api.Comment{ID: c.ID, Thread: c.Thread, Author: c.Author.Name, Text: c.Text, Entity: c.Entity, Revision: c.Revision, Created: c.Created, Edited: c.Edited, Resolved: c.Resolved, Resolver: c.Resolver.Name}
	if c.Place != "" {
		out.At = new(level.Vec)
		if err := json.Unmarshal([]byte(c.Place), out.At); err != nil {
			return out, err
		}
	}
	if c.Camera != "" {
		out.Camera = new(api.Camera)
		return out, json.Unmarshal([]byte(c.Camera), out.Camera)
	}
	return out, nil
}

// Comments lists what was said about a level, the oldest first.
func (s *Store) Comments(a Asker, levelID string) (out []api.Comment, err error) {
	out = []api.Comment{}
	err = s.snapshot(func(tx *gorm.DB) error {
		if _, _, err := s.find(tx, a, levelID); err != nil {
			return err
		}
		var rows []commentRow
		if err := tx.Preload("Author").Preload("Resolver").Where("level_id = ?", levelID).Order("created").Find(&rows).Error; err != nil {
			return err
		}
		for i := range rows {
			c, err := rows[i].public()
			if err != nil {
				return err
			}
			out = append(out, c)
		}
		return nil
	})
	return out, err
}

// ChangeComment changes a comment's text, which its author may, or settles or reopens its thread.
func (s *Store) ChangeComment(a Asker, levelID, id string, want api.CommentChange, now time.Time) error {
	return s.change(func(tx *gorm.DB) error {
		lev, err := s.mayComment(tx, a, levelID)
		if err != nil {
			return err
		}
		var row commentRow
		if err := tx.Where("id = ? AND level_id = ?", id, levelID).First(&row).Error; err != nil {
			return err
		}
		if want.Text != nil {
			if row.AuthorID != a.ID {
				return fmt.Errorf("only its author changes a comment: %w", ErrForbidden)
			}
			row.Text, row.Edited = *want.Text, &now
			if err := tx.Model(&commentRow{}).Where("id = ?", id).Select("text", "edited").Updates(&row).Error; err != nil {
				return err
			}
			if err := s.tellOfComment(tx, a, lev, &row); err != nil {
				return err
			}
		}
		if want.Resolved == nil {
			return nil
		}
		if row.Thread != row.ID {
			return fault("/resolved", "is for the first comment of a thread, %q", row.Thread)
		}
		row.Resolved, row.ResolverID = nil, nil
		if *want.Resolved {
			row.Resolved, row.ResolverID = &now, &a.ID
		}
		return tx.Model(&commentRow{}).Where("id = ?", id).Select("resolved", "resolver_id").Updates(&row).Error
	})
}

// DeleteComment removes a comment, with its answers where it is the first of a thread. Its author
// may, and who owns the level.
func (s *Store) DeleteComment(a Asker, levelID, id string) error {
	return s.change(func(tx *gorm.DB) error {
		lev, err := s.mayComment(tx, a, levelID)
		if err != nil {
			return err
		}
		var row commentRow
		if err := tx.Where("id = ? AND level_id = ?", id, levelID).First(&row).Error; err != nil {
			return err
		}
		if row.AuthorID != a.ID && lev.OwnerID != a.ID {
			return fmt.Errorf("only its author and the owner of the level delete a comment: %w", ErrForbidden)
		}
		if row.Thread == row.ID {
			return tx.Where("thread = ?", row.ID).Delete(&commentRow{}).Error
		}
		return tx.Where("id = ?", id).Delete(&commentRow{}).Error
	})
}

// AskReview asks somebody who may see a level to judge one of its revisions. errors and warnings are
// what the checks find in it.
func (s *Store) AskReview(a Asker, levelID string, want api.NewReview, errors, warnings int) (api.Review, error) {
	row := reviewRow{ID: auth.NewID(), LevelID: levelID, Revision: want.Revision, AskerID: a.ID, State: "asked", Text: want.Text, Errors: errors, Warnings: warnings, Created: time.Now().UTC(), Asker: user{Name: a.Name}}
	err := s.change(func(tx *gorm.DB) error {
		lev, err := s.mayComment(tx, a, levelID)
		if err != nil {
			return err
		}
		if row.Revision == 0 {
			row.Revision = lev.Head
		}
		if row.Revision > lev.Head {
			return fault("/revision", "is %d; the newest is %d", row.Revision, lev.Head)
		}
		u, err := s.userNamed(tx, want.Reviewer)
		if err != nil {
			return err
		}
		may, err := peopleOn(tx, lev)
		if err != nil {
			return err
		}
		if !slices.Contains(may, u.ID) {
			return fault("/reviewer", "is %q, who may not see this level; share it first", want.Reviewer)
		}
		row.ReviewerID, row.Reviewer = u.ID, u
		if err := tx.Omit("Asker", "Reviewer").Create(&row).Error; err != nil {
			return err
		}
		return notify(tx, noticeRow{UserID: u.ID, Kind: "review", FromName: a.Name, LevelID: levelID, About: lev.Name, Text: fmt.Sprintf("asks you to judge revision %d. %s", row.Revision, shorten(want.Text))})
	})
	return row.public(), err
}

func (r *reviewRow) public() api.Review {
	return api.Review{ID: r.ID, Revision: r.Revision, Asker: r.Asker.Name, Reviewer: r.Reviewer.Name, State: r.State, Text: r.Text, Answer: r.Answer, Errors: r.Errors, Warnings: r.Warnings, Created: r.Created, Answered: r.Answered}
}

// Reviews lists those of a level, the newest first.
func (s *Store) Reviews(a Asker, levelID string) (out []api.Review, err error) {
	out = []api.Review{}
	err = s.snapshot(func(tx *gorm.DB) error {
		if _, _, err := s.find(tx, a, levelID); err != nil {
			return err
		}
		var rows []reviewRow
		if err := tx.Preload("Asker").Preload("Reviewer").Where("level_id = ?", levelID).Order("created DESC").Find(&rows).Error; err != nil {
			return err
		}
		for i := range rows {
			out = append(out, rows[i].public())
		}
		return nil
	})
	return out, err
}

// AnswerReview judges; who was asked may.
func (s *Store) AnswerReview(a Asker, levelID, id string, want api.ReviewAnswer, now time.Time) (api.Review, error) {
	var row reviewRow
	err := s.change(func(tx *gorm.DB) error {
		lev, _, err := s.find(tx, a, levelID)
		if err != nil {
			return err
		}
		if err := tx.Preload("Asker").Preload("Reviewer").Where("id = ? AND level_id = ?", id, levelID).First(&row).Error; err != nil {
			return err
		}
		if row.ReviewerID != a.ID {
			return fmt.Errorf("%s was asked, and judges: %w", row.Reviewer.Name, ErrForbidden)
		}
		row.State, row.Answer, row.Answered = want.State, want.Text, &now
		if err := tx.Model(&reviewRow{}).Where("id = ?", id).Select("state", "answer", "answered").Updates(&row).Error; err != nil {
			return err
		}
		if row.AskerID == a.ID {
			return nil
		}
		words := map[string]string{"approved": "approved", "changes_wanted": "wants changes in"}[want.State]
		return notify(tx, noticeRow{UserID: row.AskerID, Kind: "judged", FromName: a.Name, LevelID: levelID, About: lev.Name, Text: fmt.Sprintf("%s revision %d. %s", words, row.Revision, shorten(want.Text))})
	})
	return row.public(), err
}
