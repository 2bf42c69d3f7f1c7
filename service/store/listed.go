package store

import (
	"slices"

	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/digest"
	"grotta/service/rights"
)

// This file is what a list shows of a level beside its row: sizes, bakes, checks, pictures.

// beside is what lists show of levels beside their rows, by id or by document.
type beside struct {
	bytes  map[string]int // of documents
	roles  map[string]rights.Role
	shared map[string]int
	baked  map[string]bakeRow // the newest that is done
}

// mostAtOnce is how many values one question to the database names.
const mostAtOnce = 500

func besides(tx *gorm.DB, a Asker, rows []levelRow) (*beside, error) {
	roles, err := rolesOf(tx, a, "")
	if err != nil {
		return nil, err
	}
	out := &beside{map[string]int{}, roles, map[string]int{}, map[string]bakeRow{}}
	for chunk := range slices.Chunk(rows, mostAtOnce) {
		hashes, ids := make([]string, len(chunk)), make([]string, len(chunk))
		for i := range chunk {
			hashes[i], ids[i] = chunk[i].Document, chunk[i].ID
		}
		var sizes []documentRow
		if err := tx.Select("hash", "bytes").Where("hash IN ?", hashes).Find(&sizes).Error; err != nil {
			return nil, err
		}
		for _, d := range sizes {
			out.bytes[d.Hash] = d.Bytes
		}
		var members []member
		if err := tx.Where("level_id IN ?", ids).Find(&members).Error; err != nil {
			return nil, err
		}
		for _, m := range members {
			out.shared[m.LevelID]++
		}
		var bakes []bakeRow
		if err := tx.Select("id", "level_id", "revision", "quality").Where("level_id IN ? AND state = ?", ids, "done").Order("created").Find(&bakes).Error; err != nil {
			return nil, err
		}
		for _, b := range bakes {
			out.baked[b.LevelID] = b
		}
	}
	return out, nil
}

func (b *beside) info(r *levelRow, a Asker) api.LevelInfo {
	role := b.roles[r.ID]
	if r.OwnerID == a.ID {
		role = rights.Owner
	}
	out := r.public(role, b.bytes[r.Document])
	bake := b.baked[r.ID]
	out.Baked, out.BakedRevision, out.Shared, out.Removed = bake.Quality, bake.Revision, b.shared[r.ID], r.Removed
	if r.Checked == checkedKey(r.Document, r.Platform) {
		out.Checked = &api.Counts{Errors: r.Errors, Warnings: r.Warnings}
	}
	return out
}

func checkedKey(document, platform string) string { return document + " " + platform }

// NoteCheck keeps what a check of a level's newest revision against its own platform found.
func (s *Store) NoteCheck(id string, revision, errors, warnings int) error {
	return s.change(func(tx *gorm.DB) error {
		var row levelRow
		if err := tx.Where("id = ? AND head = ?", id, revision).Limit(1).Find(&row).Error; err != nil || row.ID == "" {
			return err // it has moved on
		}
		key := checkedKey(row.Document, row.Platform)
		if row.Checked == key && row.Errors == errors && row.Warnings == warnings {
			return nil
		}
		return tx.Model(&row).Updates(map[string]any{"checked": key, "errors": errors, "warnings": warnings}).Error
	})
}

// Thumbnail is the key that a level's small picture has now, and the picture if it is kept
// under it. The key changes with the document and with the newest bake.
func (s *Store) Thumbnail(a Asker, id string) (key string, picture []byte, err error) {
	err = s.snapshot(func(tx *gorm.DB) error {
		row, _, err := s.find(tx, a, id)
		if err != nil {
			return err
		}
		var bake bakeRow
		if err := tx.Select("id").Where("level_id = ? AND state = ?", id, "done").Order("created DESC").Limit(1).Find(&bake).Error; err != nil {
			return err
		}
		key = digest.Bytes([]byte(row.Document + bake.ID)).String()
		var kept thumbnailRow
		err = tx.Where("level_id = ? AND key = ?", id, key).Limit(1).Find(&kept).Error
		picture = kept.Picture
		return err
	})
	return key, picture, err
}

// KeepThumbnail keeps a level's small picture under its key.
func (s *Store) KeepThumbnail(id, key string, picture []byte) error {
	return s.change(func(tx *gorm.DB) error {
		return tx.Omit("Level").Save(&thumbnailRow{LevelID: id, Key: key, Picture: picture}).Error
	})
}
