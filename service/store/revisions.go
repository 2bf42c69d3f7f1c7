package store

import (
	"context"
	"fmt"

	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/level"
)

// This file goes back in a level's history.

// LevelAt reads a level as it was at a revision: the inverses of what came after
// are applied to its head. ErrNotFound where there is no such revision.
func (s *Store) LevelAt(ctx context.Context, a Asker, id string, number int) (*level.Level, error) {
	head, back, err := s.wayBack(a, id, number)
	if err != nil {
		return nil, err
	}
	return goBack(ctx, head, back, number)
}

// Changes lists what differs between a level as it was at a revision and as it is now.
func (s *Store) Changes(ctx context.Context, a Asker, id string, number int) ([]level.Change, error) {
	head, back, err := s.wayBack(a, id, number)
	if err != nil {
		return nil, err
	}
	was, err := goBack(ctx, head, back, number)
	if err != nil {
		return nil, err
	}
	_, changes, err := was.Difference(ctx, head)
	return changes, err
}

// Restore makes a level what it was at a revision, as a new revision; or only some things of
// it. An *level.Invalid where things that come back need others that do not.
func (s *Store) Restore(ctx context.Context, a Asker, id string, number int, only []string) (api.Revision, error) {
	return s.revise(ctx, a, id, func(tx *gorm.DB, row *levelRow, doc *level.Level) (level.Operation, revision, error) {
		var op level.Operation
		back, err := inversesSince(tx, row, number)
		if err != nil {
			return op, revision{}, err
		}
		was, err := goBack(ctx, doc, back, number)
		if err != nil {
			return op, revision{}, err
		}
		op, changes, err := doc.Difference(ctx, was, only...)
		switch {
		case err != nil:
			return op, revision{}, err
		case len(changes) == 0:
			return op, revision{}, fmt.Errorf("nothing of that is other than it was at revision %d: %w", number, ErrNotFound)
		case len(only) == 0:
			op.Label = fmt.Sprintf("Restore revision %d", number)
		case len(changes) == 1:
			op.Label = fmt.Sprintf("Restore %s from revision %d", changes[0].Name, number)
		default:
			op.Label = fmt.Sprintf("Restore %d things from revision %d", len(changes), number)
		}
		return op, revision{Kind: "edit", Label: op.Label}, nil
	})
}

// wayBack reads a level's head and the operations that lead from it to a revision.
func (s *Store) wayBack(a Asker, id string, number int) (head *level.Level, back []level.Operation, err error) {
	err = s.snapshot(func(tx *gorm.DB) error {
		row, doc, _, err := s.read(tx, a, id)
		if err != nil {
			return err
		}
		head = doc
		back, err = inversesSince(tx, row, number)
		return err
	})
	return head, back, err
}

// inversesSince are the inverses of what came after a revision, newest first.
func inversesSince(tx *gorm.DB, row *levelRow, number int) ([]level.Operation, error) {
	if number < 1 || number > row.Head {
		return nil, fmt.Errorf("the level has revisions 1 to %d, and no %d: %w", row.Head, number, ErrNotFound)
	}
	var rows []revision
	if err := tx.Select("number", "inverse").Where("level_id = ? AND number > ?", row.ID, number).Order("number DESC").Find(&rows).Error; err != nil {
		return nil, err
	}
	back := make([]level.Operation, len(rows))
	for i, r := range rows {
		if err := decodeOperation(r.Inverse, &back[i]); err != nil {
			return nil, fmt.Errorf("revision %d: %w", r.Number, err)
		}
	}
	return back, nil
}

func goBack(ctx context.Context, head *level.Level, back []level.Operation, number int) (*level.Level, error) {
	if len(back) == 0 {
		return head, nil
	}
	was, err := head.Replay(ctx, back)
	if err != nil && ctx.Err() == nil {
		err = fmt.Errorf("taking back what came after revision %d: %w", number, err)
	}
	return was, err
}
