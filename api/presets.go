package api

import (
	"time"

	"grotta/core/level"
	"grotta/core/merge"
	"grotta/core/preset"
)

// This file has the bodies about presets.

// PresetInfo is a preset in a list, at one version.
type PresetInfo struct {
	Owner    string    `json:"owner"`
	Name     string    `json:"name"`
	Kind     string    `json:"kind" enum:"rig,mood,look,sky,zone,density,environment,hand_over,import_rules,platform"`
	Version  int       `json:"version"`
	Versions int       `json:"versions" doc:"How many there are."`
	Author   string    `json:"author"`
	MadeBy   string    `json:"made_by,omitzero" doc:"Who made it, as the bundle that it came in says. Nobody has checked that."`
	Note     string    `json:"note,omitzero"`
	Tags     []string  `json:"tags"`
	Credit   string    `json:"credit,omitzero" doc:"Whom to name when it is used."`
	Changes  string    `json:"changes,omitzero" doc:"What is other than in the version before, in words."`
	Hash     string    `json:"hash" doc:"SHA-256 of its content."`
	Created  time.Time `json:"created"`
	Forked   string    `json:"forked,omitzero" doc:"The preset and version that it began as, owner/name@version."`
	Taken    int       `json:"taken" doc:"How often it was put into a level."`
	Picture  bool      `json:"picture" doc:"It can be shown on a stage."`
	Shared   []string  `json:"shared" doc:"With whom; \"everybody\" for all. Only its owner sees this."`
	Teams    []string  `json:"teams" doc:"Teams that it is shared with. Only its owner sees this."`

	Uncredited []string `json:"uncredited,omitzero" doc:"Images and profiles that it holds without credit or licence. It cannot be shared with them."`
}

// PresetSearch asks for presets by what they are. All that is given holds together.
type PresetSearch struct {
	Words      string   `query:"words" maxLength:"200" doc:"In name, tags, note, owner or credit; the beginning of a word is enough."`
	Kinds      []string `query:"kind,explode" maxItems:"10" enum:"rig,mood,look,sky,zone,density,environment,hand_over,import_rules,platform" doc:"Any of these kinds."`
	Tags       []string `query:"tag,explode" maxItems:"20" doc:"All of these tags."`
	Colour     string   `query:"colour" enum:"red,orange,yellow,green,cyan,blue,magenta,white,warm,cool,neutral" doc:"Of its light."`
	Brightness string   `query:"brightness" enum:"dark,dim,medium,bright" doc:"Of its light."`
	Owner      string   `query:"owner" maxLength:"64"`
	Platform   string   `query:"platform" maxLength:"64" doc:"It was saved from a level that had no error against this platform."`
	Team       string   `query:"team" maxLength:"64" doc:"Shared with this team."`
	Sort       string   `query:"sort" enum:"best,newest,taken,name" default:"best" doc:"best: by how well the words fit, else the newest first."`
	Limit      int      `query:"limit" minimum:"1" maximum:"200" default:"60"`
	From       int      `query:"from" minimum:"0" maximum:"100000" doc:"How many to pass over."`
}

// PresetPage is a page of what a search finds.
type PresetPage struct {
	Items []PresetInfo `json:"items"`
	Total int          `json:"total" doc:"How many there are in all; at most 1000 are counted."`
	Try   []string     `json:"try,omitzero" doc:"Where nothing was found: tags that presets have."`
}

// NewPreset saves a version of a preset from a level.
type NewPreset struct {
	Owner   string   `json:"owner,omitzero" required:"false" doc:"The asker if left out. Editors of a team save versions of what is shared with the team."`
	Name    string   `json:"name" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Level   string   `json:"level"`
	Kind    string   `json:"kind,omitzero" enum:"rig,mood,look,sky,zone,density,environment" required:"false" doc:"rig where a rig is named, zone where a zone is, else mood."`
	Rig     string   `json:"rig,omitzero" required:"false" doc:"Id of the rig to save."`
	Zone    string   `json:"zone,omitzero" required:"false" doc:"Id of the zone whose set-up is saved."`
	Look    bool     `json:"look,omitzero" required:"false" doc:"Save the level's look alone; the same as the kind look."`
	Note    string   `json:"note,omitzero" maxLength:"2000" required:"false"`
	Tags    []string `json:"tags,omitzero" maxItems:"32" required:"false" doc:"Kept in lower case, each once."`
	Credit  string   `json:"credit,omitzero" maxLength:"200" required:"false"`
	Changes string   `json:"changes,omitzero" maxLength:"400" required:"false" doc:"What is other than in the version before, in words."`
}

// PresetMeta is what is said about a preset that comes as a file.
type PresetMeta struct {
	Note    string   `query:"note" maxLength:"2000"`
	Tags    []string `query:"tag,explode" maxItems:"32"`
	Credit  string   `query:"credit" maxLength:"200"`
	Changes string   `query:"changes" maxLength:"400"`
}

// ApplyPreset puts a preset into a level.
type ApplyPreset struct {
	Owner   string        `json:"owner,omitzero" required:"false" doc:"The asker if left out."`
	Name    string        `json:"name"`
	Version int           `json:"version,omitzero" minimum:"1" required:"false" doc:"The newest if left out."`
	At      *level.Vec    `json:"at,omitzero" required:"false" doc:"rig: where it goes, metres."`
	Normal  *level.Vec    `json:"normal,omitzero" required:"false" doc:"rig: at is on a surface that faces this way; the rig is set against it."`
	Places  []preset.Spot `json:"places,omitzero" maxItems:"2000" required:"false" doc:"rig: many places, as one change."`
	Only    []string      `json:"only,omitzero" maxItems:"20" required:"false" doc:"The parts to take, such as sky or fog; all if left out."`
	Zones   []string      `json:"zones,omitzero" maxItems:"1000" required:"false" doc:"mood, look, zone: ids of zones that take it in place of the level."`
}

// PresetName gives a preset another name.
type PresetName struct {
	Name string `json:"name" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
}

// Share names with whom something is shared.
type Share struct {
	With  []string `json:"with" maxItems:"200" doc:"Names of users, or \"everybody\"; an empty list takes it back."`
	Teams []string `json:"teams,omitzero" maxItems:"200" required:"false" doc:"Names of teams."`
}

// PresetUses says which levels of the asker's took a preset.
type PresetUses struct {
	Levels []string `json:"levels" doc:"Names of levels that you may see."`
	Others int      `json:"others" doc:"How many levels of others took it."`
}

// Origin says where a part of a level came from, as the service has noted it.
type Origin struct {
	ID       string           `json:"id"`
	Preset   string           `json:"preset" doc:"owner/name"`
	Kind     string           `json:"kind"`
	Version  int              `json:"version" doc:"That was taken."`
	Hash     string           `json:"hash"`
	Revision int              `json:"revision" doc:"Of the level, that took it."`
	Rig      string           `json:"rig,omitzero" doc:"Id of the rig in the level."`
	Only     []string         `json:"only,omitzero" doc:"The parts that were taken; all where there are none."`
	Zones    []string         `json:"zones,omitzero"`
	Newest   int              `json:"newest,omitzero" doc:"The newest version that you may see; 0 where it is there no more."`
	Changed  []preset.Changed `json:"changed" doc:"What was changed in the level since."`
	Lost     bool             `json:"lost,omitzero" doc:"The version that was taken is there no more, so it is not known what was changed."`
}

// LinkRigs has rigs that a level has already follow a preset.
type LinkRigs struct {
	Owner   string   `json:"owner,omitzero" required:"false" doc:"The asker if left out."`
	Name    string   `json:"name"`
	Version int      `json:"version,omitzero" minimum:"1" required:"false" doc:"The newest if left out."`
	Rigs    []string `json:"rigs,omitzero" maxItems:"5000" required:"false" doc:"Ids of rigs; all that are like the preset and follow nothing if left out."`
}

// Linked is the outcome of LinkRigs.
type Linked struct {
	Revision int      `json:"revision"`
	Rigs     []string `json:"rigs" doc:"That follow the preset from now on."`
}

// GiveToOthers gives what a linked rig has to the others that follow the same preset.
type GiveToOthers struct {
	Changes string `json:"changes,omitzero" maxLength:"400" required:"false" doc:"What is other than before, in words; it is kept with the new version."`
}

// Given is the outcome of GiveToOthers.
type Given struct {
	Preset  string  `json:"preset" doc:"owner/name"`
	Version int     `json:"version" doc:"That was made, or that the rig is at where it has nothing new."`
	Updated Updated `json:"updated" doc:"What became of the others."`
}

// UpdateOrigins brings what was taken to newer versions.
type UpdateOrigins struct {
	IDs     []string `json:"ids,omitzero" maxItems:"5000" required:"false" doc:"Of origins; all that are not at their newest version if left out."`
	Version int      `json:"version,omitzero" minimum:"1" required:"false" doc:"The newest if left out."`
	Take    []string `json:"take,omitzero" maxItems:"5000" required:"false" doc:"Clashes, by part/id/path, that are settled by the new version; \"all\" is every one. The level's own value holds for the others."`
	Dry     bool     `json:"dry,omitzero" required:"false" doc:"Only say what would change and what clashes."`
}

// Updated is the outcome of an update.
type Updated struct {
	Revision int            `json:"revision" doc:"Of the level; as it was where nothing changed."`
	Origins  int            `json:"origins" doc:"How many were brought to another version."`
	Changes  []level.Change `json:"changes"`
	Clashes  []merge.Clash  `json:"clashes" doc:"Fields that both the preset and the level have changed."`
}

// CreditLine is something shown in a level that somebody has to be named for.
type CreditLine struct {
	What    string `json:"what" enum:"image,profile,preset"`
	Name    string `json:"name"`
	Credit  string `json:"credit,omitzero"`
	Licence string `json:"licence,omitzero"`
}

// NewBundle asks for presets as one file.
type NewBundle struct {
	Presets []string `json:"presets" minItems:"1" maxItems:"500" doc:"[owner/]name[@version] each."`
}
