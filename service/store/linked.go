package store

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/level"
	"grotta/core/preset"
	"grotta/service/rights"
)

// This file links rigs: one preset is the original, and rigs of levels follow it.

// LinkRigs has rigs that a level has already follow a preset, as one revision. Without names these are all rigs that are
// like the preset and follow nothing.
func (s *Store) LinkRigs(ctx context.Context, a Asker, levelID string, want api.LinkRigs) (api.Linked, error) {
	out := api.Linked{Rigs: []string{}}
	found, err := s.findPreset(s.db, a, want.Owner, want.Name)
	if err != nil {
		return out, presetError(want.Owner, want.Name, want.Version, err)
	}
	info, p, err := s.Preset(a, want.Owner, want.Name, want.Version)
	if err != nil {
		return out, presetError(want.Owner, want.Name, want.Version, err)
	}
	rev, err := s.revise(ctx, a, levelID, func(tx *gorm.DB, _ *levelRow, doc *level.Level) (level.Operation, revision, error) {
		links := map[string]preset.Taking{}
		for i, id := range want.Rigs {
			t, err := p.Link(doc, id)
			if err != nil {
				return level.Operation{}, revision{}, inList(err, "/rigs", i)
			}
			links[id] = t
		}
		if len(want.Rigs) == 0 {
			rows, err := s.live(tx, levelID)
			if err != nil {
				return level.Operation{}, revision{}, err
			}
			for _, r := range doc.Rigs {
				follows := slices.ContainsFunc(rows, func(row takingRow) bool { return row.Rig == r.ID })
				if t, err := p.Link(doc, r.ID); err == nil && !follows {
					links[r.ID] = t
				}
			}
		}
		for _, r := range doc.Rigs {
			if _, linked := links[r.ID]; linked {
				out.Rigs = append(out.Rigs, r.ID)
			}
		}
		if len(out.Rigs) == 0 {
			return level.Operation{}, revision{}, fault("/rigs", "no rig of the level is like %s/%s and follows nothing", info.Owner, info.Name)
		}
		return followed(doc, found.ID, info, links)
	})
	out.Revision = rev.Number
	return out, err
}

// inList names the place of one of many in the error of a rig.
func inList(err error, path string, i int) error {
	if bad, ok := errors.AsType[*level.Invalid](err); ok {
		for k := range bad.Faults {
			if bad.Faults[k].Path == path {
				bad.Faults[k].Path = fmt.Sprintf("%s/%d", path, i)
			}
		}
	}
	return err
}

// followed is the change of a level whose rigs follow a version of a preset, and its notes.
func followed(doc *level.Level, presetID string, info api.PresetInfo, links map[string]preset.Taking) (level.Operation, revision, error) {
	from := fmt.Sprintf("%s/%s@%d", info.Owner, info.Name, info.Version)
	op := level.Batch("Follow " + from)
	rev := revision{Kind: "edit", Label: op.Label}
	for _, r := range doc.Rigs {
		t, linked := links[r.ID]
		if !linked {
			continue
		}
		op.Steps = append(op.Steps, level.Set(r.ID, map[string]any{"preset": from}))
		body, err := level.Encode(t)
		if err != nil {
			return op, rev, err
		}
		rev.takings = append(rev.takings, takingRow{PresetID: presetID, Preset: info.Owner + "/" + info.Name, Kind: info.Kind, Version: info.Version, Hash: info.Hash, Rig: r.ID, Body: body})
	}
	return op, rev, nil
}

// follows is the newest note of a rig that follows a preset which the asker may edit; nil where it does not.
func (s *Store) follows(a Asker, levelID, rig, owner, name string) (*level.Level, *takingRow, error) {
	doc, rows, err := s.withTakings(a, levelID)
	if err != nil {
		return nil, nil, err
	}
	own, err := s.editable(s.db, a, owner, name)
	if errors.Is(err, ErrNotFound) {
		return doc, nil, nil
	}
	if err != nil {
		return nil, nil, err
	}
	for i := range rows {
		if rows[i].Rig == rig && rows[i].PresetID == own.ID {
			return doc, &rows[i], nil
		}
	}
	return doc, nil, nil
}

// SaveRig is SavePreset of a rig of a level. One that follows the preset already keeps its members' ids there, and follows
// the new version.
func (s *Store) SaveRig(ctx context.Context, a Asker, want api.NewPreset) (api.PresetInfo, error) {
	doc, row, err := s.follows(a, want.Level, want.Rig, cmp.Or(want.Owner, a.Name), want.Name)
	if err != nil {
		return api.PresetInfo{}, err
	}
	if row == nil {
		p, err := preset.FromRig(doc, want.Rig)
		if err != nil {
			return api.PresetInfo{}, err
		}
		return s.SavePreset(a, want, p)
	}
	return s.saveNext(ctx, a, saving{NewPreset: want}, doc, row)
}

// saveNext saves a rig that follows a preset as its next version.
func (s *Store) saveNext(ctx context.Context, a Asker, want saving, doc *level.Level, row *takingRow) (api.PresetInfo, error) {
	was, err := s.newShelf(a).version(row.PresetID, row.Version)
	if err != nil {
		return api.PresetInfo{}, err
	}
	if was == nil {
		return api.PresetInfo{}, fmt.Errorf("version %d of %s, which the rig follows, is there no more: %w", row.Version, row.Preset, ErrNotFound)
	}
	var t preset.Taking
	if err := json.Unmarshal(row.Body, &t); err != nil {
		return api.PresetInfo{}, err
	}
	next, follows, err := was.Next(doc, t)
	if err != nil {
		return api.PresetInfo{}, err
	}
	info, err := s.savePreset(a, want, next)
	if err != nil || info.Version == row.Version {
		return info, err
	}
	_, err = s.revise(ctx, a, want.Level, func(_ *gorm.DB, _ *levelRow, now *level.Level) (level.Operation, revision, error) {
		return followed(now, row.PresetID, info, map[string]preset.Taking{row.Rig: follows})
	})
	if errors.Is(err, rights.ErrForbidden) {
		err = nil // who may not change the level saves from it all the same
	}
	return info, err
}

// GiveToOthers saves what a linked rig has as the next version of its preset, and brings the other rigs of the level
// that follow the preset to it. Of somebody else's preset the asker gets one of their own first, which these rigs then
// follow.
func (s *Store) GiveToOthers(ctx context.Context, a Asker, levelID, origin, changes string) (api.Given, error) {
	var out api.Given
	doc, rows, err := s.withTakings(a, levelID)
	if err != nil {
		return out, err
	}
	at := slices.IndexFunc(rows, func(r takingRow) bool { return r.ID == origin })
	if at < 0 || rows[at].Rig == "" {
		return out, fmt.Errorf("the level has no linked rig %q: %w", origin, ErrNotFound)
	}
	row := &rows[at]
	newest, name, err := s.newShelf(a).newest(row)
	if err != nil {
		return out, err
	}
	if newest > row.Version { // what the newer version has would be taken from the others again
		return out, fault("/origin", "follows version %d of %s, and version %d is there; bring it to that one first", row.Version, name, newest)
	}
	owner, own, _ := strings.Cut(name, "/")
	if _, err = s.editable(s.db, a, owner, own); errors.Is(err, rights.ErrForbidden) {
		owner = a.Name
		if row, own, err = s.ownOriginal(ctx, a, levelID, name, rows, row); err != nil {
			return out, err
		}
	} else if err != nil {
		return out, err
	}
	info, err := s.saveNext(ctx, a, saving{NewPreset: api.NewPreset{Owner: owner, Name: own, Level: levelID, Changes: changes}, keepWords: true}, doc, row)
	if err != nil {
		return out, err
	}
	out.Preset, out.Version = info.Owner+"/"+info.Name, info.Version
	if _, rows, err = s.withTakings(a, levelID); err != nil {
		return out, err
	}
	var others []string
	for _, r := range rows {
		if r.PresetID == row.PresetID && r.Version != info.Version {
			others = append(others, r.ID)
		}
	}
	if len(others) == 0 {
		return out, nil
	}
	out.Updated, err = s.UpdateOrigins(ctx, a, levelID, api.UpdateOrigins{IDs: others})
	return out, err
}

// ownOriginal gives the asker a preset of their own, as a rig's is, and has the rigs that follow that version follow it.
// It returns the rig's new note.
func (s *Store) ownOriginal(ctx context.Context, a Asker, levelID, from string, rows []takingRow, row *takingRow) (*takingRow, string, error) {
	owner, name, _ := strings.Cut(from, "/")
	as := name
	for n := 2; ; n++ {
		if _, err := ownPreset(s.db, a, as); errors.Is(translate(err), ErrNotFound) {
			break
		} else if err != nil {
			return nil, "", err
		}
		as = fmt.Sprintf("%s-%d", name, n)
	}
	info, err := s.ForkPreset(a, owner, name, row.Version, as)
	if err != nil {
		return nil, "", err
	}
	own, err := ownPreset(s.db, a, as)
	if err != nil {
		return nil, "", err
	}
	links := map[string]preset.Taking{}
	for _, r := range rows {
		if r.PresetID != row.PresetID || r.Version != row.Version {
			continue
		}
		var t preset.Taking
		if err := json.Unmarshal(r.Body, &t); err != nil {
			return nil, "", err
		}
		links[r.Rig] = t
	}
	_, err = s.revise(ctx, a, levelID, func(_ *gorm.DB, _ *levelRow, now *level.Level) (level.Operation, revision, error) {
		return followed(now, own.ID, info, links)
	})
	if err != nil {
		return nil, "", err
	}
	_, now, err := s.withTakings(a, levelID)
	if err != nil {
		return nil, "", err
	}
	for i := range now {
		if now[i].Rig == row.Rig && now[i].PresetID == own.ID {
			return &now[i], as, nil
		}
	}
	return nil, "", fmt.Errorf("the rig %q: %w", row.Rig, ErrNotFound)
}
