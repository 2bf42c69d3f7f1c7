package store

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/go-json-experiment/json"
	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/core/preset"
	"grotta/service/auth"
)

// Everybody, in a list of names, opens a preset to all users of the service.
const Everybody = "everybody"

// SavePreset stores the next version of one of the asker's presets, and makes
// the preset if there is none of that name. The same content as the newest
// version makes no new one.
func (s *Store) SavePreset(a Asker, want api.NewPreset, p *preset.Preset) (api.PresetInfo, error) {
	if err := p.Validate(); err != nil {
		return api.PresetInfo{}, err
	}
	body, err := level.Encode(p)
	if err != nil {
		return api.PresetInfo{}, err
	}
	hash, err := p.Hash()
	if err != nil {
		return api.PresetInfo{}, err
	}
	tags, err := json.Marshal(append([]string{}, want.Tags...))
	if err != nil {
		return api.PresetInfo{}, err
	}
	err = s.change(func(tx *gorm.DB) error {
		var row presetRow
		if err := tx.Where("owner_id = ? AND name = ?", a.ID, want.Name).Limit(1).Find(&row).Error; err != nil {
			return err
		}
		if row.ID == "" {
			row = presetRow{ID: auth.NewID(), OwnerID: a.ID, Name: want.Name, Kind: p.Kind}
			if err := tx.Omit("Owner").Create(&row).Error; err != nil {
				return err
			}
		}
		if row.Kind != p.Kind {
			return fmt.Errorf("the preset %q is a %s; its versions stay of that kind: %w", want.Name, row.Kind, ErrTaken)
		}
		var newest presetVersion
		if err := tx.Where("preset_id = ?", row.ID).Order("version DESC").Limit(1).Find(&newest).Error; err != nil {
			return err
		}
		if newest.Hash == hash && newest.Note == want.Note && newest.Tags == string(tags) && newest.Credit == want.Credit {
			return nil
		}
		return tx.Omit("Author", "Preset").Create(&presetVersion{
			PresetID: row.ID, Version: newest.Version + 1, Hash: hash, Body: body, Note: want.Note,
			Tags: string(tags), Credit: want.Credit, AuthorID: a.ID, Created: time.Now().UTC(),
		}).Error
	})
	if err != nil {
		return api.PresetInfo{}, err
	}
	info, _, err := s.Preset(a, a.Name, want.Name, 0)
	return info, err
}

// visible limits a query of presets to what the asker may see.
func (s *Store) visible(tx *gorm.DB, a Asker) *gorm.DB {
	shared := s.db.Model(&presetShare{}).Select("preset_id").Where("user_id IN ?", []uint{0, a.ID})
	return tx.Preload("Owner").Where("owner_id = ? OR presets.id IN (?)", a.ID, shared)
}

// Presets lists what the asker may see, each at its newest version.
func (s *Store) Presets(a Asker) ([]api.PresetInfo, error) {
	var rows []presetRow
	if err := s.visible(s.db, a).Order("name").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]api.PresetInfo, 0, len(rows))
	for i := range rows {
		info, _, err := s.describe(a, &rows[i], 0, "Body")
		if err != nil {
			return nil, err
		}
		out = append(out, info)
	}
	for _, r := range preset.Recipes() {
		info, err := recipeInfo(&r)
		if err != nil {
			return nil, err
		}
		out = append(out, info)
	}
	return out, nil
}

// recipeInfo is a recipe as a preset in a list.
func recipeInfo(r *preset.Recipe) (api.PresetInfo, error) {
	hash, err := r.Preset.Hash()
	return api.PresetInfo{Owner: preset.RecipeOwner, Name: r.Name, Kind: preset.Rig, Version: 1, Versions: 1,
		Author: "Grotta", Note: r.Note, Tags: r.Tags, Hash: hash, Shared: []string{}}, err
}

// Preset reads a version, or the newest for 0.
func (s *Store) Preset(a Asker, owner, name string, version int) (api.PresetInfo, *preset.Preset, error) {
	if owner == preset.RecipeOwner {
		r := preset.RecipeNamed(name)
		if r == nil || version > 1 {
			return api.PresetInfo{}, nil, ErrNotFound
		}
		info, err := recipeInfo(r)
		return info, r.Preset, err
	}
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

func (s *Store) findPreset(tx *gorm.DB, a Asker, owner, name string) (*presetRow, error) {
	var row presetRow
	err := s.visible(tx, a).Joins("JOIN users ON users.id = presets.owner_id").
		Where("users.name = ? AND presets.name = ?", owner, name).First(&row).Error
	return &row, translate(err)
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
	info := api.PresetInfo{
		Owner: row.Owner.Name, Name: row.Name, Kind: row.Kind, Version: v.Version, Author: v.Author.Name,
		Note: v.Note, Credit: v.Credit, Hash: v.Hash, Created: v.Created, Shared: []string{},
	}
	if err := json.Unmarshal([]byte(v.Tags), &info.Tags); err != nil {
		return info, nil, err
	}
	var versions int64
	if err := s.db.Model(&presetVersion{}).Where("preset_id = ?", row.ID).Count(&versions).Error; err != nil {
		return info, nil, err
	}
	info.Versions = int(versions)
	if row.OwnerID == a.ID {
		var err error
		if info.Shared, err = s.sharedWith(row.ID); err != nil {
			return info, nil, err
		}
	}
	return info, v.Body, nil
}

func (s *Store) sharedWith(presetID string) ([]string, error) {
	names := []string{}
	err := s.db.Model(&user{}).Where("id IN (?)", s.db.Model(&presetShare{}).Select("user_id").Where("preset_id = ?", presetID)).
		Order("name").Pluck("name", &names).Error
	var all int64
	if err == nil {
		err = s.db.Model(&presetShare{}).Where("preset_id = ? AND user_id = 0", presetID).Count(&all).Error
	}
	if all > 0 {
		names = append([]string{Everybody}, names...)
	}
	return names, err
}

// SharePreset replaces with whom one of the asker's presets is shared.
func (s *Store) SharePreset(a Asker, name string, with []string) error {
	return s.change(func(tx *gorm.DB) error {
		var row presetRow
		if err := tx.Where("owner_id = ? AND name = ?", a.ID, name).First(&row).Error; err != nil {
			return err
		}
		all := slices.Contains(with, Everybody)
		ids, err := userIDs(tx, slices.DeleteFunc(slices.Clone(with), func(n string) bool { return n == Everybody }))
		if err != nil {
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
		}
		return nil
	})
}

// DeletePreset removes one of the asker's presets. Levels that it was applied
// to keep what they took.
func (s *Store) DeletePreset(a Asker, name string) error {
	return s.change(func(tx *gorm.DB) error {
		r := tx.Where("owner_id = ? AND name = ?", a.ID, name).Delete(&presetRow{})
		if r.Error == nil && r.RowsAffected == 0 {
			return ErrNotFound
		}
		return r.Error
	})
}

// AddPlatform stores a profile of the asker's, in place of one of that name.
func (s *Store) AddPlatform(a Asker, text []byte) (*platform.Profile, error) {
	p, err := platform.Parse(text)
	if err != nil {
		return nil, err
	}
	if _, err := platform.Named(p.Name); err == nil {
		return nil, fmt.Errorf("%q comes with Grotta; choose another name: %w", p.Name, ErrTaken)
	}
	return p, s.change(func(tx *gorm.DB) error {
		return tx.Omit("Owner").Save(&platformRow{OwnerID: a.ID, Name: p.Name, Body: text}).Error
	})
}

// PlatformText is the text of a profile as it was written.
func (s *Store) PlatformText(a Asker, name string) ([]byte, error) {
	if text := platform.Source(name); text != nil {
		return text, nil
	}
	var row platformRow
	if err := s.db.Where("owner_id = ? AND name = ?", a.ID, name).Take(&row).Error; err != nil {
		return nil, translate(err)
	}
	return row.Body, nil
}

// RemovePlatform removes one of the asker's profiles.
func (s *Store) RemovePlatform(a Asker, name string) error {
	return s.change(func(tx *gorm.DB) error {
		r := tx.Where("owner_id = ? AND name = ?", a.ID, name).Delete(&platformRow{})
		if r.Error == nil && r.RowsAffected == 0 {
			return ErrNotFound
		}
		return r.Error
	})
}

// Platforms lists the profiles that come with Grotta and the asker's own.
func (s *Store) Platforms(a Asker) ([]api.Platform, error) {
	shipped, err := platform.Shipped()
	if err != nil {
		return nil, err
	}
	var out []api.Platform
	for _, p := range shipped {
		out = append(out, api.Platform{Profile: p})
	}
	var rows []platformRow
	if err := s.db.Where("owner_id = ?", a.ID).Order("name").Find(&rows).Error; err != nil {
		return nil, err
	}
	for _, r := range rows {
		p, err := platform.Parse(r.Body)
		if err != nil {
			return nil, fmt.Errorf("platform %s: %w", r.Name, err)
		}
		out = append(out, api.Platform{Owner: a.Name, Profile: p})
	}
	return out, nil
}

// Platform finds a profile by name; a *platform.Unknown lists those there are.
func (s *Store) Platform(a Asker, name string) (*platform.Profile, error) {
	all, err := s.Platforms(a)
	if err != nil {
		return nil, err
	}
	var names []string
	for _, p := range all {
		if p.Profile.Name == name {
			return p.Profile, nil
		}
		names = append(names, p.Profile.Name)
	}
	return nil, &platform.Unknown{Name: name, Names: names}
}

// ApplyPreset puts a preset that the asker may see into a level that they may
// change, as one revision.
func (s *Store) ApplyPreset(ctx context.Context, a Asker, levelID, owner, name string, version int, place preset.Place) (api.Revision, error) {
	info, p, err := s.Preset(a, owner, name, version)
	if err != nil {
		return api.Revision{}, fmt.Errorf("preset %s/%s: %w", owner, name, err)
	}
	return s.revise(ctx, a, levelID, func(_ *gorm.DB, _ *levelRow, doc *level.Level) (level.Operation, revision, error) {
		place.Origin = fmt.Sprintf("%s/%s@%d", info.Owner, info.Name, info.Version)
		op, err := p.Apply(doc, place)
		return op, revision{Kind: "edit", Label: op.Describe()}, err
	})
}
