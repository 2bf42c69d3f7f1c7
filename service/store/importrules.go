package store

import (
	"fmt"

	"grotta/api"
	"grotta/core/intake"
	"grotta/core/preset"
)

// This file keeps rules for what comes in, as presets.

// AddImportRules saves rules as the newest version of a preset of the asker's.
func (s *Store) AddImportRules(a Asker, text []byte) (api.PresetInfo, error) {
	f, err := intake.Parse(text)
	if err != nil {
		return api.PresetInfo{}, err
	}
	return s.SavePreset(a, api.NewPreset{Name: f.Name, Note: f.Note}, &preset.Preset{Format: preset.Format, Kind: preset.Intake, Intake: f})
}

// ImportRules finds rules for what comes in, [owner/]name[@version].
func (s *Store) ImportRules(a Asker, ref string) (*intake.Rules, error) {
	owner, name, version, err := api.ParsePreset(ref, a.Name)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", err, ErrNotFound)
	}
	_, p, err := s.Preset(a, owner, name, version)
	if err != nil {
		return nil, fmt.Errorf("import rules %s/%s: %w", owner, name, err)
	}
	if p.Kind != preset.Intake {
		return nil, fmt.Errorf("%s/%s is a preset of the kind %s, not of import rules: %w", owner, name, p.Kind, ErrNotFound)
	}
	return p.Intake, nil
}
