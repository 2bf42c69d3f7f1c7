package store

import (
	"cmp"
	"fmt"

	"grotta/api"
	"grotta/core/bundle"
)

// This file writes presets to bundles and takes them from there.

// WriteBundle is a bundle of presets that the asker may see, [owner/]name[@version] each.
func (s *Store) WriteBundle(a Asker, refs []string) ([]byte, error) {
	var entries []bundle.Entry
	for i, ref := range refs {
		owner, name, version, err := api.ParsePreset(ref, a.Name)
		if err != nil {
			return nil, fault(fmt.Sprintf("/presets/%d", i), "%v", err)
		}
		info, p, err := s.Preset(a, owner, name, version)
		if err != nil {
			return nil, presetError(owner, name, version, err)
		}
		entries = append(entries, bundle.Entry{Name: info.Name, Author: cmp.Or(info.MadeBy, info.Author), Note: info.Note, Tags: info.Tags, Credit: info.Credit, Preset: p})
	}
	return bundle.Write(entries)
}

// ReadBundle saves the presets of a bundle as the asker's own: all of them, or none where one cannot
// be.
func (s *Store) ReadBundle(a Asker, data []byte) ([]api.PresetInfo, error) {
	entries, err := bundle.Read(data)
	if err != nil {
		return nil, err
	}
	for i, e := range entries {
		row, err := ownPreset(s.db, a, e.Name)
		if err == nil && row.Kind != e.Kind {
			return nil, fault(fmt.Sprintf("manifest.json/presets/%d/name", i), "is %q, and you have a preset of that name of the kind %s; rename it first", e.Name, kindWords(row.Kind))
		}
		if _, err := normalTags(e.Tags); err != nil {
			return nil, fault(fmt.Sprintf("manifest.json/presets/%d/tags", i), "hold one that is too long")
		}
	}
	var out []api.PresetInfo
	for _, e := range entries {
		want := api.NewPreset{Name: e.Name, Note: e.Note, Tags: e.Tags, Credit: e.Credit}
		info, err := s.savePreset(a, saving{NewPreset: want, madeBy: e.Author}, e.Preset)
		if err != nil {
			return out, err
		}
		out = append(out, info)
	}
	return out, nil
}
