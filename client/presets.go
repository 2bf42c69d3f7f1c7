package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"grotta/api"
	"grotta/core/level"
	"grotta/core/preset"
)

// This file has the calls about presets.

func presetPath(owner, name, rest string) string {
	return "/presets/" + url.PathEscape(owner) + "/" + url.PathEscape(name) + rest
}

func ownPresetPath(name, rest string) string { return "/presets/" + url.PathEscape(name) + rest }

// Presets lists those of the user and those shared with them, by name.
func (c *Client) Presets(ctx context.Context) ([]api.PresetInfo, error) {
	return c.AllPresets(ctx, api.PresetSearch{Sort: "name"})
}

// AllPresets lists all that a search finds, page by page.
func (c *Client) AllPresets(ctx context.Context, want api.PresetSearch) ([]api.PresetInfo, error) {
	all := []api.PresetInfo{}
	for want.Limit = 200; ; want.From += want.Limit {
		page, err := c.FindPresets(ctx, want)
		all = append(all, page.Items...)
		if err != nil || len(page.Items) < want.Limit {
			return all, err
		}
	}
}

// FindPresets is a page of what a search finds.
func (c *Client) FindPresets(ctx context.Context, want api.PresetSearch) (api.PresetPage, error) {
	q := query("words", want.Words, "colour", want.Colour, "brightness", want.Brightness, "owner", want.Owner, "platform", want.Platform, "team", want.Team, "sort", want.Sort)
	for _, k := range want.Kinds {
		q.Add("kind", k)
	}
	for _, t := range want.Tags {
		q.Add("tag", t)
	}
	if want.Limit > 0 {
		q.Set("limit", strconv.Itoa(want.Limit))
	}
	if want.From > 0 {
		q.Set("from", strconv.Itoa(want.From))
	}
	return get[api.PresetPage](ctx, c, "/presets", q)
}

// SavePreset saves a version from a level.
func (c *Client) SavePreset(ctx context.Context, p api.NewPreset) (api.PresetInfo, error) {
	return post[api.PresetInfo](ctx, c, "/presets", p)
}

// UploadPreset saves a version from a file. What is not said about it stays as it was.
func (c *Client) UploadPreset(ctx context.Context, name string, text []byte, said api.PresetMeta) (api.PresetInfo, error) {
	q := query("note", said.Note, "credit", said.Credit, "changes", said.Changes)
	for _, t := range said.Tags {
		q.Add("tag", t)
	}
	var out api.PresetInfo
	_, err := c.do(ctx, call{method: http.MethodPut, path: ownPresetPath(name, ""), query: q, body: text}, &out)
	return out, err
}

// Preset reads a preset with its content; version 0 is the newest.
func (c *Client) Preset(ctx context.Context, owner, name string, version int) (api.PresetInfo, *preset.Preset, error) {
	out, err := get[struct {
		api.PresetInfo
		Content *preset.Preset `json:"content"`
	}](ctx, c, presetPath(owner, name, ""), query("version", strconv.Itoa(version)))
	return out.PresetInfo, out.Content, err
}

// PresetVersions lists the versions of a preset, the newest first.
func (c *Client) PresetVersions(ctx context.Context, owner, name string) ([]api.PresetInfo, error) {
	return getList[api.PresetInfo](ctx, c, presetPath(owner, name, "/versions"), nil)
}

// PresetPicture is a JPEG of a preset on a neutral stage; version 0 is the newest.
func (c *Client) PresetPicture(ctx context.Context, owner, name string, version int) ([]byte, error) {
	return getBytes(ctx, c, presetPath(owner, name, "/picture"), query("version", strconv.Itoa(version)))
}

// ForkPreset makes a preset of the user's own from another's.
func (c *Client) ForkPreset(ctx context.Context, owner, name string, version int, as string) (api.PresetInfo, error) {
	var out api.PresetInfo
	_, err := c.do(ctx, call{method: http.MethodPost, path: presetPath(owner, name, "/fork"), query: query("version", strconv.Itoa(version)), body: api.PresetName{Name: as}}, &out)
	return out, err
}

// RenamePreset gives one of the user's presets another name.
func (c *Client) RenamePreset(ctx context.Context, name, to string) (api.PresetInfo, error) {
	var out api.PresetInfo
	_, err := c.do(ctx, call{method: http.MethodPatch, path: ownPresetPath(name, ""), body: api.PresetName{Name: to}}, &out)
	return out, err
}

// PresetUses says which levels took one of the user's presets.
func (c *Client) PresetUses(ctx context.Context, name string) (api.PresetUses, error) {
	return get[api.PresetUses](ctx, c, "/preset-uses/"+url.PathEscape(name), nil)
}

// SharePreset says with whom a preset is shared.
func (c *Client) SharePreset(ctx context.Context, name string, with api.Share) error {
	if with.With == nil {
		with.With = []string{}
	}
	_, err := c.do(ctx, call{method: http.MethodPut, path: ownPresetPath(name, "/shares"), body: with}, nil)
	return err
}

// DeletePreset deletes one of the user's presets.
func (c *Client) DeletePreset(ctx context.Context, name string) error {
	_, err := c.do(ctx, call{method: http.MethodDelete, path: ownPresetPath(name, "")}, nil)
	return err
}

// ApplyPreset puts a preset into a level as one revision.
func (c *Client) ApplyPreset(ctx context.Context, id string, p api.ApplyPreset) (api.Revision, error) {
	return post[api.Revision](ctx, c, levelPath(id, "presets"), p)
}

// WouldApply tells what a preset would change in a level.
func (c *Client) WouldApply(ctx context.Context, id string, p api.ApplyPreset) ([]level.Change, error) {
	out, err := post[items[level.Change]](ctx, c, levelPath(id, "presets/changes"), p)
	return out.Items, err
}

// Origins says which presets the parts of a level came from.
func (c *Client) Origins(ctx context.Context, id string) ([]api.Origin, error) {
	return getList[api.Origin](ctx, c, levelPath(id, "origins"), nil)
}

// UpdateOrigins brings what was taken to a newer version.
func (c *Client) UpdateOrigins(ctx context.Context, id string, want api.UpdateOrigins) (api.Updated, error) {
	return post[api.Updated](ctx, c, levelPath(id, "origins/update"), want)
}

// LinkRigs has rigs of a level follow a preset.
func (c *Client) LinkRigs(ctx context.Context, id string, want api.LinkRigs) (api.Linked, error) {
	return post[api.Linked](ctx, c, levelPath(id, "origins"), want)
}

// GiveToOthers gives what a linked rig has to the others that follow the same preset.
func (c *Client) GiveToOthers(ctx context.Context, id, origin string, want api.GiveToOthers) (api.Given, error) {
	return post[api.Given](ctx, c, levelPath(id, "origins/"+url.PathEscape(origin)+"/give"), want)
}

// EndOrigin makes what was taken the level's own.
func (c *Client) EndOrigin(ctx context.Context, id, origin string) error {
	_, err := c.do(ctx, call{method: http.MethodDelete, path: levelPath(id, "origins/"+url.PathEscape(origin))}, nil)
	return err
}

// Credits lists whom to name for what a level shows, and the same as a text.
func (c *Client) Credits(ctx context.Context, id string) (lines []api.CreditLine, text string, err error) {
	out, err := get[struct {
		Items []api.CreditLine `json:"items"`
		Text  string           `json:"text"`
	}](ctx, c, levelPath(id, "credits"), nil)
	return out.Items, out.Text, err
}

// WriteBundle is presets as one file, [owner/]name[@version] each.
func (c *Client) WriteBundle(ctx context.Context, refs []string) (zip []byte, err error) {
	_, err = c.do(ctx, call{method: http.MethodPost, path: "/bundles", body: api.NewBundle{Presets: refs}}, &zip)
	return zip, err
}

// ReadBundle takes the presets of a bundle; they become the user's.
func (c *Client) ReadBundle(ctx context.Context, zip []byte) ([]api.PresetInfo, error) {
	out, err := post[items[api.PresetInfo]](ctx, c, "/bundles/read", zip)
	return out.Items, err
}
