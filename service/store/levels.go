package store

import (
	"bytes"
	"fmt"
	"strings"
	"sync"
	"time"

	"github.com/klauspost/compress/zstd"
	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/level"
	"grotta/service/auth"
)

// Roles on a level, from most to least.
const (
	Owner  = "owner"
	Editor = "editor"
	Viewer = "viewer"
)

// Conflict is a change that clashes with one that was made since the revision
// it was based on.
type Conflict struct {
	Path     string // "entity/field"
	Yours    any
	Theirs   any
	Revision int
	Author   string
}

func (c *Conflict) Error() string {
	short := func(v any) string {
		text, err := level.Encode(v)
		if err != nil || len(text) > 80 {
			return "another value"
		}
		return string(text)
	}
	return fmt.Sprintf("%s was set to %s by %s in revision %d; yours is %s", c.Path, short(c.Theirs), c.Author, c.Revision, short(c.Yours))
}

// CreateLevel stores a validated document as a new level with revision 1.
func (s *Store) CreateLevel(a Asker, l *level.Level, label string) (api.LevelInfo, error) {
	row := levelRow{ID: auth.NewID(), OwnerID: a.ID, Created: time.Now().UTC(), Owner: user{ID: a.ID, Name: a.Name}}
	err := s.change(func(tx *gorm.DB) error {
		if err := row.setHead(l, 1); err != nil {
			return err
		}
		if err := tx.Omit("Owner").Create(&row).Error; err != nil {
			return err
		}
		return tx.Omit("Author", "Level").Create(&revision{
			LevelID: row.ID, Number: 1, AuthorID: a.ID, Kind: "create", Label: label, Created: row.Created,
		}).Error
	})
	return row.public(Owner), err
}

func (r *levelRow) setHead(l *level.Level, number int) error {
	text, err := level.Encode(l)
	if err != nil {
		return err
	}
	r.Document = compress(text)
	r.Head, r.Changed = number, time.Now().UTC()
	r.Name, r.Platform = l.Name, l.Platform
	r.Solids, r.Meshes, r.Lights = len(l.Solids), len(l.Meshes), len(l.Lights)
	return nil
}

func (r *levelRow) public(role string) api.LevelInfo {
	return api.LevelInfo{
		ID: r.ID, Name: r.Name, Owner: r.Owner.Name, Role: role, Revision: r.Head, Platform: r.Platform,
		Changed: r.Changed, Solids: r.Solids, Meshes: r.Meshes, Lights: r.Lights,
	}
}

// Levels lists what the asker may see, last changed first.
func (s *Store) Levels(a Asker) ([]api.LevelInfo, error) {
	var rows []levelRow
	err := s.db.Omit("Document").Preload("Owner").
		Where("owner_id = ? OR id IN (?)", a.ID, s.db.Model(&member{}).Select("level_id").Where("user_id = ?", a.ID)).
		Order("changed DESC").Find(&rows).Error
	if err != nil {
		return nil, err
	}
	var mine []member
	if err := s.db.Where("user_id = ?", a.ID).Find(&mine).Error; err != nil {
		return nil, err
	}
	role := map[string]string{}
	for _, m := range mine {
		role[m.LevelID] = m.Role
	}
	out := make([]api.LevelInfo, len(rows))
	for i := range rows {
		r := role[rows[i].ID]
		if rows[i].OwnerID == a.ID {
			r = Owner
		}
		out[i] = rows[i].public(r)
	}
	return out, nil
}

// find reads a level and the asker's role; ErrNotFound where there is none, so
// that the existence of others' levels does not show.
func (s *Store) find(tx *gorm.DB, a Asker, id string, fields ...string) (*levelRow, string, error) {
	var row levelRow
	q := tx.Preload("Owner")
	if len(fields) > 0 {
		q = q.Omit(fields...)
	}
	if err := q.Where("id = ?", id).First(&row).Error; err != nil {
		return nil, "", translate(err)
	}
	if row.OwnerID == a.ID {
		return &row, Owner, nil
	}
	var m member
	if err := tx.Where("level_id = ? AND user_id = ?", id, a.ID).First(&m).Error; err != nil {
		return nil, "", translate(err)
	}
	return &row, m.Role, nil
}

// Level reads a level at its head. The document is shared: it must not be
// changed, only applied to.
func (s *Store) Level(a Asker, id string) (api.LevelInfo, *level.Level, error) {
	row, role, err := s.find(s.db, a, id)
	if err != nil {
		return api.LevelInfo{}, nil, err
	}
	doc, err := s.head(row)
	return row.public(role), doc, err
}

// LevelAt reads a level as it was at a revision: the inverses of what came after
// are applied to its head. ErrNotFound where there is no such revision.
func (s *Store) LevelAt(a Asker, id string, number int) (*level.Level, error) {
	info, doc, err := s.Level(a, id)
	if err != nil || number == info.Revision {
		return doc, err
	}
	if number < 1 || number > info.Revision {
		return nil, fmt.Errorf("the level has revisions 1 to %d, and no %d: %w", info.Revision, number, ErrNotFound)
	}
	if old := s.docs.get(id, number); old != nil {
		return old, nil
	}
	var rows []revision
	if err := s.db.Select("number", "inverse").Where("level_id = ? AND number > ?", id, number).Order("number DESC").Find(&rows).Error; err != nil {
		return nil, err
	}
	for _, r := range rows {
		var back level.Operation
		if err := level.Decode(r.Inverse, &back); err != nil {
			return nil, err
		}
		if doc, _, err = doc.Apply(back); err != nil {
			return nil, fmt.Errorf("taking back revision %d: %w", r.Number, err)
		}
	}
	return doc, nil
}

// Document is Level with what the console shows beside it.
func (s *Store) Document(a Asker, id string) (api.Document, error) {
	info, doc, err := s.Level(a, id)
	if err != nil {
		return api.Document{}, err
	}
	out := api.Document{Level: info, Document: doc}
	if out.Members, err = s.members(s.db, id); err != nil {
		return out, err
	}
	undo, redo, err := s.stacks(s.db, id)
	out.CanUndo, out.CanRedo = len(undo) > 0, len(redo) > 0
	return out, err
}

func (s *Store) head(row *levelRow) (*level.Level, error) {
	if doc := s.docs.get(row.ID, row.Head); doc != nil {
		return doc, nil
	}
	doc, err := unpackDocument(row.Document)
	if err != nil {
		return nil, fmt.Errorf("level %s: %w", row.ID, err)
	}
	s.docs.put(row.ID, row.Head, doc)
	return doc, nil
}

func unpackDocument(packed []byte) (*level.Level, error) {
	text, err := decompress(packed)
	if err != nil {
		return nil, err
	}
	doc, _, err := level.Parse(text)
	return doc, err
}

// Apply makes a revision of an operation. base is the revision that the asker
// saw, or 0 for whatever is there; what was changed since then and is not
// touched by the operation stays. Errors: *level.Invalid, *Conflict.
func (s *Store) Apply(a Asker, id string, op level.Operation, base int) (api.Revision, error) {
	return s.revise(a, id, func(tx *gorm.DB, row *levelRow) (level.Operation, revision, error) {
		if base > row.Head {
			return op, revision{}, &Conflict{Path: "revision", Yours: base, Theirs: row.Head, Revision: row.Head, Author: "nobody"}
		}
		if base > 0 && base < row.Head {
			if err := s.clash(tx, row.ID, op, base); err != nil {
				return op, revision{}, err
			}
		}
		return op, revision{Kind: "edit", Label: op.Describe()}, nil
	})
}

// clash looks for a field that was changed after base and that op changes too.
func (s *Store) clash(tx *gorm.DB, id string, op level.Operation, base int) error {
	var since []revision
	if err := tx.Preload("Author").Where("level_id = ? AND number > ?", id, base).Order("number DESC").Find(&since).Error; err != nil {
		return err
	}
	mine := op.Touched()
	for _, r := range since {
		var theirs level.Operation
		if err := level.Decode(r.Operation, &theirs); err != nil {
			return err
		}
		for path, value := range theirs.Touched() {
			for own, want := range mine {
				if !overlaps(own, path) || own == path && sameJSON(want, value) {
					continue
				}
				return &Conflict{Path: own, Yours: want, Theirs: value, Revision: r.Number, Author: r.Author.Name}
			}
		}
	}
	return nil
}

// overlaps tells whether one path holds the other: "lamp" holds "lamp/strength",
// and "lamp/shadows" holds "lamp/shadows.cast".
func overlaps(a, b string) bool {
	if len(a) > len(b) {
		a, b = b, a
	}
	return a == b || strings.HasPrefix(b, a) && (b[len(a)] == '/' || b[len(a)] == '.')
}

func sameJSON(a, b any) bool {
	x, err1 := level.Encode(a)
	y, err2 := level.Encode(b)
	return err1 == nil && err2 == nil && bytes.Equal(x, y)
}

// revise applies one operation to the head within a transaction.
func (s *Store) revise(a Asker, id string, choose func(*gorm.DB, *levelRow) (level.Operation, revision, error)) (api.Revision, error) {
	var out revision
	err := s.change(func(tx *gorm.DB) error {
		row, role, err := s.find(tx, a, id)
		if err != nil {
			return err
		}
		if role == Viewer {
			return fmt.Errorf("you may see this level and not change it: %w", ErrForbidden)
		}
		op, rev, err := choose(tx, row)
		if err != nil {
			return err
		}
		doc, err := s.head(row)
		if err != nil {
			return err
		}
		next, inverse, err := doc.Apply(op)
		if err != nil {
			return err
		}
		rev.LevelID, rev.Number, rev.AuthorID, rev.Created = id, row.Head+1, a.ID, time.Now().UTC()
		if rev.Operation, err = level.Encode(op); err != nil {
			return err
		}
		if rev.Inverse, err = level.Encode(inverse); err != nil {
			return err
		}
		if err := row.setHead(next, rev.Number); err != nil {
			return err
		}
		if err := tx.Omit("Owner").Save(row).Error; err != nil {
			return err
		}
		if err := tx.Omit("Author", "Level").Create(&rev).Error; err != nil {
			return err
		}
		rev.Author.Name = a.Name
		out = rev
		s.docs.put(id, rev.Number, next)
		return nil
	})
	if err != nil {
		s.docs.drop(id)
		return api.Revision{}, err
	}
	return out.public()
}

func (r *revision) public() (api.Revision, error) {
	out := api.Revision{Number: r.Number, Author: r.Author.Name, Time: r.Created, Kind: r.Kind, Label: r.Label}
	if len(r.Operation) > 0 {
		out.Operation = new(level.Operation)
		if err := level.Decode(r.Operation, out.Operation); err != nil {
			return out, err
		}
	}
	return out, nil
}

// Undo takes back the newest edit that stands; ErrNotFound where there is none.
func (s *Store) Undo(a Asker, id string) (api.Revision, error) { return s.step(a, id, "undo") }

// Redo does again what the last undo took back; ErrNotFound after a new edit.
func (s *Store) Redo(a Asker, id string) (api.Revision, error) { return s.step(a, id, "redo") }

func (s *Store) step(a Asker, id, kind string) (api.Revision, error) {
	return s.revise(a, id, func(tx *gorm.DB, row *levelRow) (level.Operation, revision, error) {
		var op level.Operation
		undo, redo, err := s.stacks(tx, id)
		if err != nil {
			return op, revision{}, err
		}
		stack := undo
		if kind == "redo" {
			stack = redo
		}
		if len(stack) == 0 {
			return op, revision{}, fmt.Errorf("there is nothing to %s: %w", kind, ErrNotFound)
		}
		top := stack[len(stack)-1]
		var r revision
		if err := tx.Where("level_id = ? AND number = ?", id, top).First(&r).Error; err != nil {
			return op, revision{}, err
		}
		text := r.Inverse
		if kind == "redo" {
			text = r.Operation
		}
		return op, revision{Kind: kind, Target: top, Label: kind + ": " + r.Label}, level.Decode(text, &op)
	})
}

// stacks replays the kinds of revisions into what can be undone and redone. The
// numbers are of edits; an undo or redo names the edit it is about.
func (s *Store) stacks(tx *gorm.DB, id string) (undo, redo []int, err error) {
	var rows []revision
	if err := tx.Select("number", "kind", "target").Where("level_id = ?", id).Order("number").Find(&rows).Error; err != nil {
		return nil, nil, err
	}
	for _, r := range rows {
		switch r.Kind {
		case "edit":
			undo, redo = append(undo, r.Number), nil
		case "undo":
			undo, redo = undo[:len(undo)-1], append(redo, r.Target)
		case "redo":
			undo, redo = append(undo, r.Target), redo[:len(redo)-1]
		}
	}
	return undo, redo, nil
}

// History lists revisions, newest first, those before a number, or all from the
// head for 0.
func (s *Store) History(a Asker, id string, before, limit int) ([]api.Revision, error) {
	if _, _, err := s.find(s.db, a, id, "Document"); err != nil {
		return nil, err
	}
	q := s.db.Preload("Author").Where("level_id = ?", id).Order("number DESC").Limit(limit)
	if before > 0 {
		q = q.Where("number < ?", before)
	}
	var rows []revision
	if err := q.Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]api.Revision, len(rows))
	for i := range rows {
		var err error
		if out[i], err = rows[i].public(); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// DeleteLevel removes a level with all its revisions; only its owner may.
func (s *Store) DeleteLevel(a Asker, id string) error {
	return s.change(func(tx *gorm.DB) error {
		if err := s.mustOwn(tx, a, id); err != nil {
			return err
		}
		s.docs.drop(id)
		return tx.Where("id = ?", id).Delete(&levelRow{}).Error
	})
}

func (s *Store) mustOwn(tx *gorm.DB, a Asker, id string) error {
	_, role, err := s.find(tx, a, id, "Document")
	if err == nil && role != Owner {
		err = fmt.Errorf("only its owner may do that: %w", ErrForbidden)
	}
	return err
}

// SetMember shares a level with a user, or takes it back with an empty role.
func (s *Store) SetMember(a Asker, id, name, role string) error {
	return s.change(func(tx *gorm.DB) error {
		if err := s.mustOwn(tx, a, id); err != nil {
			return err
		}
		ids, err := userIDs(tx, []string{name})
		if err != nil {
			return err
		}
		if ids[0] == a.ID {
			return fmt.Errorf("a level's owner has it already: %w", ErrTaken)
		}
		if role == "" {
			return tx.Where("level_id = ? AND user_id = ?", id, ids[0]).Delete(&member{}).Error
		}
		return tx.Omit("Level", "User").Save(&member{LevelID: id, UserID: ids[0], Role: role}).Error
	})
}

func (s *Store) members(tx *gorm.DB, id string) ([]api.Member, error) {
	var rows []member
	err := tx.Preload("User").Where("level_id = ?", id).Order("user_id").Find(&rows).Error
	out := make([]api.Member, len(rows))
	for i, m := range rows {
		out[i] = api.Member{User: m.User.Name, Role: m.Role}
	}
	return out, err
}

// docCache keeps the heads that were read last, so that an edit of a large level
// does not read it anew.
type docCache struct {
	mu   sync.Mutex
	docs []cachedDoc // newest last
}

type cachedDoc struct {
	id       string
	revision int
	doc      *level.Level
}

const cachedDocs = 12

func (c *docCache) get(id string, revision int) *level.Level {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, d := range c.docs {
		if d.id == id && d.revision == revision {
			return d.doc
		}
	}
	return nil
}

func (c *docCache) put(id string, revision int, doc *level.Level) {
	c.drop(id)
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.docs = append(c.docs, cachedDoc{id, revision, doc}); len(c.docs) > cachedDocs {
		c.docs = c.docs[1:]
	}
}

func (c *docCache) drop(id string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	kept := c.docs[:0:0]
	for _, d := range c.docs {
		if d.id != id {
			kept = append(kept, d)
		}
	}
	c.docs = kept
}

func compress(data []byte) []byte {
	z, _ := zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1)) // options are constant
	defer z.Close()
	return z.EncodeAll(data, nil)
}

func decompress(data []byte) ([]byte, error) {
	z, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(2*level.MaxBytes))
	if err != nil {
		return nil, err
	}
	defer z.Close()
	return z.DecodeAll(data, nil)
}
