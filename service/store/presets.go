package store

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json"
	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/level"
	"grotta/core/preset"
	"grotta/service/auth"
	"grotta/service/rights"
)

// This file keeps presets: their versions, and with whom they are shared.

// Everybody, in a list of names, opens a preset to all users of the service.
const Everybody = "everybody"

// SavePreset stores the next version of one of the asker's presets, and makes
// the preset if there is none of that name. The same content and words as the newest
// version make no new one. A number is never used again, also after the preset was deleted.
func (s *Store) SavePreset(a Asker, want api.NewPreset, p *preset.Preset) (api.PresetInfo, error) {
	return s.savePreset(a, saving{NewPreset: want}, p)
}

// UploadPreset is SavePreset of a preset that comes as a file. What is not said about it stays as
// the version before has it.
func (s *Store) UploadPreset(a Asker, name string, said api.PresetMeta, p *preset.Preset) (api.PresetInfo, error) {
	want := api.NewPreset{Name: name, Note: said.Note, Tags: said.Tags, Credit: said.Credit, Changes: said.Changes}
	return s.savePreset(a, saving{NewPreset: want, keepWords: true}, p)
}

// saving is what is said about a version.
type saving struct {
	api.NewPreset
	keepWords bool   // what is left out stays as it was
	madeBy    string // as a bundle says
	forked    string
}

func (s *Store) savePreset(a Asker, want saving, p *preset.Preset) (api.PresetInfo, error) {
	version, err := newVersion(&want, p)
	if err != nil {
		return api.PresetInfo{}, err
	}
	if version.Tags, err = normalTags(want.Tags); err != nil {
		return api.PresetInfo{}, err
	}
	version.AuthorID = a.ID
	made := false
	err = s.change(func(tx *gorm.DB) error {
		row, err := s.savedInto(tx, a, &want, p.Kind)
		if err != nil {
			return err
		}
		var newest presetVersion
		if err := tx.Omit("Body").Where("preset_id = ?", row.ID).Order("version DESC").Limit(1).Find(&newest).Error; err != nil {
			return err
		}
		if want.keepWords && newest.PresetID != "" {
			version.Note, version.Credit = cmp.Or(version.Note, newest.Note), cmp.Or(version.Credit, newest.Credit)
			if len(want.Tags) == 0 {
				version.Tags = newest.Tags
			}
		}
		if newest.Hash == version.Hash && newest.Note == version.Note && newest.Tags == version.Tags && newest.Credit == version.Credit {
			return nil
		}
		if version.Uncredited != "" {
			if shared, err := isShared(tx, row.ID); err != nil || shared {
				return cmp.Or(err, uncredited(p))
			}
		}
		made = true
		version.PresetID, version.Version, version.Created = row.ID, row.Last+1, time.Now().UTC()
		if err := tx.Omit("Author", "Preset").Create(version).Error; err != nil {
			return err
		}
		row.Last, row.Changed = version.Version, &version.Created
		if err := tx.Model(&presetRow{}).Where("id = ?", row.ID).Select("last", "changed", "removed", "forked").Updates(&row).Error; err != nil {
			return err
		}
		if err := tellUsers(tx, a, &row); err != nil {
			return err
		}
		return indexPreset(tx, &row, version, cmp.Or(want.Owner, a.Name), p, s.checkedFor(tx, want.Level))
	})
	if err != nil {
		return api.PresetInfo{}, err
	}
	info, _, err := s.Preset(a, cmp.Or(want.Owner, a.Name), want.Name, 0)
	if err == nil && made {
		s.shown(info)
	}
	return info, err
}

// newVersion encodes a preset.
func newVersion(want *saving, p *preset.Preset) (*presetVersion, error) {
	if err := p.Validate(); err != nil {
		return nil, err
	}
	body, err := level.Encode(p)
	if err != nil {
		return nil, err
	}
	if len(body) > preset.MaxBytes {
		return nil, fault("", "the preset would have %d bytes; the most is %d", len(body), preset.MaxBytes)
	}
	hash, err := p.Hash()
	if err != nil {
		return nil, err
	}
	v := &presetVersion{Hash: hash, Body: body, Note: want.Note, Credit: want.Credit, MadeBy: want.madeBy, Changes: want.Changes}
	if names := p.Uncredited(); len(names) > 0 {
		v.Uncredited, err = jsonList(names)
	}
	return v, err
}

// savedInto is the preset that a version is saved of: the asker's own, or another's that they may edit.
func (s *Store) savedInto(tx *gorm.DB, a Asker, want *saving, kind string) (presetRow, error) {
	if want.Owner == "" || want.Owner == a.Name {
		return presetFor(tx, a, want, kind)
	}
	found, err := s.editable(tx, a, want.Owner, want.Name)
	if err == nil && found.Kind != kind {
		err = otherKind(found, want.Name)
	}
	return *found, err
}

// presetFor is the asker's preset of a name, made or had back where it is not there.
func presetFor(tx *gorm.DB, a Asker, want *saving, kind string) (presetRow, error) {
	var row presetRow
	if err := tx.Where("owner_id = ? AND name = ?", a.ID, want.Name).Limit(1).Find(&row).Error; err != nil {
		return row, err
	}
	if row.ID == "" {
		row = presetRow{ID: auth.NewID(), OwnerID: a.ID, Name: want.Name, Kind: kind, Forked: want.forked}
		if err := tx.Raw("SELECT coalesce(max(number), 0) + 1 FROM presets").Scan(&row.Number).Error; err != nil {
			return row, err
		}
		return row, tx.Omit("Owner").Create(&row).Error
	}
	if row.Removed != nil { // it starts again; only its numbers go on
		row.Removed, row.Kind, row.Forked = nil, kind, want.forked
		return row, tx.Model(&presetRow{}).Where("id = ?", row.ID).Select("kind").Updates(&row).Error
	}
	if row.Kind != kind {
		return row, otherKind(&row, want.Name)
	}
	return row, nil
}

func otherKind(row *presetRow, name string) error {
	return fmt.Errorf("the preset %q is a %s; its versions stay of that kind: %w", name, kindWords(row.Kind), ErrTaken)
}

// editable finds a preset of which the asker may save versions: their own, or one that is shared with a team in which
// they are an editor.
func (s *Store) editable(tx *gorm.DB, a Asker, owner, name string) (*presetRow, error) {
	row, err := s.findPreset(tx, a, owner, name)
	if err != nil || row.OwnerID == a.ID {
		return row, err
	}
	var roles []string
	if err := tx.Raw("SELECT m.role FROM team_presets t JOIN team_members m ON m.team_id = t.team_id WHERE t.preset_id = ? AND m.user_id = ?", row.ID, a.ID).Scan(&roles).Error; err != nil {
		return row, err
	}
	if !slices.ContainsFunc(roles, func(r string) bool { return rights.RoleNamed(r) >= rights.Editor }) {
		return row, fmt.Errorf("versions of %s/%s are saved by its owner, and by editors of a team that it is shared with; fork it to change it: %w", owner, name, rights.ErrForbidden)
	}
	return row, nil
}

func kindWords(kind string) string { return strings.ReplaceAll(kind, "_", " ") }

// mostTagLength is what a tag may have, in characters.
const mostTagLength = 40

// normalTags are tags in lower case, each once, as a JSON list.
func normalTags(tags []string) (string, error) {
	out := []string{}
	for i, t := range tags {
		t = strings.Join(strings.Fields(strings.ToLower(t)), "-")
		if n := len([]rune(t)); n > mostTagLength {
			return "", fault(fmt.Sprintf("/tags/%d", i), "has %d characters; the most is %d", n, mostTagLength)
		}
		if t != "" && !slices.Contains(out, t) {
			out = append(out, t)
		}
	}
	return jsonList(out)
}

func jsonList(list []string) (string, error) {
	text, err := json.Marshal(list)
	return string(text), err
}

// uncredited is the error of what cannot be shared.
func uncredited(p *preset.Preset) error {
	return fault("/images", "%s cannot be shared: each image and profile of a shared preset needs a credit and a licence", strings.Join(p.Uncredited(), ", "))
}

// isShared tells whether anybody but its owner may see a preset.
func isShared(tx *gorm.DB, id string) (bool, error) {
	var n int64
	err := tx.Raw("SELECT (SELECT count(*) FROM preset_shares WHERE preset_id = ?) + (SELECT count(*) FROM team_presets WHERE preset_id = ?) + (SELECT count(*) FROM share_links WHERE kind = 'preset' AND subject = ? AND NOT withdrawn)", id, id, id).Scan(&n).Error
	return n > 0, err
}

// seen limits a query of presets to what the asker may see.
const seen = `presets.removed IS NULL AND (presets.owner_id = @me
	OR EXISTS (SELECT 1 FROM preset_shares s WHERE s.preset_id = presets.id AND s.user_id IN (0, @me))
	OR EXISTS (SELECT 1 FROM team_presets t JOIN team_members m ON m.team_id = t.team_id WHERE t.preset_id = presets.id AND m.user_id = @me)
	OR EXISTS (SELECT 1 FROM link_uses u JOIN share_links k ON k.id = u.link_id WHERE k.kind = 'preset' AND k.subject = presets.id AND NOT k.withdrawn AND u.user_id = @me))`

func (s *Store) visible(tx *gorm.DB, a Asker) *gorm.DB {
	return tx.Preload("Owner").Where(seen, map[string]any{"me": a.ID})
}

// Preset reads a version, or the newest for 0.
func (s *Store) Preset(a Asker, owner, name string, version int) (api.PresetInfo, *preset.Preset, error) {
	row, err := s.findPreset(s.db, a, owner, name)
	if err != nil {
		return api.PresetInfo{}, nil, err
	}
	info, body, err := s.describe(a, row, version)
	if err != nil {
		return info, nil, err
	}
	p, err := preset.Parse(body)
	return info, p, err
}

// PresetVersions lists the versions of a preset, the newest first.
func (s *Store) PresetVersions(a Asker, owner, name string) ([]api.PresetInfo, error) {
	row, err := s.findPreset(s.db, a, owner, name)
	if err != nil {
		return nil, err
	}
	var all []presetVersion
	if err := s.db.Preload("Author").Omit("Body").Where("preset_id = ?", row.ID).Order("version DESC").Find(&all).Error; err != nil {
		return nil, err
	}
	out := make([]api.PresetInfo, len(all))
	for i := range all {
		if out[i], err = infoOf(row, &all[i], len(all)); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (s *Store) findPreset(tx *gorm.DB, a Asker, owner, name string) (*presetRow, error) {
	var row presetRow
	err := s.visible(tx, a).Joins("JOIN users ON users.id = presets.owner_id").
		Where("users.name = ? AND presets.name = ?", owner, name).First(&row).Error
	return &row, translate(err)
}

// presetError says which preset was asked for.
func presetError(owner, name string, version int, err error) error {
	ref := owner + "/" + name
	if version > 0 {
		ref = fmt.Sprintf("%s@%d", ref, version)
	}
	if errors.Is(err, ErrNotFound) {
		return fmt.Errorf("there is no preset %s, or it is not shared with you: %w", ref, ErrNotFound)
	}
	return fmt.Errorf("preset %s: %w", ref, err)
}

// ownPreset finds one of the asker's presets.
func ownPreset(tx *gorm.DB, a Asker, name string) (*presetRow, error) {
	var row presetRow
	err := tx.Preload("Owner").Where("owner_id = ? AND name = ? AND removed IS NULL", a.ID, name).First(&row).Error
	return &row, err
}

// describe is a version of a preset, without the fields that are left out, and its text.
func (s *Store) describe(a Asker, row *presetRow, version int, without ...string) (api.PresetInfo, []byte, error) {
	q := s.db.Preload("Author").Omit(without...).Where("preset_id = ?", row.ID).Order("version DESC")
	if version > 0 {
		q = q.Where("version = ?", version)
	}
	var v presetVersion
	if err := q.First(&v).Error; err != nil {
		return api.PresetInfo{}, nil, translate(err)
	}
	var versions int64
	if err := s.db.Model(&presetVersion{}).Where("preset_id = ?", row.ID).Count(&versions).Error; err != nil {
		return api.PresetInfo{}, nil, err
	}
	info, err := infoOf(row, &v, int(versions))
	if err == nil && row.OwnerID == a.ID {
		info.Shared, info.Teams, err = s.sharedWith(row.ID)
	}
	return info, v.Body, err
}

func infoOf(row *presetRow, v *presetVersion, versions int) (api.PresetInfo, error) {
	info := api.PresetInfo{
		Owner: row.Owner.Name, Name: row.Name, Kind: row.Kind, Version: v.Version, Versions: versions, Author: v.Author.Name, MadeBy: v.MadeBy,
		Note: v.Note, Credit: v.Credit, Changes: v.Changes, Hash: v.Hash, Created: v.Created, Forked: row.Forked, Taken: row.Taken,
		Shared: []string{}, Teams: []string{}, Picture: hasPicture(row.Kind),
	}
	if err := json.Unmarshal([]byte(v.Tags), &info.Tags); err != nil {
		return info, err
	}
	if v.Uncredited != "" {
		return info, json.Unmarshal([]byte(v.Uncredited), &info.Uncredited)
	}
	return info, nil
}

// hasPicture tells whether presets of a kind are shown on a stage.
func hasPicture(kind string) bool {
	return slices.Contains([]string{preset.Rig, preset.Mood, preset.Look, preset.Sky, preset.Zone, preset.Environment}, kind)
}

func (s *Store) sharedWith(presetID string) (names, teams []string, err error) {
	names, teams = []string{}, []string{}
	err = s.db.Model(&user{}).Where("id IN (?)", s.db.Model(&presetShare{}).Select("user_id").Where("preset_id = ?", presetID)).
		Order("name").Pluck("name", &names).Error
	if err != nil {
		return nil, nil, err
	}
	var all int64
	if err = s.db.Model(&presetShare{}).Where("preset_id = ? AND user_id = 0", presetID).Count(&all).Error; err != nil {
		return nil, nil, err
	}
	if all > 0 {
		names = append([]string{Everybody}, names...)
	}
	err = s.db.Model(&team{}).Where("id IN (?)", s.db.Model(&teamPreset{}).Select("team_id").Where("preset_id = ?", presetID)).
		Order("name").Pluck("name", &teams).Error
	return names, teams, err
}

// SharePreset replaces with whom one of the asker's presets is shared. What it holds without
// credit or licence keeps it from being shared.
func (s *Store) SharePreset(a Asker, name string, with api.Share) error {
	return s.change(func(tx *gorm.DB) error {
		row, err := ownPreset(tx, a, name)
		if err != nil {
			return err
		}
		if len(with.With)+len(with.Teams) > 0 {
			if err := mayShare(tx, row.ID); err != nil {
				return err
			}
		}
		all := slices.Contains(with.With, Everybody)
		ids, err := userIDs(tx, slices.DeleteFunc(slices.Clone(with.With), func(n string) bool { return n == Everybody }))
		if err != nil {
			return err
		}
		if err := s.shareWithTeams(tx, a, row.ID, with.Teams); err != nil {
			return err
		}
		var before []uint
		if err := tx.Model(&presetShare{}).Where("preset_id = ?", row.ID).Pluck("user_id", &before).Error; err != nil {
			return err
		}
		if err := tx.Where("preset_id = ?", row.ID).Delete(&presetShare{}).Error; err != nil {
			return err
		}
		if all {
			ids = append(ids, 0)
		}
		slices.Sort(ids)
		for _, id := range slices.Compact(ids) {
			if err := tx.Omit("Preset").Create(&presetShare{PresetID: row.ID, UserID: id}).Error; err != nil {
				return err
			}
			if id == 0 || id == a.ID || slices.Contains(before, id) {
				continue
			}
			if err := notify(tx, noticeRow{UserID: id, Kind: "shared", FromName: a.Name, About: a.Name + "/" + name, Text: "shares the preset " + name + " with you"}); err != nil {
				return err
			}
		}
		return nil
	})
}

// mayShare is the error of a preset whose newest version cannot be shared.
func mayShare(tx *gorm.DB, id string) error {
	var newest presetVersion
	if err := tx.Where("preset_id = ?", id).Order("version DESC").First(&newest).Error; err != nil {
		return err
	}
	if newest.Uncredited == "" {
		return nil
	}
	p, err := preset.Parse(newest.Body)
	if err != nil {
		return err
	}
	return uncredited(p)
}

// RenamePreset gives one of the asker's presets another name.
func (s *Store) RenamePreset(a Asker, name, to string) (api.PresetInfo, error) {
	err := s.change(func(tx *gorm.DB) error {
		row, err := ownPreset(tx, a, name)
		if err != nil {
			return err
		}
		var taken presetRow
		if err := tx.Where("owner_id = ? AND name = ? AND id <> ?", a.ID, to, row.ID).Limit(1).Find(&taken).Error; err != nil {
			return err
		}
		switch {
		case taken.ID != "" && taken.Removed != nil: // its numbers go on under another name
			if err := tx.Model(&presetRow{}).Where("id = ?", taken.ID).Update("name", to+"@"+taken.ID).Error; err != nil {
				return err
			}
		case taken.ID != "":
			return fmt.Errorf("you have a preset %q already: %w", to, ErrTaken)
		}
		if err := tx.Model(&presetRow{}).Where("id = ?", row.ID).Update("name", to).Error; err != nil {
			return err
		}
		return reindex(tx, row.ID)
	})
	if err != nil {
		return api.PresetInfo{}, err
	}
	info, _, err := s.Preset(a, a.Name, to, 0)
	return info, err
}

// ForkPreset makes a preset of the asker's own from a version that they may see; it remembers what
// it began as.
func (s *Store) ForkPreset(a Asker, owner, name string, version int, as string) (api.PresetInfo, error) {
	info, p, err := s.Preset(a, owner, name, version)
	if err != nil {
		return info, err
	}
	as = cmp.Or(as, info.Name)
	if _, err := ownPreset(s.db, a, as); err == nil {
		return info, fmt.Errorf("you have a preset %q already; choose another name: %w", as, ErrTaken)
	}
	from := fmt.Sprintf("%s/%s@%d", info.Owner, info.Name, info.Version)
	want := api.NewPreset{Name: as, Note: info.Note, Tags: info.Tags, Credit: info.Credit}
	return s.savePreset(a, saving{NewPreset: want, forked: from, madeBy: cmp.Or(info.MadeBy, info.Author)}, p)
}

// PresetUses says which levels took a preset of the asker's.
func (s *Store) PresetUses(a Asker, name string) (out api.PresetUses, err error) {
	row, err := ownPreset(s.db, a, name)
	if err != nil {
		return out, translate(err)
	}
	var ids []string
	if err := s.db.Model(&takingRow{}).Distinct("level_id").Where("preset_id = ? AND NOT ended", row.ID).Pluck("level_id", &ids).Error; err != nil {
		return out, err
	}
	out.Levels = []string{}
	for _, id := range ids {
		found, _, err := s.find(s.db, a, id)
		if err != nil {
			out.Others++
			continue
		}
		out.Levels = append(out.Levels, found.Name)
	}
	slices.Sort(out.Levels)
	return out, nil
}

// DeletePreset removes one of the asker's presets. Levels that it was put into keep what they took.
// Its name can be used again; its numbers go on.
func (s *Store) DeletePreset(a Asker, name string) error {
	return s.change(func(tx *gorm.DB) error {
		row, err := ownPreset(tx, a, name)
		if err != nil {
			return err
		}
		return dropPreset(tx, row)
	})
}

// dropPreset empties a preset and keeps the row, so that its numbers are not used again.
func dropPreset(tx *gorm.DB, row *presetRow) error {
	for _, statement := range []string{
		"DELETE FROM preset_versions WHERE preset_id = ?", "DELETE FROM preset_shares WHERE preset_id = ?", "DELETE FROM preset_facets WHERE preset_id = ?",
		"DELETE FROM preset_pictures WHERE preset_id = ?", "DELETE FROM team_presets WHERE preset_id = ?", "DELETE FROM share_links WHERE kind = 'preset' AND subject = ?",
	} {
		if err := tx.Exec(statement, row.ID).Error; err != nil {
			return err
		}
	}
	if err := tx.Exec("DELETE FROM preset_search WHERE rowid = ?", row.Number).Error; err != nil {
		return err
	}
	return tx.Model(&presetRow{}).Where("id = ?", row.ID).Update("removed", time.Now().UTC()).Error
}

// PresetPicture is the kept picture of a version; nil where there is none.
func (s *Store) PresetPicture(a Asker, owner, name string, version int) (api.PresetInfo, []byte, error) {
	row, err := s.findPreset(s.db, a, owner, name)
	if err != nil {
		return api.PresetInfo{}, nil, err
	}
	info, _, err := s.describe(a, row, version, "Body")
	if err != nil {
		return info, nil, err
	}
	var kept presetPicture
	err = s.db.Where("preset_id = ? AND version = ?", row.ID, info.Version).Limit(1).Find(&kept).Error
	return info, kept.Picture, err
}

// KeepPresetPicture keeps the picture of a version.
func (s *Store) KeepPresetPicture(owner, name string, version int, picture []byte) error {
	return s.change(func(tx *gorm.DB) error {
		var row presetRow
		err := tx.Joins("JOIN users ON users.id = presets.owner_id").Where("users.name = ? AND presets.name = ? AND presets.removed IS NULL", owner, name).First(&row).Error
		if err != nil {
			return err
		}
		return tx.Save(&presetPicture{row.ID, version, picture}).Error
	})
}
