package store

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"github.com/go-json-experiment/json"
	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/level"
	"grotta/core/merge"
	"grotta/core/preset"
	"grotta/service/auth"
	"grotta/service/rights"
)

// This file puts presets into levels, notes it, and brings newer versions to where they were put.
// The note is beside the level, not in it: no edit can forge it.

// ApplyPreset puts a preset that the asker may see into a level that they may
// change, as one revision. base is the revision that they saw, or 0.
func (s *Store) ApplyPreset(ctx context.Context, a Asker, levelID, owner, name string, version int, place preset.Place, base int) (api.Revision, error) {
	found, err := s.findPreset(s.db, a, owner, name)
	if err != nil {
		return api.Revision{}, presetError(owner, name, version, err)
	}
	info, p, err := s.Preset(a, owner, name, version)
	if err != nil {
		return api.Revision{}, presetError(owner, name, version, err)
	}
	return s.revise(ctx, a, levelID, func(tx *gorm.DB, row *levelRow, doc *level.Level) (level.Operation, revision, error) {
		place.Origin = fmt.Sprintf("%s/%s@%d", info.Owner, info.Name, info.Version)
		op, takings, err := p.Apply(doc, place)
		if err != nil {
			return op, revision{}, err
		}
		rev := revision{Kind: "edit", Label: op.Describe()}
		for _, t := range takings {
			body, err := level.Encode(t)
			if err != nil {
				return op, rev, err
			}
			rev.takings = append(rev.takings, takingRow{PresetID: found.ID, Preset: info.Owner + "/" + info.Name, Kind: p.Kind, Version: info.Version, Hash: info.Hash, Rig: t.Rig(p), Body: body})
		}
		return op, rev, s.fits(tx, a, row, op, base)
	})
}

// keepTakings notes the presets of a revision.
func keepTakings(tx *gorm.DB, rev *revision) error {
	counts := map[string]int{}
	for i := range rev.takings {
		t := &rev.takings[i]
		t.ID, t.LevelID, t.Revision = auth.NewID(), rev.LevelID, rev.Number
		counts[t.PresetID]++
	}
	for part := range slices.Chunk(rev.takings, mostAtOnce) {
		if err := tx.Create(&part).Error; err != nil {
			return err
		}
	}
	for id := range counts {
		if err := tx.Exec("UPDATE presets SET taken = taken + 1 WHERE id = ?", id).Error; err != nil {
			return err
		}
	}
	return nil
}

// copyTakings notes what stands of a level's takings for a copy of it, as of its first revision.
func (s *Store) copyTakings(tx *gorm.DB, from, to string) error {
	rows, err := s.live(tx, from)
	if err != nil || len(rows) == 0 {
		return err
	}
	for i := range rows {
		rows[i].ID, rows[i].LevelID, rows[i].Revision = auth.NewID(), to, 1
	}
	for part := range slices.Chunk(rows, mostAtOnce) {
		if err := tx.Create(&part).Error; err != nil {
			return err
		}
	}
	return nil
}

// live are the takings of a level that stand: neither undone, ended, nor replaced by a later one.
func (s *Store) live(tx *gorm.DB, levelID string) ([]takingRow, error) {
	var rows []takingRow
	if err := tx.Where("level_id = ? AND NOT ended", levelID).Order("revision DESC").Find(&rows).Error; err != nil || len(rows) == 0 {
		return nil, err
	}
	var steps []revision
	if err := tx.Select("number", "kind", "target").Where("level_id = ? AND kind IN ?", levelID, []string{"undo", "redo"}).Order("number").Find(&steps).Error; err != nil {
		return nil, err
	}
	undone := map[int]bool{}
	for _, r := range steps {
		undone[r.Target] = r.Kind == "undo"
	}
	var out []takingRow
	covered := map[string]bool{}
	for _, row := range rows {
		if undone[row.Revision] {
			continue
		}
		var t preset.Taking
		if err := json.Unmarshal(row.Body, &t); err != nil {
			return nil, err
		}
		fresh := false
		for _, what := range covers(&row, &t) {
			fresh = fresh || !covered[what]
			covered[what] = true
		}
		if fresh {
			out = append(out, row)
		}
	}
	return out, nil
}

// covers names what a taking put into a level.
func covers(row *takingRow, t *preset.Taking) (all []string) {
	if row.Rig != "" {
		return []string{"rig " + row.Rig}
	}
	parts := t.Only
	if len(parts) == 0 {
		parts = preset.PartsOf(row.Kind)
	}
	for _, part := range parts {
		for _, zone := range t.Zones {
			all = append(all, zone+" "+part)
		}
		if len(t.Zones) == 0 {
			all = append(all, part)
		}
	}
	return all
}

// withTakings reads a level, and what was put into it and is still there.
func (s *Store) withTakings(a Asker, levelID string) (doc *level.Level, rows []takingRow, err error) {
	err = s.snapshot(func(tx *gorm.DB) (err error) {
		if _, doc, _, err = s.read(tx, a, levelID); err != nil {
			return err
		}
		rows, err = s.live(tx, levelID)
		return err
	})
	return doc, rows, err
}

// Origins says where the parts of a level came from.
func (s *Store) Origins(a Asker, levelID string) ([]api.Origin, error) {
	doc, rows, err := s.withTakings(a, levelID)
	if err != nil {
		return nil, err
	}
	out := []api.Origin{}
	host, books := preset.In(doc), s.newShelf(a)
	for i := range rows {
		row := &rows[i]
		var t preset.Taking
		if err := json.Unmarshal(row.Body, &t); err != nil {
			return nil, err
		}
		o := api.Origin{ID: row.ID, Preset: row.Preset, Kind: row.Kind, Version: row.Version, Hash: row.Hash, Revision: row.Revision, Rig: row.Rig, Only: t.Only, Zones: t.Zones, Changed: []preset.Changed{}}
		if o.Newest, o.Preset, err = books.newest(row); err != nil {
			return nil, err
		}
		was, err := books.version(row.PresetID, row.Version)
		if err != nil {
			return nil, err
		}
		if was == nil {
			o.Lost = true
			out = append(out, o)
			continue
		}
		if !host.Has(was, &t) {
			continue // all of the rig was removed
		}
		if o.Changed, err = was.ChangedSince(host, t); err != nil {
			return nil, err
		}
		o.Changed = append([]preset.Changed{}, o.Changed...)
		out = append(out, o)
	}
	slices.SortStableFunc(out, func(x, y api.Origin) int { return cmp.Compare(x.Kind, y.Kind) })
	return out, nil
}

// shelf reads versions of presets, each once.
type shelf struct {
	store  *Store
	asker  Asker
	books  map[string]*preset.Preset
	newOf  map[string]int
	nameOf map[string]string
}

func (s *Store) newShelf(a Asker) *shelf {
	return &shelf{s, a, map[string]*preset.Preset{}, map[string]int{}, map[string]string{}}
}

// version is a version of a preset, also of one that the asker may not see: they have what was taken
// of it. It is nil where it is there no more.
func (b *shelf) version(id string, version int) (*preset.Preset, error) {
	key := fmt.Sprintf("%s@%d", id, version)
	if p, known := b.books[key]; known {
		return p, nil
	}
	var v presetVersion
	if err := b.store.db.Where("preset_id = ? AND version = ?", id, version).Limit(1).Find(&v).Error; err != nil {
		return nil, err
	}
	if v.PresetID == "" {
		b.books[key] = nil
		return nil, nil
	}
	p, err := preset.Parse(v.Body)
	b.books[key] = p
	return p, err
}

// newest is the newest version of what was taken that the asker may see, and its name now.
func (b *shelf) newest(row *takingRow) (int, string, error) {
	if n, known := b.newOf[row.PresetID]; known {
		return n, b.nameOf[row.PresetID], nil
	}
	var found presetRow
	err := b.store.visible(b.store.db, b.asker).Where("presets.id = ?", row.PresetID).Limit(1).Find(&found).Error
	b.newOf[row.PresetID], b.nameOf[row.PresetID] = found.Last, row.Preset
	if found.ID != "" {
		b.nameOf[row.PresetID] = found.Owner.Name + "/" + found.Name
	}
	return b.newOf[row.PresetID], b.nameOf[row.PresetID], err
}

// UpdateOrigins brings what was taken to a newer version, or to any other that is asked for, as one
// revision. What was changed in the level since stays; clashes hold unless they are named.
func (s *Store) UpdateOrigins(ctx context.Context, a Asker, levelID string, want api.UpdateOrigins) (api.Updated, error) {
	out := api.Updated{Changes: []level.Change{}, Clashes: []merge.Clash{}}
	take := func(c merge.Clash) bool {
		return slices.Contains(want.Take, "all") || slices.Contains(want.Take, c.Name())
	}
	work := func(tx *gorm.DB, doc *level.Level) (level.Operation, []takingRow, error) {
		var op level.Operation
		rows, err := s.live(tx, levelID)
		if err != nil {
			return op, nil, err
		}
		host, books := preset.In(doc), s.newShelf(a)
		op = level.Batch("")
		var takings []takingRow
		for _, row := range rows {
			if len(want.IDs) > 0 && !slices.Contains(want.IDs, row.ID) {
				continue
			}
			step, next, clashes, err := books.update(host, row, want.Version, take)
			if err != nil {
				return op, nil, err
			}
			if next == nil {
				continue
			}
			op.Steps = append(op.Steps, step.Steps...)
			out.Clashes = append(out.Clashes, clashes...)
			takings = append(takings, *next)
		}
		out.Origins = len(takings)
		switch len(takings) {
		case 0:
			return op, nil, fmt.Errorf("everything is at that version already: %w", ErrNotFound)
		case 1:
			op.Label = fmt.Sprintf("Bring %s to version %d", takings[0].Preset, takings[0].Version)
		default:
			op.Label = fmt.Sprintf("Bring %d presets to other versions", len(takings))
		}
		return op, takings, nil
	}
	if want.Dry {
		return out, s.wouldChange(ctx, a, levelID, &out.Revision, &out.Changes, func(tx *gorm.DB, doc *level.Level) (level.Operation, error) {
			op, _, err := work(tx, doc)
			return op, err
		})
	}
	rev, err := s.revise(ctx, a, levelID, func(tx *gorm.DB, row *levelRow, doc *level.Level) (level.Operation, revision, error) {
		op, takings, err := work(tx, doc)
		return op, revision{Kind: "edit", Label: op.Label, takings: takings}, err
	})
	out.Revision = rev.Number
	return out, err
}

// wouldChange says what an operation would change in a level.
func (s *Store) wouldChange(ctx context.Context, a Asker, levelID string, number *int, changes *[]level.Change, make func(*gorm.DB, *level.Level) (level.Operation, error)) error {
	return s.snapshot(func(tx *gorm.DB) error {
		row, doc, _, err := s.read(tx, a, levelID)
		if err != nil {
			return err
		}
		*number = row.Head
		op, err := make(tx, doc)
		if err != nil {
			return err
		}
		next, _, err := doc.ApplyContext(ctx, op)
		if err != nil {
			return err
		}
		_, found, err := doc.Difference(ctx, next)
		*changes = append(*changes, found...)
		return err
	})
}

// update is what brings one taking to a version; next is nil where it is at that one, or where it
// cannot be known any more what was taken.
func (b *shelf) update(host *preset.Host, row takingRow, version int, take func(merge.Clash) bool) (op level.Operation, next *takingRow, clashes []merge.Clash, err error) {
	newest, name, err := b.newest(&row)
	if err != nil || newest == 0 {
		return op, nil, nil, err
	}
	if version == 0 {
		version = newest
	}
	was, err := b.version(row.PresetID, row.Version)
	if err != nil || was == nil || version == row.Version {
		return op, nil, nil, err
	}
	to, err := b.version(row.PresetID, version)
	if err != nil {
		return op, nil, nil, err
	}
	var t preset.Taking
	if err := json.Unmarshal(row.Body, &t); err != nil {
		return op, nil, nil, err
	}
	if to == nil || !host.Has(was, &t) {
		return op, nil, nil, nil
	}
	op, taking, clashes, err := was.Update(host, to, t, take)
	if err != nil {
		return op, nil, nil, err
	}
	row.Version, row.Preset = version, name
	if row.Hash, err = to.Hash(); err != nil {
		return op, nil, nil, err
	}
	row.Body, err = level.Encode(taking)
	return op, &row, clashes, err
}

// EndOrigin makes what was taken the level's own: it follows its preset no more.
func (s *Store) EndOrigin(a Asker, levelID, id string) error {
	return s.change(func(tx *gorm.DB) error {
		if _, role, err := s.find(tx, a, levelID); err != nil {
			return err
		} else if err := rights.AtLeast(role, rights.Editor); err != nil {
			return err
		}
		var row takingRow
		if err := tx.Where("level_id = ? AND id = ?", levelID, id).First(&row).Error; err != nil {
			return err
		}
		q := tx.Model(&takingRow{}).Where("level_id = ? AND id = ?", levelID, id)
		if row.Rig != "" { // with what it was before it was updated
			q = tx.Model(&takingRow{}).Where("level_id = ? AND rig = ?", levelID, row.Rig)
		}
		return q.Update("ended", true).Error
	})
}

// Credits lists what of a level somebody has to be named for: images, profiles, and the presets that
// were put into it.
func (s *Store) Credits(a Asker, levelID string) ([]api.CreditLine, error) {
	doc, rows, err := s.withTakings(a, levelID)
	if err != nil {
		return nil, err
	}
	out := []api.CreditLine{}
	for _, c := range preset.Credits(doc) {
		out = append(out, api.CreditLine{What: c.What, Name: c.Name, Credit: c.Credit, Licence: c.Licence})
	}
	named := map[string]bool{}
	for _, row := range rows {
		name := fmt.Sprintf("%s@%d", row.Preset, row.Version)
		if named[name] {
			continue
		}
		named[name] = true
		var v presetVersion
		if err := s.db.Omit("Body").Where("preset_id = ? AND version = ?", row.PresetID, row.Version).Limit(1).Find(&v).Error; err != nil {
			return nil, err
		}
		out = append(out, api.CreditLine{What: "preset", Name: name, Credit: v.Credit})
	}
	return out, nil
}

// checkedFor are the platforms that a level had no error against when it was last checked.
func (s *Store) checkedFor(tx *gorm.DB, levelID string) []string {
	var row levelRow
	if levelID == "" || tx.Where("id = ?", levelID).Limit(1).Find(&row).Error != nil || row.Platform == "" {
		return nil
	}
	if row.Checked == checkedKey(row.Document, row.Platform) && row.Errors == 0 {
		return []string{row.Platform}
	}
	return nil
}

// tellUsers tells the owners of levels that took a preset of a newer version.
func tellUsers(tx *gorm.DB, a Asker, row *presetRow) error {
	if row.Last < 2 {
		return nil
	}
	var owners []struct {
		OwnerID uint
		Name    string
		ID      string
	}
	err := tx.Raw("SELECT DISTINCT l.owner_id, l.name, l.id FROM levels l JOIN takings t ON t.level_id = l.id WHERE t.preset_id = ? AND NOT t.ended AND l.owner_id <> ? AND l.removed IS NULL", row.ID, a.ID).Scan(&owners).Error
	if err != nil {
		return err
	}
	for _, o := range owners {
		var may int64
		if err := tx.Model(&presetRow{}).Where(seen, map[string]any{"me": o.OwnerID}).Where("presets.id = ?", row.ID).Count(&may).Error; err != nil || may == 0 {
			continue
		}
		err := notify(tx, noticeRow{UserID: o.OwnerID, Kind: "preset", FromName: a.Name, LevelID: o.ID, About: o.Name, Text: fmt.Sprintf("saved version %d of %s, which this level uses", row.Last, row.Name)})
		if err != nil {
			return err
		}
	}
	return nil
}
