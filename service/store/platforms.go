package store

import (
	"fmt"

	"grotta/api"
	"grotta/core/platform"
	"grotta/core/preset"
)

// This file keeps profiles of platforms: those that come with Grotta, and presets of the kind.

// AddPlatform stores a profile as the newest version of a preset of the asker's.
func (s *Store) AddPlatform(a Asker, text []byte) (*platform.Profile, error) {
	f, err := platform.Parse(text)
	if err != nil {
		return nil, err
	}
	if _, err := platform.Named(f.Name); err == nil {
		return nil, fmt.Errorf("%q comes with Grotta; choose another name: %w", f.Name, ErrTaken)
	}
	p, err := preset.FromPlatform(text)
	if err != nil {
		return nil, err
	}
	_, err = s.UploadPreset(a, f.Name, api.PresetMeta{Note: f.Title}, p)
	return f, err
}

// PlatformText is the text of a profile as it was written.
func (s *Store) PlatformText(a Asker, name string) ([]byte, error) {
	if text := platform.Source(name); text != nil {
		return text, nil
	}
	p, err := s.platformPreset(a, name)
	if err != nil {
		return nil, err
	}
	return []byte(p.Platform), nil
}

// platformPreset finds a profile by [owner/]name[@version].
func (s *Store) platformPreset(a Asker, name string) (*preset.Preset, error) {
	owner, own, version, err := api.ParsePreset(name, a.Name)
	if err != nil {
		return nil, ErrNotFound
	}
	_, p, err := s.Preset(a, owner, own, version)
	if err == nil && p.Kind != preset.Platform {
		err = ErrNotFound
	}
	return p, err
}

// RemovePlatform removes one of the asker's profiles.
func (s *Store) RemovePlatform(a Asker, name string) error {
	if _, err := s.platformPreset(a, name); err != nil {
		return err
	}
	return s.DeletePreset(a, name)
}

// Platforms lists the profiles that come with Grotta, the asker's own, and those that others share
// with them.
func (s *Store) Platforms(a Asker) ([]api.Platform, error) {
	shipped, err := platform.Shipped()
	if err != nil {
		return nil, err
	}
	var out []api.Platform
	for _, p := range shipped {
		out = append(out, api.Platform{Ref: p.Name, Profile: p})
	}
	var rows []presetRow
	if err := s.visible(s.db, a).Where("kind = ?", preset.Platform).Order("name").Find(&rows).Error; err != nil {
		return nil, err
	}
	for i := range rows {
		info, body, err := s.describe(a, &rows[i], 0)
		if err != nil {
			return nil, err
		}
		p, err := preset.Parse(body)
		if err != nil {
			return nil, fmt.Errorf("platform %s/%s: %w", info.Owner, info.Name, err)
		}
		f, err := platform.Parse([]byte(p.Platform))
		if err != nil {
			return nil, fmt.Errorf("platform %s/%s: %w", info.Owner, info.Name, err)
		}
		ref := info.Name
		if info.Owner != a.Name {
			ref = info.Owner + "/" + info.Name
		}
		out = append(out, api.Platform{Owner: info.Owner, Ref: ref, Version: info.Version, Profile: f})
	}
	return out, nil
}

// Platform finds a profile: one that comes with Grotta by its name, another as a preset,
// [owner/]name[@version]. A *platform.Unknown lists those there are.
func (s *Store) Platform(a Asker, name string) (*platform.Profile, error) {
	if p, err := platform.Named(name); err == nil {
		return p, nil
	}
	if p, err := s.platformPreset(a, name); err == nil {
		return platform.Parse([]byte(p.Platform))
	}
	all, err := s.Platforms(a)
	if err != nil {
		return nil, err
	}
	unknown := &platform.Unknown{Name: name}
	for _, p := range all {
		unknown.Names = append(unknown.Names, p.Ref)
	}
	return nil, unknown
}
