package store

import (
	"fmt"
	"strings"
	"time"
	"unicode"

	"github.com/go-json-experiment/json"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"grotta/api"
	"grotta/core/preset"
)

// This file finds presets: by words in an index of SQLite (FTS5), and by facets such as tags.

// mostCounted is how many hits a search counts.
const mostCounted = 1000

// Facets of presets.
const (
	facetTag        = "tag"
	facetColour     = "colour"
	facetBrightness = "brightness"
	facetPlatform   = "platform"
)

// Presets lists what the asker may see, each at its newest version, by name. For long lists there is
// FindPresets.
func (s *Store) Presets(a Asker) ([]api.PresetInfo, error) {
	page, err := s.FindPresets(a, api.PresetSearch{Sort: "name", Limit: 10000})
	return page.Items, err
}

// FindPresets is a page of the presets that the asker may see and that a search finds.
func (s *Store) FindPresets(a Asker, want api.PresetSearch) (api.PresetPage, error) {
	page := api.PresetPage{Items: []api.PresetInfo{}}
	where, args := searched(a, &want)
	from := "presets"
	order := map[string]string{"newest": "presets.changed DESC, presets.number DESC", "taken": "presets.taken DESC, presets.changed DESC", "name": "presets.name, presets.number"}[want.Sort]
	if order == "" {
		order = "presets.changed DESC, presets.number DESC"
	}
	if match := ftsQuery(want.Words); match != "" {
		from += " JOIN preset_search ON preset_search.rowid = presets.number"
		where, args["match"] = "preset_search MATCH @match AND "+where, match
		if want.Sort == "" || want.Sort == "best" { // a name counts most, then tags
			order = "bm25(preset_search, 8, 4, 1, 2, 1), presets.taken DESC"
		}
	}
	limit := want.Limit
	if limit == 0 {
		limit = 60
	}
	args["limit"], args["from"], args["most"] = limit, want.From, mostCounted
	var rows []presetRow
	if err := s.db.Raw("SELECT presets.* FROM "+from+" WHERE "+where+" ORDER BY "+order+" LIMIT @limit OFFSET @from", args).Scan(&rows).Error; err != nil {
		return page, err
	}
	if page.Total = want.From + len(rows); len(rows) == limit {
		if err := s.db.Raw("SELECT count(*) FROM (SELECT 1 FROM "+from+" WHERE "+where+" LIMIT @most)", args).Scan(&page.Total).Error; err != nil {
			return page, err
		}
		page.Total = max(page.Total, want.From+len(rows))
	}
	var err error
	if page.Items, err = s.describeAll(a, rows); err == nil && page.Total == 0 {
		page.Try, err = s.commonTags(a)
	}
	return page, err
}

// searched is the condition of a search.
func searched(a Asker, want *api.PresetSearch) (where string, args map[string]any) {
	args = map[string]any{"me": a.ID}
	var all []string
	all = append(all, seen)
	if len(want.Kinds) > 0 {
		args["kinds"] = want.Kinds
		all = append(all, "presets.kind IN @kinds")
	}
	facet := func(facet, value string) {
		if value == "" {
			return
		}
		name := fmt.Sprintf("facet%d", len(args))
		args[name] = value
		all = append(all, fmt.Sprintf("presets.id IN (SELECT preset_id FROM preset_facets WHERE facet = '%s' AND value = @%s)", facet, name))
	}
	for _, t := range want.Tags {
		facet(facetTag, strings.ToLower(strings.TrimSpace(t)))
	}
	facet(facetColour, want.Colour)
	facet(facetBrightness, want.Brightness)
	facet(facetPlatform, want.Platform)
	if want.Owner != "" {
		args["owner"] = want.Owner
		all = append(all, "presets.owner_id = (SELECT id FROM users WHERE name = @owner)")
	}
	if want.Team != "" {
		args["team"] = want.Team
		all = append(all, "EXISTS (SELECT 1 FROM team_presets t JOIN teams ON teams.id = t.team_id WHERE t.preset_id = presets.id AND teams.name = @team)")
	}
	return strings.Join(all, " AND "), args
}

// ftsQuery is words as FTS5 has them: each must be there, and its beginning is enough.
func ftsQuery(words string) string {
	var terms []string
	for _, w := range strings.FieldsFunc(words, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.IsMark(r) }) {
		terms = append(terms, `"`+w+`"*`)
	}
	return strings.Join(terms, " ")
}

// describeAll is presets as a list shows them, with few questions to the database.
func (s *Store) describeAll(a Asker, rows []presetRow) ([]api.PresetInfo, error) {
	out := make([]api.PresetInfo, 0, len(rows))
	for len(rows) > 0 {
		part := rows[:min(len(rows), mostAtOnce)]
		rows = rows[len(part):]
		ids, owners := make([]string, len(part)), map[uint]user{}
		for i := range part {
			ids[i] = part[i].ID
			owners[part[i].OwnerID] = user{}
		}
		var versions []presetVersion
		if err := s.db.Omit("Body").Preload("Author").Joins("JOIN presets ON presets.id = preset_id AND presets.last = version").Where("preset_id IN ?", ids).Find(&versions).Error; err != nil {
			return nil, err
		}
		newest := map[string]*presetVersion{}
		for i := range versions {
			newest[versions[i].PresetID] = &versions[i]
		}
		var counts []struct {
			PresetID string
			N        int
		}
		if err := s.db.Model(&presetVersion{}).Select("preset_id, count(*) AS n").Where("preset_id IN ?", ids).Group("preset_id").Scan(&counts).Error; err != nil {
			return nil, err
		}
		count := map[string]int{}
		for _, c := range counts {
			count[c.PresetID] = c.N
		}
		var users []user
		ownerIDs := []uint{}
		for id := range owners {
			ownerIDs = append(ownerIDs, id)
		}
		if err := s.db.Where("id IN ?", ownerIDs).Find(&users).Error; err != nil {
			return nil, err
		}
		for _, u := range users {
			owners[u.ID] = u
		}
		for i := range part {
			row, v := &part[i], newest[part[i].ID]
			if v == nil {
				continue
			}
			row.Owner = owners[row.OwnerID]
			info, err := infoOf(row, v, count[row.ID])
			if err == nil && row.OwnerID == a.ID {
				info.Shared, info.Teams, err = s.sharedWith(row.ID)
			}
			if err != nil {
				return nil, err
			}
			out = append(out, info)
		}
	}
	return out, nil
}

// commonTags are the tags that most presets have.
func (s *Store) commonTags(a Asker) (tags []string, err error) {
	err = s.db.Raw("SELECT value FROM preset_facets WHERE facet = 'tag' GROUP BY value ORDER BY count(*) DESC, value LIMIT 12").Scan(&tags).Error
	return tags, err
}

// indexPreset has a preset found by its newest version.
func indexPreset(tx *gorm.DB, row *presetRow, v *presetVersion, owner string, p *preset.Preset, platforms []string) error {
	var tags []string
	if err := json.Unmarshal([]byte(v.Tags), &tags); err != nil {
		return err
	}
	if err := tx.Exec("DELETE FROM preset_search WHERE rowid = ?", row.Number).Error; err != nil {
		return err
	}
	err := tx.Exec("INSERT INTO preset_search (rowid, name, tags, note, owner, credit) VALUES (?, ?, ?, ?, ?, ?)",
		row.Number, row.Name, strings.Join(tags, " "), v.Note, owner, v.Credit).Error
	if err != nil {
		return err
	}
	if err := tx.Where("preset_id = ?", row.ID).Delete(&presetFacet{}).Error; err != nil {
		return err
	}
	facets := []presetFacet{}
	for _, t := range tags {
		facets = append(facets, presetFacet{facetTag, strings.ToLower(t), row.ID})
	}
	for _, name := range platforms {
		facets = append(facets, presetFacet{facetPlatform, name, row.ID})
	}
	brightness, colours := p.Tint()
	if brightness != "" {
		facets = append(facets, presetFacet{facetBrightness, brightness, row.ID})
	}
	for _, c := range colours {
		facets = append(facets, presetFacet{facetColour, c, row.ID})
	}
	if len(facets) == 0 {
		return nil
	}
	return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&facets).Error
}

// reindex indexes a preset again by what is stored.
func reindex(tx *gorm.DB, id string) error {
	var row presetRow
	if err := tx.Preload("Owner").Where("id = ?", id).First(&row).Error; err != nil {
		return err
	}
	var v presetVersion
	if err := tx.Where("preset_id = ?", id).Order("version DESC").Limit(1).Find(&v).Error; err != nil || v.PresetID == "" {
		return err
	}
	p, err := preset.Parse(v.Body)
	if err != nil {
		return nil // one that no longer reads is found by nothing, and kept
	}
	var platforms []string
	if err := tx.Model(&presetFacet{}).Where("preset_id = ? AND facet = ?", id, facetPlatform).Pluck("value", &platforms).Error; err != nil {
		return err
	}
	return indexPreset(tx, &row, &v, row.Owner.Name, p, platforms)
}

// indexPresets brings presets of before there was an index, and profiles of platforms, into it.
func indexPresets(tx *gorm.DB) error {
	var platforms []struct {
		OwnerID uint
		Name    string
		Body    []byte
	}
	if err := tx.Raw("SELECT owner_id, name, body FROM platforms ORDER BY owner_id, name").Scan(&platforms).Error; err != nil {
		return err
	}
	for _, f := range platforms {
		if err := platformAsPreset(tx, f.OwnerID, f.Name, f.Body); err != nil {
			return err
		}
	}
	if err := tx.Exec("DROP TABLE platforms").Error; err != nil {
		return err
	}
	var ids []string
	if err := tx.Model(&presetRow{}).Pluck("id", &ids).Error; err != nil {
		return err
	}
	for _, id := range ids {
		if err := reindex(tx, id); err != nil {
			return err
		}
	}
	return nil
}

// platformAsPreset makes a preset of a profile that had a table of its own.
func platformAsPreset(tx *gorm.DB, owner uint, name string, body []byte) error {
	p, err := preset.FromPlatform(body)
	if err != nil {
		return nil // it could not be used
	}
	v, err := newVersion(&saving{}, p)
	if err != nil {
		return err
	}
	var taken int64
	if err := tx.Model(&presetRow{}).Where("owner_id = ? AND name = ?", owner, name).Count(&taken).Error; err != nil {
		return err
	}
	if taken > 0 {
		name += "-platform"
	}
	row, err := presetFor(tx, Asker{ID: owner}, &saving{NewPreset: api.NewPreset{Name: name}}, preset.Platform)
	if err != nil {
		return err
	}
	v.PresetID, v.Version, v.Tags, v.AuthorID, v.Created = row.ID, 1, "[]", owner, time.Now().UTC()
	if err := tx.Omit("Author", "Preset").Create(v).Error; err != nil {
		return err
	}
	return tx.Model(&presetRow{}).Where("id = ?", row.ID).Updates(map[string]any{"last": 1, "changed": v.Created}).Error
}
