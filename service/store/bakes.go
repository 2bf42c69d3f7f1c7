package store

import (
	"errors"
	"fmt"
	"math"
	"strconv"
	"time"

	"github.com/go-json-experiment/json"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"grotta/api"
	"grotta/core/level"
	"grotta/service/auth"
)

// Bake is a job as the workers need it.
type Bake struct {
	api.Bake
	Keys  map[string]string // layer of each source
	Level *level.Level
	By    string // id of who started it
}

// NewBake records a bake of a level's document.
func (s *Store) NewBake(a Asker, id string, revision int, quality string, keys map[string]string, reused int, doc *level.Level) (api.Bake, error) {
	text, err := s.pack(doc)
	if err != nil {
		return api.Bake{}, err
	}
	names, err := json.Marshal(keys)
	if err != nil {
		return api.Bake{}, err
	}
	row := bakeRow{
		ID: auth.NewID(), LevelID: id, Revision: revision, Quality: quality, State: "queued", Keys: string(names),
		Document: text.Hash, Layers: len(keys), Reused: reused, AuthorID: a.ID, Created: time.Now().UTC(),
	}
	err = s.change(func(tx *gorm.DB) error {
		if _, _, err := s.find(tx, a, id); err != nil {
			return err
		}
		if err := s.mayBake(tx, a); err != nil {
			return err
		}
		if err := text.put(tx); err != nil {
			return err
		}
		return tx.Omit("Level").Create(&row).Error
	})
	return row.public(), err
}

// mayBake holds one more bake of somebody's against the quota.
func (s *Store) mayBake(tx *gorm.DB, a Asker) error {
	var under int64
	err := tx.Model(&bakeRow{}).Where("author_id = ? AND state IN ?", a.ID, unfinished).Count(&under).Error
	if err == nil && s.Quota.Bakes > 0 && int(under) >= s.Quota.Bakes {
		err = fmt.Errorf("%d bakes of yours are under way, which is the most; wait for one or cancel it: %w", under, ErrQuota)
	}
	return err
}

// unfinished are the states of bakes that are neither done nor given up.
var unfinished = []string{"queued", "running"}

func (r *bakeRow) public() api.Bake {
	b := api.Bake{
		ID: r.ID, Level: r.LevelID, Revision: r.Revision, Quality: r.Quality, State: r.State,
		Layers: r.Layers, Reused: r.Reused, Hash: r.Hash, Error: r.Error, Created: r.Created, Ended: r.Ended,
	}
	if r.State == "done" {
		b.Done = 1
	}
	return b
}

// Bake reads one that the asker may see.
func (s *Store) Bake(a Asker, id string) (api.Bake, error) {
	var row bakeRow
	if err := s.db.Where("id = ?", id).First(&row).Error; err != nil {
		return api.Bake{}, translate(err)
	}
	if !a.Admin { // who sees everybody's bakes
		if _, _, err := s.find(s.db, a, row.LevelID); err != nil {
			return api.Bake{}, err
		}
	}
	return row.public(), nil
}

// Bakes lists a level's, newest first.
func (s *Store) Bakes(a Asker, levelID string, limit int) ([]api.Bake, error) {
	if _, _, err := s.find(s.db, a, levelID); err != nil {
		return nil, err
	}
	var rows []bakeRow
	err := s.db.Where("level_id = ?", levelID).Order("created DESC").Limit(limit).Find(&rows).Error
	out := make([]api.Bake, len(rows))
	for i := range rows {
		out[i] = rows[i].public()
	}
	return out, err
}

// RecentBakes lists the bakes that the asker started, of an admin everybody's, newest first.
func (s *Store) RecentBakes(a Asker, limit int) ([]api.BakeLine, error) {
	var rows []struct {
		Row       bakeRow `gorm:"embedded"`
		LevelName string
		Author    string
	}
	q := s.db.Table("bakes").Select("bakes.*, levels.name AS level_name, users.name AS author").
		Joins("JOIN levels ON levels.id = bakes.level_id").Joins("LEFT JOIN users ON users.id = bakes.author_id")
	if !a.Admin {
		q = q.Where("bakes.author_id = ?", a.ID)
	}
	err := q.Order("bakes.created DESC").Limit(limit).Scan(&rows).Error
	out := make([]api.BakeLine, len(rows))
	for i, r := range rows {
		out[i] = api.BakeLine{Bake: r.Row.public(), LevelName: r.LevelName, Author: r.Author}
		if r.Row.Ended != nil {
			out[i].TookS = math.Round(r.Row.Ended.Sub(r.Row.Created).Seconds()*10) / 10
		}
	}
	return out, err
}

// BakeForWork reads a bake with its document, for a worker.
func (s *Store) BakeForWork(id string) (*Bake, error) {
	var row bakeRow
	if err := s.db.Where("id = ?", id).First(&row).Error; err != nil {
		return nil, translate(err)
	}
	doc, err := s.document(s.db, row.Document)
	if err != nil {
		return nil, fmt.Errorf("bake %s: %w", id, err)
	}
	b := &Bake{Bake: row.public(), Level: doc, By: strconv.FormatUint(uint64(row.AuthorID), 10)}
	return b, json.Unmarshal([]byte(row.Keys), &b.Keys)
}

// SetBakeKeys names the layers of a bake that is not over.
func (s *Store) SetBakeKeys(id string, keys map[string]string) error {
	names, err := json.Marshal(keys)
	if err != nil {
		return err
	}
	return s.change(func(tx *gorm.DB) error {
		return tx.Model(&bakeRow{}).Where("id = ? AND state IN ?", id, unfinished).Updates(map[string]any{"keys": string(names), "layers": len(keys)}).Error
	})
}

// BakeState reads only the state, for a worker.
func (s *Store) BakeState(id string) (string, error) {
	var row bakeRow
	err := s.db.Select("state").Where("id = ?", id).First(&row).Error
	return row.State, translate(err)
}

// UnfinishedBakes lists the ids of bakes that are neither done nor given up.
func (s *Store) UnfinishedBakes() ([]string, error) {
	var ids []string
	err := s.db.Model(&bakeRow{}).Where("state IN ?", unfinished).Order("created").Pluck("id", &ids).Error
	return ids, err
}

// ErrOver is a bake whose state does not change any more.
var ErrOver = errors.New("the bake is over")

// SetBakeState moves a bake on; ErrOver if it has ended.
func (s *Store) SetBakeState(id, state, hash, fault string) (api.Bake, error) {
	var row bakeRow
	err := s.change(func(tx *gorm.DB) error {
		if err := tx.Where("id = ?", id).First(&row).Error; err != nil {
			return err
		}
		if row.Ended != nil {
			return ErrOver
		}
		row.State, row.Hash, row.Error = state, hash, fault
		if state != "queued" && state != "running" {
			now := time.Now().UTC()
			row.Ended = &now
		}
		return tx.Model(&row).Select("state", "hash", "error", "ended").Updates(&row).Error
	})
	return row.public(), err
}

// LayerBlobs tells which of some keys have a layer, and in which blob.
func (s *Store) LayerBlobs(keys []string) (map[string]string, error) {
	found := map[string]string{}
	for from := 0; from < len(keys); from += 500 {
		var rows []layerRow
		if err := s.db.Where("key IN ?", keys[from:min(from+500, len(keys))]).Find(&rows).Error; err != nil {
			return nil, err
		}
		for _, r := range rows {
			found[r.Key] = r.Blob
		}
	}
	return found, nil
}

// AddLayer records the blob of a layer. Adding it again changes nothing.
func (s *Store) AddLayer(key, blob string, size int) error {
	return s.change(func(tx *gorm.DB) error {
		return tx.Clauses(clause.OnConflict{DoNothing: true}).
			Create(&layerRow{Key: key, Blob: blob, Bytes: size, Created: time.Now().UTC()}).Error
	})
}

// DropLayer forgets a layer whose blob is lost or damaged.
func (s *Store) DropLayer(key string) error {
	return s.change(func(tx *gorm.DB) error { return tx.Where("key = ?", key).Delete(&layerRow{}).Error })
}

// DropLayersWithout forgets the layers whose blob is not there.
func (s *Store) DropLayersWithout(has func(blob string) bool) error {
	return s.change(func(tx *gorm.DB) error {
		var all []layerRow
		if err := tx.Find(&all).Error; err != nil {
			return err
		}
		for _, l := range all {
			if has(l.Blob) {
				continue
			}
			if err := tx.Delete(&l).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// LastBake is a level's newest bake that is done, at a quality or "" for any, with
// its document; nil where there is none.
func (s *Store) LastBake(levelID, quality string) (*Bake, error) {
	var ids []string
	err := s.db.Model(&bakeRow{}).Where("level_id = ? AND state = ? AND (quality = ? OR ? = '')", levelID, "done", quality, quality).Order("created DESC").Limit(1).Pluck("id", &ids).Error
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	return s.BakeForWork(ids[0])
}

// What is kept of a level's bakes: layers are those of its newest keptBakes, records are
// its newest keptRecords and the newest that is done at each quality.
const (
	keptBakes   = 5
	keptRecords = 20
)

// ForgetLayers drops the layers made before a time that no level's newest bakes
// name, and returns the blobs that nothing names any more, with their bytes.
func (s *Store) ForgetLayers(before time.Time) (blobs []string, bytes int64, err error) {
	err = s.change(func(tx *gorm.DB) error {
		if err := pruneBakes(tx); err != nil {
			return err
		}
		var bakes []bakeRow
		if err := tx.Select("level_id", "state", "keys").Order("created DESC").Find(&bakes).Error; err != nil {
			return err
		}
		used, seen := map[string]bool{}, map[string]int{}
		for _, b := range bakes {
			seen[b.LevelID]++
			if seen[b.LevelID] > keptBakes && b.State != "queued" && b.State != "running" {
				continue
			}
			keys := map[string]string{}
			if err := json.Unmarshal([]byte(b.Keys), &keys); err != nil {
				return err
			}
			for _, key := range keys {
				used[key] = true
			}
		}
		var layers []layerRow
		if err := tx.Find(&layers).Error; err != nil {
			return err
		}
		named, dropped := map[string]bool{}, []layerRow{}
		for _, l := range layers {
			if used[l.Key] || !l.Created.Before(before) {
				named[l.Blob] = true
			} else {
				dropped = append(dropped, l)
			}
		}
		for _, l := range dropped {
			if err := tx.Delete(&l).Error; err != nil {
				return err
			}
			if !named[l.Blob] {
				named[l.Blob] = true
				blobs = append(blobs, l.Blob)
				bytes += int64(l.Bytes)
			}
		}
		return nil
	})
	return blobs, bytes, err
}

// pruneBakes deletes records of bakes that are over and old, and their documents.
func pruneBakes(tx *gorm.DB) error {
	var bakes []bakeRow
	if err := tx.Select("id", "level_id", "state", "quality", "document_hash").Order("created DESC").Find(&bakes).Error; err != nil {
		return err
	}
	type done struct{ level, quality string }
	count, newest := map[string]int{}, map[done]bool{}
	for _, b := range bakes {
		count[b.LevelID]++
		isNewest := b.State == "done" && !newest[done{b.LevelID, b.Quality}]
		newest[done{b.LevelID, b.Quality}] = newest[done{b.LevelID, b.Quality}] || b.State == "done"
		if count[b.LevelID] <= keptRecords || isNewest || b.State == "queued" || b.State == "running" {
			continue
		}
		if err := tx.Where("id = ?", b.ID).Delete(&bakeRow{}).Error; err != nil {
			return err
		}
		if err := dropUnused(tx, b.Document); err != nil {
			return err
		}
	}
	return nil
}
