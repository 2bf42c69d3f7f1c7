package store

import "time"

type user struct {
	ID       uint   `gorm:"primaryKey"`
	Name     string `gorm:"uniqueIndex;not null"`
	Password string `gorm:"not null"` // PHC string
	Admin    bool
	Disabled bool // may not sign in
	Created  time.Time
}

type session struct {
	Hash    string `gorm:"primaryKey"` // of the cookie's secret
	UserID  uint   `gorm:"index;not null"`
	CSRF    string `gorm:"not null"`
	Created *time.Time
	Agent   string // what the browser calls itself
	Expires time.Time
	User    user `gorm:"constraint:OnDelete:CASCADE"`
}

type token struct {
	ID      string `gorm:"primaryKey"`
	Hash    string `gorm:"uniqueIndex;not null"` // of its secret
	UserID  uint   `gorm:"index;not null"`
	Name    string
	Scopes  string // comma separated
	Created time.Time
	Expires *time.Time
	User    user `gorm:"constraint:OnDelete:CASCADE"`
}

type levelRow struct {
	ID       string `gorm:"primaryKey"`
	OwnerID  uint   `gorm:"index;not null"`
	Name     string
	Head     int    // revision
	Document string `gorm:"column:document_hash"` // at the head
	Fault    string // why that cannot be read; "" where it can
	Platform string
	Solids   int
	Meshes   int
	Lights   int
	Created  time.Time
	Changed  time.Time
	Removed  *time.Time // when it was deleted; nil where it was not
	Checked  string     // document and platform that the next two are of
	Errors   int
	Warnings int

	Parent       string // the level that this is a variant of
	Variant      string // what it is called among the variants of that level
	Base         string `gorm:"column:base_hash"` // document of the parent that it was last merged with
	BaseRevision int    // of the parent
	Follows      bool   // takes what is changed in its parent by itself

	Owner user
}

func (levelRow) TableName() string { return "levels" }

// thumbnailRow is a small picture of a level, as it was when its key was made.
type thumbnailRow struct {
	LevelID string `gorm:"primaryKey"`
	Key     string
	Picture []byte   // JPEG
	Level   levelRow `gorm:"constraint:OnDelete:CASCADE"`
}

func (thumbnailRow) TableName() string { return "thumbnails" }

type member struct {
	LevelID string `gorm:"primaryKey"`
	UserID  uint   `gorm:"primaryKey;index"`
	Role    string
	Level   levelRow `gorm:"constraint:OnDelete:CASCADE"`
	User    user     `gorm:"constraint:OnDelete:CASCADE"`
}

type revision struct {
	LevelID   string `gorm:"primaryKey"`
	Number    int    `gorm:"primaryKey"`
	AuthorID  uint
	Kind      string // create, edit, undo, redo
	Target    int    // undo, redo: the revision it takes back or does again
	Label     string
	Operation []byte // JSON
	Inverse   []byte // JSON
	Created   time.Time
	Author    user
	Level     levelRow `gorm:"constraint:OnDelete:CASCADE"`

	takings []takingRow // presets that it put into the level
	merged  *mergedWith // where it merges a variant with its original
}

type bakeRow struct {
	ID       string `gorm:"primaryKey"`
	LevelID  string `gorm:"index;not null"`
	Revision int
	Quality  string
	State    string `gorm:"index"`
	Keys     string // of the layers it needs, by source: JSON
	Document string `gorm:"column:document_hash"` // that it bakes
	Layers   int
	Reused   int
	Hash     string
	Error    string
	AuthorID uint
	Created  time.Time
	Ended    *time.Time
	Level    levelRow `gorm:"constraint:OnDelete:CASCADE"`
}

func (bakeRow) TableName() string { return "bakes" }

// layerRow says which blob holds the layer of a key.
type layerRow struct {
	Key     string `gorm:"primaryKey"`
	Blob    string `gorm:"not null"`
	Bytes   int
	Created time.Time
}

func (layerRow) TableName() string { return "layers" }

type presetRow struct {
	ID      string `gorm:"primaryKey"`
	OwnerID uint   `gorm:"uniqueIndex:owner_name;not null"`
	Name    string `gorm:"uniqueIndex:owner_name;not null"`
	Kind    string
	Number  int    // names it in the search
	Last    int    // version; never used again, also after it was deleted
	Taken   int    // how often
	Forked  string // owner/name@version that it began as
	Changed *time.Time
	Removed *time.Time // when it was deleted; nil where it was not
	Owner   user
}

func (presetRow) TableName() string { return "presets" }

type presetVersion struct {
	PresetID   string `gorm:"primaryKey"`
	Version    int    `gorm:"primaryKey"`
	Hash       string
	Body       []byte // JSON
	Note       string
	Tags       string // JSON list
	Credit     string
	MadeBy     string // who made it, as the bundle that it came in says
	Changes    string // what is other than in the version before, in words
	Uncredited string // JSON list of what it holds without credit or licence; "" for none
	AuthorID   uint
	Created    time.Time
	Author     user
	Preset     presetRow `gorm:"constraint:OnDelete:CASCADE"`
}

// presetFacet is a word that a preset is found by, such as a tag.
type presetFacet struct {
	Facet    string `gorm:"primaryKey"`
	Value    string `gorm:"primaryKey"`
	PresetID string `gorm:"primaryKey"`
}

func (presetFacet) TableName() string { return "preset_facets" }

// presetPicture shows a version on a neutral stage.
type presetPicture struct {
	PresetID string `gorm:"primaryKey"`
	Version  int    `gorm:"primaryKey"`
	Picture  []byte // JPEG
}

func (presetPicture) TableName() string { return "preset_pictures" }

// takingRow is a preset that was put into a level, with the revision that did it.
type takingRow struct {
	ID       string `gorm:"primaryKey"`
	LevelID  string
	Revision int
	PresetID string
	Preset   string // owner/name
	Kind     string
	Version  int
	Hash     string
	Rig      string // id of the rig in the level
	Body     []byte // preset.Taking as JSON
	Ended    bool   // it is followed no more
}

func (takingRow) TableName() string { return "takings" }

type team struct {
	ID      string `gorm:"primaryKey"`
	Name    string `gorm:"uniqueIndex;not null"`
	Note    string
	Created time.Time
}

type teamMember struct {
	TeamID string `gorm:"primaryKey"`
	UserID uint   `gorm:"primaryKey;autoIncrement:false"`
	Role   string
}

// teamLevel opens a level to a team; nobody of it has a higher role than this on it.
type teamLevel struct {
	TeamID  string `gorm:"primaryKey"`
	LevelID string `gorm:"primaryKey"`
	Role    string
}

type teamPreset struct {
	TeamID   string `gorm:"primaryKey"`
	PresetID string `gorm:"primaryKey"`
}

// shareLink opens a level or a preset to whoever has it, or lets somebody join.
type shareLink struct {
	ID        string `gorm:"primaryKey"`
	Hash      string // of its secret
	Kind      string // join, level, preset
	Subject   string // id of the level or preset
	Role      string // on a level
	Note      string
	MakerID   uint
	Created   time.Time
	Expires   time.Time
	Withdrawn bool
}

type linkUse struct {
	LinkID string `gorm:"primaryKey"`
	UserID uint   `gorm:"primaryKey;autoIncrement:false"`
	At     time.Time
}

type commentRow struct {
	ID         string `gorm:"primaryKey"`
	LevelID    string
	Thread     string // id of the comment that it answers; its own for the first
	AuthorID   uint
	Text       string
	Place      string // JSON of a point; "" for none
	Entity     string
	Camera     string // JSON of what its author saw it from; "" for none
	Revision   int
	Created    time.Time
	Edited     *time.Time
	Resolved   *time.Time
	ResolverID *uint
	Author     user
	Resolver   user
}

func (commentRow) TableName() string { return "comments" }

type reviewRow struct {
	ID         string `gorm:"primaryKey"`
	LevelID    string
	Revision   int
	AskerID    uint
	ReviewerID uint
	State      string // asked, approved, changes_wanted
	Text       string
	Answer     string
	Errors     int
	Warnings   int
	Created    time.Time
	Answered   *time.Time
	Asker      user
	Reviewer   user
}

func (reviewRow) TableName() string { return "reviews" }

type noticeRow struct {
	ID       string `gorm:"primaryKey"`
	UserID   uint
	Kind     string
	FromName string
	LevelID  string
	About    string
	Text     string
	Created  time.Time
	Read     *time.Time
}

func (noticeRow) TableName() string { return "notices" }

type webhook struct {
	ID      string `gorm:"primaryKey"`
	OwnerID uint
	URL     string
	Secret  string
	Created time.Time
	Sent    int
	Failed  int    // in a row
	Fault   string // of the last that failed
}

type webhookSend struct {
	ID        string `gorm:"primaryKey"`
	WebhookID string
	Body      []byte
	Tries     int
	Next      time.Time
	Webhook   webhook
}

type auditRow struct {
	Number int `gorm:"primaryKey"`
	At     time.Time
	Who    string
	Action string
	About  string
}

func (auditRow) TableName() string { return "audit" }

// presetShare opens a preset to a user, or to everybody.
type presetShare struct {
	PresetID string    `gorm:"primaryKey"`
	UserID   uint      `gorm:"primaryKey;autoIncrement:false"` // 0 is everybody
	Preset   presetRow `gorm:"constraint:OnDelete:CASCADE"`
}
