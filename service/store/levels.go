package store

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
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
	return fmt.Sprintf("%s was set to %s by %s in revision %d; yours is %s", c.Path, Short(c.Theirs), c.Author, c.Revision, Short(c.Yours))
}

// Short is a value as JSON, or words in its place where that is long.
func Short(v any) string {
	text, err := level.Encode(v)
	if err != nil || len(text) > 80 {
		return "another value"
	}
	return string(text)
}

// CreateLevel stores a validated document as a new level with revision 1. ErrQuota where
// the asker has no room for it.
func (s *Store) CreateLevel(a Asker, l *level.Level, label string) (api.LevelInfo, error) {
	doc, err := s.pack(l)
	if err != nil {
		return api.LevelInfo{}, err
	}
	row := levelRow{ID: auth.NewID(), OwnerID: a.ID, Created: time.Now().UTC(), Owner: user{ID: a.ID, Name: a.Name}}
	row.setHead(doc, 1)
	err = s.change(func(tx *gorm.DB) error {
		if err := s.hasRoom(tx, a.ID, 1, doc.Bytes); err != nil {
			return err
		}
		if err := doc.put(tx); err != nil {
			return err
		}
		if err := tx.Omit("Owner").Create(&row).Error; err != nil {
			return err
		}
		return tx.Omit("Author", "Level").Create(&revision{
			LevelID: row.ID, Number: 1, AuthorID: a.ID, Kind: "create", Label: label, Created: row.Created,
		}).Error
	})
	if err == nil {
		s.keep(doc)
	}
	return row.public(rights.Owner, doc.Bytes), err
}

// hasRoom holds so many more levels and bytes of somebody's against the quota.
// Deleted ones count too, and go for good where room is needed.
func (s *Store) hasRoom(tx *gorm.DB, owner uint, levels, bytes int) error {
	for {
		err := s.wouldFit(tx, owner, levels, bytes)
		if !errors.Is(err, ErrQuota) {
			return err
		}
		if gone, failed := dropOldestRemoved(tx, owner); failed != nil || !gone {
			return errors.Join(failed, err)
		}
	}
}

func (s *Store) wouldFit(tx *gorm.DB, owner uint, levels, bytes int) error {
	var have struct {
		Levels int
		Bytes  int64
	}
	err := tx.Raw("SELECT count(*) AS levels, coalesce(sum(d.bytes), 0) AS bytes FROM levels l LEFT JOIN documents d ON d.hash = l.document_hash WHERE l.owner_id = ?", owner).Scan(&have).Error
	switch q := s.Quota; {
	case err != nil:
		return err
	case q.Levels > 0 && have.Levels+levels > q.Levels:
		return fmt.Errorf("there are %d levels of this owner, and the most is %d; delete one first: %w", have.Levels, q.Levels, ErrQuota)
	case q.Bytes > 0 && bytes > 0 && have.Bytes+int64(bytes) > q.Bytes:
		return fmt.Errorf("the levels of this owner take %d bytes, and with this they would take more than %d, which is the most: %w", have.Bytes, q.Bytes, ErrQuota)
	}
	return nil
}

func (r *levelRow) setHead(doc *packed, number int) {
	l := doc.level
	r.Document, r.Head, r.Changed, r.Fault = doc.Hash, number, time.Now().UTC(), ""
	r.Name, r.Platform = l.Name, l.Platform
	r.Solids, r.Meshes, r.Lights = len(l.Solids), len(l.Meshes), len(l.Lights)
}

func (r *levelRow) public(role rights.Role, bytes int) api.LevelInfo {
	return api.LevelInfo{
		ID: r.ID, Name: r.Name, Owner: r.Owner.Name, Role: role.String(), Revision: r.Head, Platform: r.Platform,
		Changed: r.Changed, Solids: r.Solids, Meshes: r.Meshes, Lights: r.Lights, Bytes: bytes, Fault: r.Fault,
		Parent: r.Parent, Variant: r.Variant,
	}
}

// Levels lists what the asker may see, last changed first.
func (s *Store) Levels(a Asker) ([]api.LevelInfo, error) {
	roles, err := rolesOf(s.db, a, "")
	if err != nil {
		return nil, err
	}
	shared := slices.Collect(maps.Keys(roles))
	out, err := s.list(a, "removed IS NULL AND owner_id = ?", a.ID)
	for part := range slices.Chunk(shared, mostAtOnce) {
		more, failed := s.list(a, "removed IS NULL AND owner_id <> ? AND id IN ?", a.ID, part)
		out, err = append(out, more...), cmp.Or(err, failed)
	}
	slices.SortStableFunc(out, func(x, y api.LevelInfo) int { return y.Changed.Compare(x.Changed) })
	return out, err
}

// list is what a condition finds among the levels, as the asker sees it.
func (s *Store) list(a Asker, condition string, args ...any) (out []api.LevelInfo, err error) {
	err = s.snapshot(func(tx *gorm.DB) error {
		var rows []levelRow
		if err := tx.Preload("Owner").Where(condition, args...).Order("changed DESC").Find(&rows).Error; err != nil {
			return err
		}
		beside, err := besides(tx, a, rows)
		if err != nil {
			return err
		}
		out = make([]api.LevelInfo, len(rows))
		for i := range rows {
			out[i] = beside.info(&rows[i], a)
		}
		return nil
	})
	return out, err
}

// Role is what somebody is to a level; rights.Nobody also where there is no such level.
func (s *Store) Role(a Asker, levelID string) (rights.Role, error) {
	_, role, err := s.find(s.db, a, levelID)
	if errors.Is(err, ErrNotFound) {
		return rights.Nobody, nil
	}
	return role, err
}

// RoleOnBake is what somebody is to the level of a bake.
func (s *Store) RoleOnBake(a Asker, bakeID string) (rights.Role, error) {
	var row bakeRow
	if err := s.db.Select("level_id").Where("id = ?", bakeID).Limit(1).Find(&row).Error; err != nil {
		return rights.Nobody, err
	}
	return s.Role(a, row.LevelID)
}

// find reads a level and the asker's role; ErrNotFound where they have none, so
// that the existence of others' levels does not show.
func (s *Store) find(tx *gorm.DB, a Asker, id string) (*levelRow, rights.Role, error) {
	var row levelRow
	if err := tx.Preload("Owner").Where("id = ? AND removed IS NULL", id).First(&row).Error; err != nil {
		return nil, rights.Nobody, translate(err)
	}
	if row.OwnerID == a.ID {
		return &row, rights.Owner, nil
	}
	roles, err := rolesOf(tx, a, id)
	if err == nil && roles[id] == rights.Nobody {
		err = ErrNotFound
	}
	if err != nil {
		return nil, rights.Nobody, err
	}
	return &row, roles[id], nil
}

// Level reads a level at its head. The document is shared: it must not be
// changed, only applied to. ErrUnreadable where it no longer reads; the level then
// carries the fault.
func (s *Store) Level(a Asker, id string) (info api.LevelInfo, doc *level.Level, err error) {
	err = s.snapshot(func(tx *gorm.DB) error {
		var row *levelRow
		if row, doc, info, err = s.read(tx, a, id); err != nil && row != nil && errors.Is(err, ErrUnreadable) {
			info.Fault = err.Error()
		}
		return err
	})
	if errors.Is(err, ErrUnreadable) {
		return info, nil, errors.Join(err, s.setFault(id, info.Fault))
	}
	return info, doc, err
}

// read reads a level within a transaction.
func (s *Store) read(tx *gorm.DB, a Asker, id string) (row *levelRow, doc *level.Level, info api.LevelInfo, err error) {
	row, role, err := s.find(tx, a, id)
	if err != nil {
		return nil, nil, info, err
	}
	var size documentRow
	if err := tx.Select("bytes").Where("hash = ?", row.Document).Limit(1).Find(&size).Error; err != nil {
		return row, nil, info, err
	}
	doc, err = s.document(tx, row.Document)
	return row, doc, row.public(role, size.Bytes), err
}

// setFault notes why a level's document cannot be read.
func (s *Store) setFault(id, fault string) error {
	return s.change(func(tx *gorm.DB) error {
		return tx.Model(&levelRow{}).Where("id = ? AND fault <> ?", id, fault).Update("fault", fault).Error
	})
}

// Text is a level's document as it is stored, also where it no longer reads as a level.
func (s *Store) Text(a Asker, id string) (text []byte, err error) {
	err = s.snapshot(func(tx *gorm.DB) error {
		row, _, err := s.find(tx, a, id)
		if err != nil {
			return err
		}
		text, err = s.documentText(tx, row.Document)
		return err
	})
	return text, err
}

// Document is Level with what the console shows beside it.
func (s *Store) Document(a Asker, id string) (out api.Document, err error) {
	err = s.snapshot(func(tx *gorm.DB) error {
		var doc *level.Level
		if _, doc, out.Level, err = s.read(tx, a, id); err != nil {
			return err
		}
		out.Document = doc
		if out.Members, err = s.members(tx, id); err != nil {
			return err
		}
		if out.Teams, err = teamsOf(tx, id); err != nil {
			return err
		}
		undo, redo, err := s.stacks(tx, a, id)
		out.CanUndo, out.CanRedo = len(undo) > 0, len(redo) > 0
		return err
	})
	return out, err
}

// Apply makes a revision of an operation. base is the revision that the asker
// saw, or 0 for whatever is there; what was changed since then and is not
// touched by the operation stays. Errors: *level.Invalid, *Conflict.
func (s *Store) Apply(ctx context.Context, a Asker, id string, op level.Operation, base int) (api.Revision, error) {
	return s.revise(ctx, a, id, func(tx *gorm.DB, row *levelRow, _ *level.Level) (level.Operation, revision, error) {
		return op, revision{Kind: "edit", Label: op.Describe()}, s.fits(tx, a, row, op, base)
	})
}

// fits holds an operation that is based on a revision, or on whatever is there for 0, against what
// others did since.
func (s *Store) fits(tx *gorm.DB, a Asker, row *levelRow, op level.Operation, base int) error {
	switch {
	case base > row.Head:
		return &Conflict{Path: "revision", Yours: base, Theirs: row.Head, Revision: row.Head, Author: "nobody"}
	case base > 0 && base < row.Head:
		return s.clash(tx, a, row.ID, op, base)
	}
	return nil
}

// clash looks for a field that somebody else changed after base and that op changes too. An
// edit that was undone since is no change. The asker's own edits never clash: the newest holds.
func (s *Store) clash(tx *gorm.DB, a Asker, id string, op level.Operation, base int) error {
	var since []revision
	if err := tx.Preload("Author").Where("level_id = ? AND number > ?", id, base).Order("number DESC").Find(&since).Error; err != nil {
		return err
	}
	mine, undone := op.Touched(), map[int]bool{}
	for _, r := range since { // newest first, so the last step of an edit decides
		switch r.Kind {
		case "undo", "redo":
			if _, seen := undone[r.Target]; !seen {
				undone[r.Target] = r.Kind == "undo"
			}
			if r.Target > base {
				continue // its edit is among these, and says what it changes
			}
		default:
			if undone[r.Number] {
				continue
			}
		}
		if r.AuthorID == a.ID {
			continue
		}
		var theirs level.Operation
		if err := decodeOperation(r.Operation, &theirs); err != nil {
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

// choice is what an edit does to a level as it is, and how the revision is noted.
type choice func(tx *gorm.DB, row *levelRow, doc *level.Level) (level.Operation, revision, error)

// revise makes a revision of a level. Edits of one level wait for each other; those of
// others go on meanwhile. All that takes time, applying, validating and compressing,
// happens before the database is locked for the few rows that are written.
func (s *Store) revise(ctx context.Context, a Asker, id string, choose choice) (api.Revision, error) {
	unlock, err := s.editing.Lock(ctx, id)
	if err != nil {
		return api.Revision{}, err
	}
	defer unlock()
	var row *levelRow
	var doc *level.Level
	var op level.Operation
	var rev revision
	err = s.snapshot(func(tx *gorm.DB) (err error) {
		var info api.LevelInfo
		if row, doc, info, err = s.read(tx, a, id); err != nil {
			return err
		}
		if err := rights.AtLeast(rights.RoleNamed(info.Role), rights.Editor); err != nil {
			return err
		}
		op, rev, err = choose(tx, row, doc)
		return err
	})
	if err != nil {
		return api.Revision{}, err
	}
	next, inverse, err := doc.ApplyContext(ctx, op)
	if err != nil {
		return api.Revision{}, err
	}
	after, err := s.pack(next)
	if err != nil {
		return api.Revision{}, err
	}
	rev.LevelID, rev.Number, rev.AuthorID, rev.Created = id, row.Head+1, a.ID, time.Now().UTC()
	if rev.Operation, err = level.Encode(op); err != nil {
		return api.Revision{}, err
	}
	if rev.Inverse, err = level.Encode(inverse); err != nil {
		return api.Revision{}, err
	}
	if err := ctx.Err(); err != nil {
		return api.Revision{}, err
	}
	if err := s.commit(row, after, &rev); err != nil {
		return api.Revision{}, err
	}
	s.keep(after)
	rev.Author.Name = a.Name
	return rev.public()
}

// commit writes a revision and the level's new head. ErrMoved where another process
// has changed the level since it was read.
func (s *Store) commit(was *levelRow, after *packed, rev *revision) error {
	return s.change(func(tx *gorm.DB) error {
		var before documentRow
		if err := tx.Select("bytes").Where("hash = ?", was.Document).Limit(1).Find(&before).Error; err != nil {
			return err
		}
		if err := s.hasRoom(tx, was.OwnerID, 0, after.Bytes-before.Bytes); err != nil {
			return err
		}
		if err := after.put(tx); err != nil {
			return err
		}
		row := *was
		row.setHead(after, rev.Number)
		r := tx.Model(&levelRow{}).Where("id = ? AND head = ?", was.ID, was.Head).
			Select("document_hash", "head", "changed", "fault", "name", "platform", "solids", "meshes", "lights").Updates(&row)
		if r.Error == nil && r.RowsAffected == 0 {
			r.Error = ErrMoved
		}
		if r.Error != nil {
			return r.Error
		}
		if err := dropUnused(tx, was.Document); err != nil {
			return err
		}
		if err := tx.Omit("Author", "Level").Create(rev).Error; err != nil {
			return err
		}
		if err := keepMerged(tx, rev.merged); err != nil {
			return err
		}
		return keepTakings(tx, rev)
	})
}

// ErrMoved is a level that was deleted, or changed by another process, while an edit of
// it was worked out.
var ErrMoved = errors.New("the level was changed or deleted meanwhile; try again")

func (r *revision) public() (api.Revision, error) {
	out := api.Revision{Number: r.Number, Author: r.Author.Name, Time: r.Created, Kind: r.Kind, Label: r.Label}
	if len(r.Operation) > 0 {
		out.Operation = new(level.Operation)
		if err := decodeOperation(r.Operation, out.Operation); err != nil {
			return out, err
		}
	}
	return out, nil
}

// decodeOperation reads an operation as it is stored. One that the service made itself, such as a rig
// of many lights, may have more steps than one that is sent.
func decodeOperation(text []byte, op *level.Operation) error { return json.Unmarshal(text, op) }

// Undo takes back the asker's newest edit that stands. What others have done since stays. The
// error is ErrNotFound where there is none, and a *Conflict where somebody else has changed
// the same since.
func (s *Store) Undo(ctx context.Context, a Asker, id string) (api.Revision, error) {
	return s.step(ctx, a, id, "undo")
}

// Redo does again what the asker's last undo took back; ErrNotFound after a new edit of
// theirs, and a *Conflict as of Undo.
func (s *Store) Redo(ctx context.Context, a Asker, id string) (api.Revision, error) {
	return s.step(ctx, a, id, "redo")
}

func (s *Store) step(ctx context.Context, a Asker, id, kind string) (api.Revision, error) {
	return s.revise(ctx, a, id, func(tx *gorm.DB, _ *levelRow, _ *level.Level) (level.Operation, revision, error) {
		var op level.Operation
		undo, redo, err := s.stacks(tx, a, id)
		if err != nil {
			return op, revision{}, err
		}
		stack := undo
		if kind == "redo" {
			stack = redo
		}
		if len(stack) == 0 {
			return op, revision{}, fmt.Errorf("you have nothing to %s here: %w", kind, ErrNotFound)
		}
		top := stack[len(stack)-1]
		var r revision
		if err := tx.Where("level_id = ? AND number = ?", id, top.edit).First(&r).Error; err != nil {
			return op, revision{}, err
		}
		text := r.Inverse
		if kind == "redo" {
			text = r.Operation
		}
		if err := decodeOperation(text, &op); err != nil {
			return op, revision{}, err
		}
		return op, revision{Kind: kind, Target: top.edit, Label: kind + ": " + r.Label}, s.clash(tx, a, id, op, top.last)
	})
}

// doneEdit is an edit, and the revision that last did it, undid it or did it again.
type doneEdit struct{ edit, last int }

// stacks replays the asker's revisions into what they can undo and redo. An undo or redo
// names the edit it is about. Of an edit that was taken back by somebody else, as could be
// done once, nothing can be undone.
func (s *Store) stacks(tx *gorm.DB, a Asker, id string) (undo, redo []doneEdit, err error) {
	var rows []revision
	if err := tx.Select("number", "kind", "target", "author_id").Where("level_id = ?", id).Order("number").Find(&rows).Error; err != nil {
		return nil, nil, err
	}
	without := func(list []doneEdit, edit int) []doneEdit {
		return slices.DeleteFunc(list, func(e doneEdit) bool { return e.edit == edit })
	}
	for _, r := range rows {
		mine := r.AuthorID == a.ID
		switch {
		case r.Kind == "edit" && mine:
			undo, redo = append(undo, doneEdit{r.Number, r.Number}), nil
		case r.Kind == "undo":
			if undo = without(undo, r.Target); mine {
				redo = append(redo, doneEdit{r.Target, r.Number})
			}
		case r.Kind == "redo":
			if redo = without(redo, r.Target); mine {
				undo = append(undo, doneEdit{r.Target, r.Number})
			}
		}
	}
	return undo, redo, nil
}

// mostHistoryBytes bounds a page of history by the text of its operations.
const mostHistoryBytes = 4 << 20

// History lists revisions, newest first, those before a number, or all from the
// head for 0. A page ends at the limit, or once its operations have mostHistoryBytes.
func (s *Store) History(a Asker, id string, before, limit int) (out []api.Revision, err error) {
	err = s.snapshot(func(tx *gorm.DB) error {
		if _, _, err := s.find(tx, a, id); err != nil {
			return err
		}
		q := tx.Model(&revision{}).Select("number", "length(operation) AS bytes").Where("level_id = ?", id).Order("number DESC").Limit(limit)
		if before > 0 {
			q = q.Where("number < ?", before)
		}
		var sizes []struct{ Number, Bytes int }
		if err := q.Scan(&sizes).Error; err != nil || len(sizes) == 0 {
			return err
		}
		last, bytes := sizes[0].Number, 0
		for _, r := range sizes {
			if bytes += r.Bytes; bytes > mostHistoryBytes && r.Number != sizes[0].Number {
				break
			}
			last = r.Number
		}
		var rows []revision
		err := tx.Preload("Author").Omit("Inverse").Where("level_id = ? AND number BETWEEN ? AND ?", id, last, sizes[0].Number).Order("number DESC").Find(&rows).Error
		if err != nil {
			return err
		}
		out = make([]api.Revision, len(rows))
		for i := range rows {
			if out[i], err = rows[i].public(); err != nil {
				return err
			}
		}
		return nil
	})
	return out, err
}

func (s *Store) mustOwn(tx *gorm.DB, a Asker, id string) error {
	_, role, err := s.find(tx, a, id)
	if err == nil {
		err = rights.AtLeast(role, rights.Owner)
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
		if err := tx.Omit("Level", "User").Save(&member{LevelID: id, UserID: ids[0], Role: role}).Error; err != nil {
			return err
		}
		return notify(tx, noticeRow{UserID: ids[0], Kind: "shared", FromName: a.Name, LevelID: id, About: nameOf(tx, id), Text: "shares this level with you as " + role})
	})
}

func nameOf(tx *gorm.DB, levelID string) (name string) {
	tx.Model(&levelRow{}).Where("id = ?", levelID).Pluck("name", &name)
	return name
}

// GiveLevel makes somebody else the owner of a level; who gives it stays an editor.
func (s *Store) GiveLevel(a Asker, id, to string) error {
	return s.change(func(tx *gorm.DB) error {
		if err := s.mustOwn(tx, a, id); err != nil {
			return err
		}
		ids, err := userIDs(tx, []string{to})
		if err != nil {
			return err
		}
		if ids[0] == a.ID {
			return fmt.Errorf("it is yours already: %w", ErrTaken)
		}
		var row levelRow
		if err := tx.Where("id = ?", id).First(&row).Error; err != nil {
			return err
		}
		var doc documentRow
		if err := tx.Select("bytes").Where("hash = ?", row.Document).Limit(1).Find(&doc).Error; err != nil {
			return err
		}
		if err := s.hasRoom(tx, ids[0], 1, doc.Bytes); err != nil {
			return err
		}
		if err := tx.Where("level_id = ? AND user_id = ?", id, ids[0]).Delete(&member{}).Error; err != nil {
			return err
		}
		if err := tx.Omit("Level", "User").Save(&member{LevelID: id, UserID: a.ID, Role: rights.Editor.String()}).Error; err != nil {
			return err
		}
		if err := tx.Model(&levelRow{}).Where("id = ?", id).Update("owner_id", ids[0]).Error; err != nil {
			return err
		}
		return notify(tx, noticeRow{UserID: ids[0], Kind: "given", FromName: a.Name, LevelID: id, About: row.Name, Text: "made you the owner of this level"})
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

// CopyLevel makes a level of the asker's own from one that they may see, with or without its history.
func (s *Store) CopyLevel(a Asker, id string, want api.LevelCopy) (api.LevelInfo, error) {
	info, doc, err := s.Level(a, id)
	if err != nil {
		return api.LevelInfo{}, err
	}
	next := *doc
	if next.Name = want.Name; want.Name == "" {
		next.Name = copyName(doc.Name)
	}
	if want.History {
		return s.copyWithHistory(a, info, &next)
	}
	made, err := s.CreateLevel(a, &next, "copy of "+info.Name)
	if err != nil {
		return made, err
	}
	made.Role = rights.Owner.String()
	return made, s.change(func(tx *gorm.DB) error { return s.copyTakings(tx, id, made.ID) })
}

// copyWithHistory copies a level with all its revisions. Its new name is one revision more, so that
// the ones before are as they were.
func (s *Store) copyWithHistory(a Asker, info api.LevelInfo, next *level.Level) (api.LevelInfo, error) {
	doc, err := s.pack(next)
	if err != nil {
		return api.LevelInfo{}, err
	}
	row := levelRow{ID: auth.NewID(), OwnerID: a.ID, Created: time.Now().UTC(), Owner: user{ID: a.ID, Name: a.Name}}
	row.setHead(doc, info.Revision+1)
	op, err := level.Encode(level.Set("", map[string]any{"name": next.Name}))
	if err != nil {
		return api.LevelInfo{}, err
	}
	inverse, err := level.Encode(level.Set("", map[string]any{"name": info.Name}))
	if err != nil {
		return api.LevelInfo{}, err
	}
	err = s.change(func(tx *gorm.DB) error {
		if err := s.hasRoom(tx, a.ID, 1, doc.Bytes); err != nil {
			return err
		}
		if err := doc.put(tx); err != nil {
			return err
		}
		if err := tx.Omit("Owner").Create(&row).Error; err != nil {
			return err
		}
		err := tx.Exec(`INSERT INTO revisions (level_id, number, author_id, kind, target, label, operation, inverse, created)
			SELECT ?, number, author_id, kind, target, label, operation, inverse, created FROM revisions WHERE level_id = ? AND number <= ?`, row.ID, info.ID, info.Revision).Error
		if err != nil {
			return err
		}
		err = tx.Exec(`INSERT INTO takings (id, level_id, revision, preset_id, preset, kind, version, hash, rig, body, ended)
			SELECT lower(hex(randomblob(8))), ?, revision, preset_id, preset, kind, version, hash, rig, body, ended FROM takings WHERE level_id = ?`, row.ID, info.ID).Error
		if err != nil {
			return err
		}
		return tx.Omit("Author", "Level").Create(&revision{LevelID: row.ID, Number: row.Head, AuthorID: a.ID, Kind: "edit", Label: "copy of " + info.Name, Operation: op, Inverse: inverse, Created: row.Created}).Error
	})
	return row.public(rights.Owner, doc.Bytes), err
}

// mostNameLength is what a level's name may have, in characters.
const mostNameLength = 120

func copyName(name string) string {
	const suffix = ", copy"
	runes := []rune(name)
	return string(runes[:min(len(runes), mostNameLength-len(suffix))]) + suffix
}
