// Package api holds the bodies that travel between the service and its clients.
// The service's handlers and the Go client share these types; the OpenAPI
// document and the console's types are generated from them. No behaviour lives
// here.
package api

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"grotta/core/air"
	"grotta/core/level"
	"grotta/core/platform"
)

// Scopes of a token. A console session has them all; admin counts for admins alone.
const (
	ScopeRead  = "read"  // see levels, presets, bakes
	ScopeEdit  = "edit"  // change levels and presets; start and cancel bakes
	ScopeShare = "share" // share levels and presets
	ScopeAdmin = "admin" // manage people
)

// Scopes lists them all.
var Scopes = []string{ScopeRead, ScopeEdit, ScopeShare, ScopeAdmin}

// Problem is an error as RFC 9457 has it, with a stable code and the faults.
type Problem struct {
	Type   string  `json:"type" doc:"A URI that names the kind of problem."`
	Title  string  `json:"title"`
	Status int     `json:"status"`
	Detail string  `json:"detail,omitzero"`
	Code   string  `json:"code" doc:"Stable, for programs."`
	Faults []Fault `json:"faults,omitzero" doc:"Each thing wrong, with its place."`
}

// Fault is one thing wrong.
type Fault struct {
	Path    string `json:"path" doc:"JSON pointer into what was sent, or the name of a parameter."`
	Message string `json:"message"`
}

// Error gives the detail and each fault, in words that do not speak of HTTP.
func (p *Problem) Error() string {
	var b strings.Builder
	if b.WriteString(p.Detail); p.Detail == "" {
		b.WriteString(p.Title)
	}
	for _, f := range p.Faults {
		b.WriteString("\n  ")
		if f.Path != "" {
			b.WriteString(f.Path + " ")
		}
		b.WriteString(f.Message)
	}
	return b.String()
}

// GetStatus is the HTTP status.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType is the media type that RFC 9457 gives.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

// User is a person.
type User struct {
	Name     string    `json:"name"`
	Admin    bool      `json:"admin,omitzero" doc:"May manage people."`
	Disabled bool      `json:"disabled,omitzero" doc:"May not sign in."`
	Levels   int       `json:"levels,omitzero" doc:"Levels that are theirs; only admins see it."`
	Created  time.Time `json:"created,omitzero" doc:"Only admins see it."`
}

// NewUser makes a person.
type NewUser struct {
	Name     string `json:"name" minLength:"1" maxLength:"32"`
	Password string `json:"password" minLength:"10" maxLength:"256"`
	Admin    bool   `json:"admin,omitzero" required:"false"`
}

// UserChange changes what a person may. What is left out stays.
type UserChange struct {
	Admin    *bool `json:"admin,omitzero" required:"false"`
	Disabled *bool `json:"disabled,omitzero" required:"false" doc:"Ends their sessions and tokens at once."`
}

// NewPassword sets a password.
type NewPassword struct {
	Old string `json:"old,omitzero" maxLength:"256" required:"false" doc:"The password until now; an admin can leave it out for others."`
	New string `json:"new" minLength:"10" maxLength:"256"`
}

// Session is who is signed in, and the token that changes must carry.
type Session struct {
	User    string    `json:"user"`
	Scopes  []string  `json:"scopes"`
	CSRF    string    `json:"csrf,omitzero" doc:"To be sent as X-Grotta-CSRF with every change made with the session's cookie."`
	Expires time.Time `json:"expires,omitzero"`
}

// SignIn is a name and a password.
type SignIn struct {
	Name     string `json:"name" minLength:"1" maxLength:"64"`
	Password string `json:"password" minLength:"1" maxLength:"256"`
}

// Token is a key for programs; its secret is shown once.
type Token struct {
	ID      string     `json:"id"`
	Name    string     `json:"name"`
	Scopes  []string   `json:"scopes"`
	Created time.Time  `json:"created"`
	Expires *time.Time `json:"expires,omitzero"`
	Secret  string     `json:"secret,omitzero" doc:"Only in the answer that makes it."`
}

// NewToken asks for a token.
type NewToken struct {
	Name   string   `json:"name" minLength:"1" maxLength:"64"`
	Scopes []string `json:"scopes" enum:"read,edit,share,admin" minItems:"1"`
	Days   int      `json:"days,omitzero" minimum:"1" maximum:"3650" required:"false" doc:"Until it ends; 90 if left out."`
}

// LevelInfo is a level in a list.
type LevelInfo struct {
	ID       string    `json:"id"`
	Name     string    `json:"name"`
	Owner    string    `json:"owner"`
	Role     string    `json:"role" enum:"owner,editor,commenter,viewer" doc:"What the asker may do."`
	Revision int       `json:"revision"`
	Platform string    `json:"platform,omitzero"`
	Changed  time.Time `json:"changed"`
	Solids   int       `json:"solids"`
	Meshes   int       `json:"meshes"`
	Lights   int       `json:"lights"`
	Bytes    int       `json:"bytes" doc:"Of the document's text."`
	Fault    string    `json:"fault,omitzero" doc:"Why the stored document cannot be read; empty where it can."`

	Baked         string     `json:"baked,omitzero" doc:"Only in lists: quality of the newest bake that is done; none where there is none."`
	BakedRevision int        `json:"baked_revision,omitzero" doc:"Only in lists: the revision of that bake."`
	Checked       *Counts    `json:"checked,omitzero" doc:"Only in lists: what a check of this revision against its platform found; none where it was not checked since it changed."`
	Shared        int        `json:"shared,omitzero" doc:"Only in lists: how many people it is shared with."`
	Removed       *time.Time `json:"removed,omitzero" doc:"When it was deleted."`
	Parent        string     `json:"parent,omitzero" doc:"Id of the level that this is a variant of."`
	Variant       string     `json:"variant,omitzero" doc:"What it is called among the variants of that level."`
}

// Counts is how many findings a check had.
type Counts struct {
	Errors   int `json:"errors"`
	Warnings int `json:"warnings"`
}

// LevelCopy asks for a copy of a level, without its history.
type LevelCopy struct {
	Name    string `json:"name,omitzero" maxLength:"120" required:"false" doc:"The level's own with \", copy\" if left out."`
	History bool   `json:"history,omitzero" required:"false" doc:"With all revisions; their authors stay."`
}

// Restore asks for a level, or some of its things, as it was at a revision.
type Restore struct {
	Revision int      `json:"revision" minimum:"1"`
	Only     []string `json:"only,omitzero" maxItems:"1000" required:"false" doc:"Ids of things; an empty id is the level itself. All of the level if left out."`
}

// Presence is somebody who has a level open, and what they look at.
type Presence struct {
	Client    string   `json:"client" minLength:"1" maxLength:"64" doc:"A word that names the window; one person may have several."`
	User      string   `json:"user,omitzero" required:"false" doc:"Filled in by the service."`
	Level     string   `json:"level,omitzero" required:"false" doc:"Filled in by the service."`
	Selection []string `json:"selection" maxItems:"500"`
	Camera    *Camera  `json:"camera,omitzero" required:"false"`
	Leaving   bool     `json:"leaving,omitzero" required:"false"`
}

// NewLink asks for a link that signs a browser in.
type NewLink struct {
	To string `json:"to" minLength:"1" maxLength:"200" doc:"Path of the console that it leads to, such as /levels/ID."`
}

// Link signs a browser in, once.
type Link struct {
	Path    string    `json:"path" doc:"To be opened under the service's address."`
	Expires time.Time `json:"expires"`
}

// OpenSession is a browser that is signed in.
type OpenSession struct {
	ID      string     `json:"id"`
	Agent   string     `json:"agent" doc:"What the browser calls itself."`
	Created *time.Time `json:"created,omitzero"`
	Expires time.Time  `json:"expires"`
	Here    bool       `json:"here" doc:"Whether it is the one that asks."`
}

// Document is a level at a revision.
type Document struct {
	Level    LevelInfo    `json:"level"`
	Document *level.Level `json:"document"`
	Members  []Member     `json:"members"`
	Teams    []TeamRole   `json:"teams" doc:"Teams that it is shared with."`
	CanUndo  bool         `json:"can_undo"`
	CanRedo  bool         `json:"can_redo"`
}

// NewLevel makes a level: empty, or one of the demo's.
type NewLevel struct {
	Name string `json:"name,omitzero" maxLength:"120" required:"false"`
	From string `json:"from,omitzero" enum:"empty,room,demo,noon,night,mill,yard" required:"false" doc:"What it starts as; empty if left out."`
}

// Imported is what came of an import.
type Imported struct {
	Level LevelInfo `json:"level" doc:"Of a dry run what it would be, without an id."`
	ExchangeReport
}

// ExchangeReport says what became of a level on its way in or out.
type ExchangeReport struct {
	Left  []string `json:"left" doc:"What was left out, or kept without being understood."`
	Notes []string `json:"notes" doc:"What was assumed, or changed into something else."`

	Caught []RuleCatch `json:"caught,omitzero" doc:"By each rule for what comes in."`
	Scenes []string    `json:"scenes,omitzero" doc:"Of a glTF file that has several; each can be read by its name."`
}

// RuleCatch says what a rule for what comes in matched.
type RuleCatch struct {
	Rule  string   `json:"rule" doc:"Its patterns."`
	Does  string   `json:"does" doc:"In words."`
	Names []string `json:"names" doc:"Of the things that it matched."`
}

// LuminaireShape is how a luminaire shines.
type LuminaireShape struct {
	Luminaire string       `json:"luminaire,omitzero"`
	Maker     string       `json:"maker,omitzero"`
	Peak      float64      `json:"peak" doc:"Candela in the brightest direction, as measured."`
	Lumens    float64      `json:"lumens" doc:"All its light, as measured."`
	Planes    []ShapePlane `json:"planes"`
}

// ShapePlane is its intensity along one half-plane through its axis.
type ShapePlane struct {
	HorizontalDeg float64   `json:"horizontal_deg"`
	Candela       []float64 `json:"candela" doc:"At 0, 5 to 180 degrees from its axis."`
}

// LightmapFiles say how the baked light is handed out.
type LightmapFiles struct {
	Pages      string  // "exr", "hdr" or "png"
	Encoding   string  // png: "linear", "srgb" or "rgbm"
	RangeLux   float64 // png: the light that is white; 0 for the brightest texel
	Layers     bool    // also each source by itself
	Directions bool    // exr: also how light changes as normals turn
}

// HandOver is a way to write a level for another editor.
type HandOver struct {
	Name   string   `json:"name" doc:"What commands call it: a name for those that come with Grotta, else owner/name."`
	Title  string   `json:"title"`
	Note   string   `json:"note,omitzero"`
	Owner  string   `json:"owner,omitzero" doc:"None for those that come with Grotta."`
	Shape  string   `json:"shape" enum:"sections,json,csv,template"`
	UnitM  float64  `json:"unit_m" doc:"Metres in one unit of the target."`
	Axes   []string `json:"axes"`
	Handed string   `json:"handed" enum:"right,left"`
	Kinds  []string `json:"kinds" doc:"Kinds of things that it has a rule for."`
	Reads  bool     `json:"reads" doc:"Its text can be taken back."`
}

// NewHandOver asks for the text of a level.
type NewHandOver struct {
	To   string   `json:"to,omitzero" maxLength:"200" required:"false" doc:"Name of the hand-over; leave out where a file is given."`
	File string   `json:"file,omitzero" maxLength:"262144" required:"false" doc:"A hand-over file (grotta-handover/1), YAML or JSON, to try before it is saved."`
	Only []string `json:"only,omitzero" maxItems:"20000" required:"false" doc:"Ids of the things that are written; all where there is none."`
}

// HandedOver is a level in the words of a target.
type HandedOver struct {
	Text        string               `json:"text"`
	Extension   string               `json:"extension"`
	Things      int                  `json:"things" doc:"How many stand in it."`
	Differences []HandOverDifference `json:"differences" doc:"By thing and field; left and notes say the same in words."`
	ExchangeReport
}

// HandOverDifference is a field of a thing that its text does not say as it is.
type HandOverDifference struct {
	ID      string `json:"id,omitzero" doc:"None for what the level has once, such as its sun."`
	Name    string `json:"name"`
	Field   string `json:"field"`
	Was     string `json:"was"`
	Becomes string `json:"becomes,omitzero" doc:"What it reads as when it is taken back."`
	Left    bool   `json:"left" doc:"The target has no value for it."`
}

// HandedBack says what the text of a target changed in a level, or would change.
type HandedBack struct {
	Revision int      `json:"revision" doc:"Of the level after it."`
	Added    []string `json:"added" doc:"Names of things that the level did not have."`
	Changed  []string `json:"changed" doc:"\"name: fields\" of those that it had."`
	Same     int      `json:"same" doc:"Things that are as they were."`
	Passed   []string `json:"passed" doc:"What was not read, and why."`

	Operation *level.Operation `json:"operation,omitzero" doc:"Of a dry run: the change that it would make."`
}

// Merged says what taking a file in again changed, or would change.
type Merged struct {
	Revision int      `json:"revision" doc:"Of the level after it."`
	Added    []string `json:"added"`
	Changed  []string `json:"changed"`
	Removed  []string `json:"removed"`
	Same     int      `json:"same" doc:"Parts that are as they were."`
	Floating []string `json:"floating" doc:"Lights that a surface was beside, and is no longer."`
	Buried   []string `json:"buried" doc:"Lights that are within a block now."`
	Words    []string `json:"words" doc:"The same as lines to read."`
	ExchangeReport
}

// ImportOptions say how a file is to be read.
type ImportOptions struct {
	Name string // of the level
	File string // what the file is called
	Main string // of an archive: the file to read
	// Of a PNG image, which comes in as terrain.
	TerrainM float64 // how wide it is
	HeightM  float64 // from black to white
	Cells    int     // along its longer side

	Rules string  // a preset of import rules: [owner/]name[@version]
	Dry   bool    // only say what would come in
	UnitM float64 // metres in a unit of the file; 0 for the format's own
	Scale float64 // times the unit; 0 is 1
	Up    string  // "y" or "z"; "" for the format's own
	// Forward is the file's axis that points north: "x", "-x" and so on; "" for the usual one of its up.
	Forward  string
	Handed   string // "right" or "left"; "" is right
	Platform string // whose unit, axes and import rules hold where they are not said
	Scene    string // glTF: name or number
	// At is where the file's origin stands: x, y, z in metres of the level, and degrees that it is turned clockwise seen
	// from above. None is where it stood before, or the level's origin.
	At []float64
}

// Member is somebody a level is shared with.
type Member struct {
	User string `json:"user"`
	Role string `json:"role" enum:"editor,commenter,viewer"`
}

// Revision is one change in a level's history.
type Revision struct {
	Number    int              `json:"number"`
	Author    string           `json:"author"`
	Time      time.Time        `json:"time"`
	Kind      string           `json:"kind" enum:"create,edit,undo,redo"`
	Label     string           `json:"label"`
	Operation *level.Operation `json:"operation,omitzero"`
}

// Source is something that lights, as the lightmap has it.
type Source struct {
	ID       string     `json:"id"`
	Name     string     `json:"name"`
	Kind     string     `json:"kind"`
	Group    string     `json:"group,omitzero" doc:"Sources of one group are shown as one, such as the patches of the sky."`
	Color    [3]float64 `json:"color" doc:"Linear Rec. 709, without its strength."`
	Strength float64    `json:"strength" doc:"Candela, lux or nits, whether it is on or off."`
	Weight   [3]float64 `json:"weight" doc:"Linear Rec. 709 strength that its layer is multiplied by."`
	Layer    string     `json:"layer,omitzero" doc:"Key of its baked layer; none where it is stale."`
	Quality  string     `json:"quality,omitzero" doc:"Of that layer."`
}

// LightmapState is what of a level is baked.
type LightmapState struct {
	Revision int      `json:"revision"`
	PageSize int      `json:"page_size"`
	Pages    int      `json:"pages"`
	Texels   int      `json:"texels"`
	Geometry string   `json:"geometry" doc:"Names the scene; while it stays, so do the texture coordinates."`
	Stale    int      `json:"stale" doc:"Sources without a layer."`
	Sources  []Source `json:"sources"`
	Hash     string   `json:"hash,omitzero" doc:"SHA-256 of the mix as half-floats, where it was asked for and nothing is stale."`
}

// NewPreview asks for the direct light of a source after a change that is not saved.
type NewPreview struct {
	Operation level.Operation `json:"operation" doc:"The change, on the newest revision."`
	Source    string          `json:"source" maxLength:"96" doc:"Id of the source, such as a light's."`
}

// TriedChange is a change that is only tried.
type TriedChange struct {
	Operation level.Operation `json:"operation" doc:"The change, on the newest revision."`
}

// WantedLayers are baked layers to be read at once.
type WantedLayers struct {
	Layers []LayerOf `json:"layers" maxItems:"512"`
}

// LayerOf names the layer of a source.
type LayerOf struct {
	Source string `json:"source" maxLength:"128"`
	Key    string `json:"key" pattern:"^[0-9a-f]{64}$"`
}

// LayersHead says which layers follow.
type LayersHead struct {
	Layers []LayerPart `json:"layers"`
	Later  []string    `json:"later" doc:"Sources whose layers did not fit; they can be asked for again."`
}

// LayerPart is a layer that follows.
type LayerPart struct {
	Source string `json:"source"`
	Key    string `json:"key"`
	Bytes  int    `json:"bytes"`
}

// PreviewHead stands before the layer of a preview.
type PreviewHead struct {
	Geometry string     `json:"geometry"`
	ID       string     `json:"id"`
	Color    [3]float64 `json:"color" doc:"Linear Rec. 709, without the strength."`
	Strength float64    `json:"strength"`
	Weight   [3]float64 `json:"weight" doc:"What the mix multiplies the layer by."`
}

// NewBake asks for a bake.
type NewBake struct {
	Quality string `json:"quality,omitzero" enum:"draft,good,final" required:"false" doc:"good if left out."`
}

// Bake is a job.
type Bake struct {
	ID       string     `json:"id"`
	Level    string     `json:"level"`
	Revision int        `json:"revision"`
	Quality  string     `json:"quality"`
	State    string     `json:"state" enum:"queued,running,done,cancelled,failed"`
	Layers   int        `json:"layers" doc:"Layers that the revision needs."`
	Reused   int        `json:"reused" doc:"Layers that were there already."`
	Done     float64    `json:"done" doc:"0 to 1."`
	LeftS    float64    `json:"left_s,omitzero" doc:"Seconds left, estimated from what is done."`
	Now      string     `json:"now,omitzero" doc:"What is being baked."`
	Hash     string     `json:"hash,omitzero" doc:"SHA-256 of the mixed lightmap as half-floats, when done."`
	Error    string     `json:"error,omitzero"`
	Created  time.Time  `json:"created"`
	Ended    *time.Time `json:"ended,omitzero"`
}

// Over tells whether a bake's state will not change any more.
func (b *Bake) Over() bool {
	return b.State == "done" || b.State == "cancelled" || b.State == "failed"
}

// Variant says which of a level's states a picture shows.
type Variant struct {
	Revision int    `json:"revision,omitzero" minimum:"1" required:"false" doc:"The newest if left out."`
	Preset   string `json:"preset,omitzero" maxLength:"160" required:"false" doc:"A mood, look, sky or environment, [owner/]name[@version], put on for the picture alone; or the set-up of a zone, on the level's first zone."`
	Look     string `json:"look,omitzero" enum:"on,off" required:"false" doc:"off: exposure alone."`
	Air      string `json:"air,omitzero" enum:"on,off" required:"false" doc:"off: neither fog nor glows, beams and motes."`
	Mix      string `json:"mix,omitzero" maxLength:"64" required:"false" doc:"Id of a mix of the level, put on for the picture alone."`
	NoBake   bool   `json:"no_bake,omitzero" required:"false" doc:"Show what has no light yet as dark; else it is baked at draft first."`
	Display  string `json:"display,omitzero" maxLength:"64" required:"false" doc:"A platform whose display is shown: light over what it takes is cut."`

	Edit *level.Operation `json:"edit,omitzero" required:"false" doc:"A change put on for the picture alone."`
}

// NewShot asks for a picture: from a viewpoint, from a camera, on a path, or of
// the whole.
type NewShot struct {
	Variant
	Viewpoint string   `json:"viewpoint,omitzero" maxLength:"64" required:"false"`
	Camera    *Camera  `json:"camera,omitzero" required:"false"`
	Path      string   `json:"path,omitzero" maxLength:"64" required:"false" doc:"Id of a path; time_s says where on it."`
	Width     int      `json:"width,omitzero" minimum:"16" maximum:"4096" required:"false" doc:"1280 if left out."`
	Height    int      `json:"height,omitzero" minimum:"16" maximum:"4096" required:"false" doc:"720 if left out."`
	Samples   int      `json:"samples,omitzero" minimum:"1" maximum:"4" required:"false" doc:"Rays along each side of a pixel; 2 if left out."`
	Unlit     bool     `json:"unlit,omitzero" required:"false"`
	Meter     bool     `json:"meter,omitzero" required:"false" doc:"Expose by what is seen, in place of the level's exposure."`
	TimeS     *float64 `json:"time_s,omitzero" minimum:"0" maximum:"1e6" required:"false" doc:"Seconds; lights that flicker and motes are as they are then. Steady if left out."`
	Watch     string   `json:"watch,omitzero" maxLength:"64" required:"false" doc:"A word of the asker's own: \"shot\" events of the level with it tell how far the picture is."`
}

// PictureLight tells what of a level's light a picture was made with.
type PictureLight struct {
	Drafted int `json:"drafted" doc:"Sources that had no light yet and were baked at draft for it."`
	Missing int `json:"missing" doc:"Sources that have no light, and so are dark in it: only with no_bake."`
}

// ShotEvent tells how far a picture is.
type ShotEvent struct {
	Level string  `json:"level"`
	Watch string  `json:"watch"`
	Done  float64 `json:"done" doc:"0 to 1."`
}

// Beat tells a watcher that the stream of events is alive.
type Beat struct {
	Level string `json:"level"`
}

// Side is one of two that are compared.
type Side struct {
	Level string `json:"level,omitzero" maxLength:"64" required:"false" doc:"Another level; the one at hand if left out."`
	Variant
}

// NewComparison asks how two pictures from one place differ.
type NewComparison struct {
	A         Side     `json:"a"`
	B         Side     `json:"b"`
	Form      string   `json:"form,omitzero" enum:"side,divider,difference" required:"false" doc:"Side by side; one with a divider in its middle; or the difference in false colour."`
	Viewpoint string   `json:"viewpoint,omitzero" maxLength:"64" required:"false"`
	Camera    *Camera  `json:"camera,omitzero" required:"false"`
	Width     int      `json:"width,omitzero" minimum:"16" maximum:"2048" required:"false" doc:"Of each; 640 if left out."`
	Height    int      `json:"height,omitzero" minimum:"16" maximum:"2048" required:"false" doc:"400 if left out."`
	TimeS     *float64 `json:"time_s,omitzero" minimum:"0" maximum:"1e6" required:"false"`
}

// Difference is how two pictures of one size differ.
type Difference struct {
	Width  int     `json:"width"`
	Height int     `json:"height"`
	Mean   float64 `json:"mean" doc:"Of the colour difference of each pixel, CIEDE2000; about 1 is just seen side by side."`
	P95    float64 `json:"p95" doc:"95th percentile of it."`
	Max    float64 `json:"max"`
	SSIM   float64 `json:"ssim" doc:"Mean structural similarity of luma; 1 is alike."`
}

// Comparison is the outcome.
type Comparison struct {
	Difference
	A       PictureLight `json:"a"`
	B       PictureLight `json:"b"`
	Picture []byte       `json:"picture" doc:"PNG, in base64."`
}

// AirReport is a level's air as plain numbers.
type AirReport struct {
	Level    string  `json:"level"`
	Revision int     `json:"revision"`
	Air      air.Air `json:"air"`
	Sight    []Sight `json:"sight" doc:"How far one sees."`
	Costs    []Cost  `json:"costs" doc:"Of lit fog."`
}

// Sight is the distance at which a dark thing of a size vanishes in the fog.
type Sight struct {
	Zone    string  `json:"zone,omitzero" doc:"Whose fog; none for the level's own."`
	SizeM   float64 `json:"size_m"`
	VanishM float64 `json:"vanish_m"`
}

// ParsePreset splits [owner/]name[@version]; me is the owner where none stands,
// and version 0 the newest.
func ParsePreset(ref, me string) (owner, name string, version int, err error) {
	owner, name = me, ref
	if at := strings.LastIndexByte(name, '@'); at >= 0 {
		if version, err = strconv.Atoi(name[at+1:]); err != nil || version < 1 {
			return "", "", 0, fmt.Errorf("%q: after @ stands a version, such as @2", ref)
		}
		name = name[:at]
	}
	if before, after, ok := strings.Cut(name, "/"); ok {
		owner, name = before, after
	}
	return owner, name, version, nil
}

// NewSheet asks for a contact sheet.
type NewSheet struct {
	Variant
	Kind      string   `json:"kind" enum:"views,lights,rigs,day" doc:"Every viewpoint; every light alone, exposed by itself; every rig alone, exposed alike; or one viewpoint through a day."`
	Viewpoint string   `json:"viewpoint,omitzero" maxLength:"64" required:"false" doc:"lights, rigs, day: where from; the first if left out."`
	Times     []string `json:"times,omitzero" maxItems:"48" required:"false" doc:"day: UTC, such as 2026-06-21T05:00Z, or 05:00 on the sun's own day."`
	Width     int      `json:"width,omitzero" minimum:"16" maximum:"1024" required:"false" doc:"Of each picture; 400 if left out."`
	Height    int      `json:"height,omitzero" minimum:"16" maximum:"1024" required:"false" doc:"250 if left out."`
	Columns   int      `json:"columns,omitzero" minimum:"1" maximum:"16" required:"false" doc:"3 if left out."`
}

// BakePlan is what a bake would do, and why.
type BakePlan struct {
	Level    string  `json:"level"`
	Revision int     `json:"revision"`
	Quality  string  `json:"quality"`
	Layers   int     `json:"layers" doc:"That the revision needs."`
	Stale    []Stale `json:"stale" doc:"Those that are not there, each with what made it stale."`
	Kept     []Kept  `json:"kept" doc:"Layers that stay, because less of their light than a display can show reaches what changed."`
}

// Probes is the light captured in a level's grids.
type Probes struct {
	Level      string `json:"level"`
	Revision   int    `json:"revision"`
	Grids      []Grid `json:"grids"`
	ServedBy   string `json:"served_by,omitzero" doc:"Grid that serves the point that was asked for."`
	Serving    []Part `json:"serving,omitzero" doc:"Its probes that do, with their weights."`
	Reflection string `json:"reflection,omitzero" doc:"Reflection that serves the point."`
}

// Backup is what a backup or a restore copied.
type Backup struct {
	Bytes int64 `json:"bytes"`
	Blobs int   `json:"blobs" doc:"Baked layers."`
	Lost  int   `json:"lost" doc:"Layers whose files were gone already; they are baked again when they are wanted."`

	State time.Time `json:"state,omitzero" doc:"When what was restored from a copy of records was copied."`
}

// Verified is what a check of a data folder found.
type Verified struct {
	Documents int      `json:"documents"`
	Layers    int      `json:"layers"`
	Faults    []string `json:"faults"`
}

// Sound tells whether nothing was found to be wrong.
func (v *Verified) Sound() bool { return len(v.Faults) == 0 }

// Cleaned is what a clean-up gave back.
type Cleaned struct {
	Layers int   `json:"layers"`
	Bytes  int64 `json:"bytes"`
}

// Camera is a place and a direction to look in.
type Camera struct {
	Position [3]float64 `json:"position"`
	Rotation [4]float64 `json:"rotation" doc:"Unit quaternion x, y, z, w; the camera looks along -Z."`
	FovDeg   float64    `json:"fov_deg" minimum:"5" maximum:"150"`
}

// Platform is a profile in a list.
type Platform struct {
	Owner   string            `json:"owner,omitzero" doc:"None for those that come with Grotta."`
	Ref     string            `json:"ref" doc:"What the asker's levels name it by: its name, or owner/name where another shares it."`
	Version int               `json:"version,omitzero" doc:"None for those that come with Grotta."`
	Profile *platform.Profile `json:"profile"`
}

// RevisionEvent tells that a level changed.
type RevisionEvent struct {
	Level    string `json:"level"`
	Revision int    `json:"revision"`
	Author   string `json:"author"`
	Label    string `json:"label"`
}

// BakeEvent tells how a bake goes on.
type BakeEvent struct {
	Bake Bake `json:"bake"`
}
