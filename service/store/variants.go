package store

import (
	"context"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/level"
	"grotta/core/merge"
	"grotta/service/auth"
	"grotta/service/rights"
)

// This file keeps variants: levels that began as another one and are merged with it, field by field.

// NewVariant makes a variant of a level that the asker may change.
func (s *Store) NewVariant(a Asker, id string, want api.NewVariant) (api.VariantInfo, error) {
	info, doc, err := s.Level(a, id)
	if err != nil {
		return api.VariantInfo{}, err
	}
	if info.Parent != "" {
		return api.VariantInfo{}, fmt.Errorf("%q is a variant itself; make another one of its original: %w", info.Name, ErrTaken)
	}
	base, err := s.pack(doc)
	if err != nil {
		return api.VariantInfo{}, err
	}
	next := *doc
	next.Name = variantName(doc.Name, want.Name)
	if want.Platform != "" {
		next.Platform = want.Platform
	}
	head, err := s.pack(&next)
	if err != nil {
		return api.VariantInfo{}, err
	}
	row := levelRow{ID: auth.NewID(), OwnerID: a.ID, Created: time.Now().UTC(), Owner: user{ID: a.ID, Name: a.Name}, Parent: id, Variant: want.Name, Base: base.Hash, BaseRevision: info.Revision, Follows: want.Follows}
	row.setHead(head, 1)
	err = s.change(func(tx *gorm.DB) error {
		parent, role, err := s.find(tx, a, id)
		if err != nil {
			return err
		}
		if err := rights.AtLeast(role, rights.Editor); err != nil {
			return err
		}
		var taken int64
		if err := tx.Model(&levelRow{}).Where("parent = ? AND variant = ? AND removed IS NULL", id, want.Name).Count(&taken).Error; err != nil {
			return err
		}
		if taken > 0 {
			return fmt.Errorf("there is a variant %q already: %w", want.Name, ErrTaken)
		}
		row.OwnerID, row.Owner = parent.OwnerID, parent.Owner // it belongs with its original
		if err := s.hasRoom(tx, row.OwnerID, 1, head.Bytes); err != nil {
			return err
		}
		for _, doc := range []*packed{base, head} {
			if err := doc.put(tx); err != nil {
				return err
			}
		}
		if err := tx.Omit("Owner").Create(&row).Error; err != nil {
			return err
		}
		if err := tx.Exec("INSERT INTO members (level_id, user_id, role) SELECT ?, user_id, role FROM members WHERE level_id = ?", row.ID, id).Error; err != nil {
			return err
		}
		if err := tx.Exec("INSERT INTO team_levels (team_id, level_id, role) SELECT team_id, ?, role FROM team_levels WHERE level_id = ?", row.ID, id).Error; err != nil {
			return err
		}
		if err := s.copyTakings(tx, id, row.ID); err != nil {
			return err
		}
		return tx.Omit("Author", "Level").Create(&revision{LevelID: row.ID, Number: 1, AuthorID: a.ID, Kind: "create", Label: "variant of " + info.Name, Created: row.Created}).Error
	})
	return api.VariantInfo{Level: row.public(rights.Editor, head.Bytes), Base: info.Revision, Follows: row.Follows, Original: id}, err
}

func variantName(name, variant string) string {
	suffix := ", " + variant
	runes := []rune(name)
	return string(runes[:min(len(runes), mostNameLength-len([]rune(suffix)))]) + suffix
}

// Variants lists those of a level, or of the original of a variant.
func (s *Store) Variants(a Asker, id string) (out []api.VariantInfo, err error) {
	out = []api.VariantInfo{}
	err = s.snapshot(func(tx *gorm.DB) error {
		row, _, err := s.find(tx, a, id)
		if err != nil {
			return err
		}
		if row.Parent != "" {
			id = row.Parent
		}
		var parent levelRow
		if err := tx.Select("head").Where("id = ?", id).Limit(1).Find(&parent).Error; err != nil {
			return err
		}
		var rows []levelRow
		if err := tx.Preload("Owner").Where("parent = ? AND removed IS NULL", id).Order("variant").Find(&rows).Error; err != nil {
			return err
		}
		for i := range rows {
			_, role, err := s.find(tx, a, rows[i].ID)
			if err != nil {
				continue // it is not shared with them
			}
			out = append(out, api.VariantInfo{Level: rows[i].public(role, 0), Base: rows[i].BaseRevision, Behind: max(parent.Head-rows[i].BaseRevision, 0), Follows: rows[i].Follows, Original: id})
		}
		return nil
	})
	return out, err
}

// mergedWith is what a merge notes of a variant: the state of its original that it has now.
type mergedWith struct {
	variant string
	base    *packed
	number  int // of the original; 0 for the revision that the merge makes
}

// keepMerged notes it.
func keepMerged(tx *gorm.DB, m *mergedWith) error {
	if m == nil {
		return nil
	}
	var was levelRow
	if err := tx.Where("id = ?", m.variant).First(&was).Error; err != nil {
		return err
	}
	if err := m.base.put(tx); err != nil {
		return err
	}
	if err := tx.Model(&levelRow{}).Where("id = ?", m.variant).Updates(map[string]any{"base_hash": m.base.Hash, "base_revision": m.number}).Error; err != nil {
		return err
	}
	return dropUnused(tx, was.Base)
}

// MergeVariant brings a variant and its original together: what one has changed since they last were
// one goes into the other. Clashes hold unless they are named. The names of the two, their platforms
// and notes stay their own.
func (s *Store) MergeVariant(ctx context.Context, a Asker, variantID string, want api.NewMerge) (api.MergedLevel, error) {
	out := api.MergedLevel{Changes: []level.Change{}, Clashes: []merge.Clash{}}
	var variant, parent *levelRow
	var base, variantDoc, parentDoc *level.Level
	err := s.snapshot(func(tx *gorm.DB) (err error) {
		if variant, variantDoc, _, err = s.read(tx, a, variantID); err != nil {
			return err
		}
		if variant.Parent == "" {
			return fmt.Errorf("%q is no variant of another level: %w", variant.Name, ErrNotFound)
		}
		if parent, parentDoc, _, err = s.read(tx, a, variant.Parent); err != nil {
			return err
		}
		base, err = s.document(tx, variant.Base)
		return err
	})
	if err != nil {
		return out, err
	}
	target, from := variant.ID, parentDoc
	number := parent.Head
	if want.Into == "original" {
		target, from = parent.ID, variantDoc
		number = parent.Head + 1
	}
	out.Level = target
	take := func(c merge.Clash) bool {
		return slices.Contains(want.Take, "all") || slices.Contains(want.Take, c.Name())
	}
	work := func(doc *level.Level) (level.Operation, error) {
		merged, err := merge.Levels(base, doc, ownNames(from, doc, base), take)
		out.Clashes = append([]merge.Clash{}, merged.Clashes...)
		op := level.Batch(fmt.Sprintf("Merge %s", map[string]string{"original": variant.Name, "variant": parent.Name}[want.Into]), merged.Steps...)
		return op, err
	}
	if want.Dry {
		return out, s.wouldChange(ctx, a, target, &out.Revision, &out.Changes, func(_ *gorm.DB, doc *level.Level) (level.Operation, error) { return work(doc) })
	}
	rev, err := s.revise(ctx, a, target, func(tx *gorm.DB, row *levelRow, doc *level.Level) (level.Operation, revision, error) {
		op, err := work(doc)
		if err != nil {
			return op, revision{}, err
		}
		if row.Head != map[string]int{parent.ID: parent.Head, variant.ID: variant.Head}[target] {
			return op, revision{}, ErrMoved
		}
		note := &mergedWith{variant: variant.ID, number: number}
		if target == variant.ID {
			note.base, err = s.pack(parentDoc)
		} else if next, _, failed := doc.ApplyContext(ctx, op); failed != nil {
			err = failed
		} else {
			note.base, err = s.pack(next)
		}
		if len(op.Steps) == 0 && err == nil {
			err = s.change(func(tx *gorm.DB) error {
				if note.number > parent.Head {
					note.number = parent.Head
				}
				return keepMerged(tx, note)
			})
			if err == nil {
				err = errNothingToMerge
			}
		}
		return op, revision{Kind: "edit", Label: op.Label, merged: note}, err
	})
	if err == errNothingToMerge {
		out.Revision = map[string]int{parent.ID: parent.Head, variant.ID: variant.Head}[target]
		return out, nil
	}
	out.Revision = rev.Number
	return out, err
}

var errNothingToMerge = fmt.Errorf("there is nothing to merge: %w", ErrNotFound)

// ownNames is a level with what stays its other side's own: name, note and platforms.
func ownNames(from, to, base *level.Level) *level.Level {
	out := *from
	out.Name, out.Note, out.Platform, out.AlsoFor = base.Name, base.Note, base.Platform, base.AlsoFor
	return &out
}

// Following are the variants of a level that take its changes by themselves and have not yet.
func (s *Store) Following(id string) (ids []string, err error) {
	err = s.db.Model(&levelRow{}).Where("parent = ? AND follows AND removed IS NULL", id).Pluck("id", &ids).Error
	return ids, err
}
