package store

import (
	"errors"
	"fmt"
	"strings"

	"grotta/api"
	"grotta/core/handover"
	"grotta/core/preset"
)

// This file keeps hand-over files: those that come with Grotta, and presets of the kind.

// HandOver finds a hand-over file: one that comes with Grotta by its name, another as a preset,
// [owner/]name[@version].
func (s *Store) HandOver(a Asker, name string) (*handover.File, error) {
	shipped, err := handover.Shipped()
	if err != nil {
		return nil, err
	}
	for _, f := range shipped {
		if f.Name == name {
			return f, nil
		}
	}
	owner, own, version, err := api.ParsePreset(name, a.Name)
	if err == nil {
		var p *preset.Preset
		if _, p, err = s.Preset(a, owner, own, version); err == nil && p.Kind == preset.HandOver {
			return p.HandOver, nil
		}
	}
	if err != nil && !errors.Is(err, ErrNotFound) {
		return nil, err
	}
	all, err := s.HandOvers(a)
	if err != nil {
		return nil, err
	}
	unknown := &UnknownHandOver{Name: name}
	for _, h := range all {
		unknown.Names = append(unknown.Names, h.Name)
	}
	return nil, unknown
}

// UnknownHandOver is the error of a hand-over that is not there.
type UnknownHandOver struct {
	Name  string
	Names []string
}

func (e *UnknownHandOver) Error() string {
	return fmt.Sprintf("no hand-over is called %q; there are %s", e.Name, strings.Join(e.Names, ", "))
}

// Is makes it one of the errors of what is not there.
func (e *UnknownHandOver) Is(target error) bool { return target == ErrNotFound }

// HandOvers lists the hand-overs that the asker may use.
func (s *Store) HandOvers(a Asker) ([]api.HandOver, error) {
	shipped, err := handover.Shipped()
	if err != nil {
		return nil, err
	}
	var out []api.HandOver
	for _, f := range shipped {
		out = append(out, describeHandOver(f, f.Name, ""))
	}
	var rows []presetRow
	if err := s.visible(s.db, a).Where("kind = ?", preset.HandOver).Order("name").Find(&rows).Error; err != nil {
		return nil, err
	}
	for i := range rows {
		info, body, err := s.describe(a, &rows[i], 0)
		if err != nil {
			return nil, err
		}
		p, err := preset.Parse(body)
		if err != nil {
			return nil, fmt.Errorf("hand-over %s/%s: %w", info.Owner, info.Name, err)
		}
		out = append(out, describeHandOver(p.HandOver, info.Owner+"/"+info.Name, info.Owner))
	}
	return out, nil
}

func describeHandOver(f *handover.File, name, owner string) api.HandOver {
	h := api.HandOver{Name: name, Title: f.Title, Note: f.Note, Owner: owner, Shape: f.Text.Shape, UnitM: f.Space.UnitM, Axes: f.Space.Axes, Handed: f.Space.Handed(), Reads: f.Text.Shape != "template"}
	for i := range f.Rules {
		h.Kinds = append(h.Kinds, f.Rules[i].Of)
	}
	return h
}

// AddHandOver saves a hand-over file as the newest version of a preset of the asker's.
func (s *Store) AddHandOver(a Asker, text []byte) (api.HandOver, error) {
	f, err := handover.Parse(text)
	if err != nil {
		return api.HandOver{}, err
	}
	if handover.Source(f.Name) != nil {
		return api.HandOver{}, fmt.Errorf("%q comes with Grotta; choose another name: %w", f.Name, ErrTaken)
	}
	p := &preset.Preset{Format: preset.Format, Kind: preset.HandOver, HandOver: f}
	if _, err := s.SavePreset(a, api.NewPreset{Name: f.Name, Note: f.Note}, p); err != nil {
		return api.HandOver{}, err
	}
	return describeHandOver(f, a.Name+"/"+f.Name, a.Name), nil
}
