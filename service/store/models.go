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
	Owner    user
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
	Owner   user
}

func (presetRow) TableName() string { return "presets" }

type presetVersion struct {
	PresetID string `gorm:"primaryKey"`
	Version  int    `gorm:"primaryKey"`
	Hash     string
	Body     []byte // JSON
	Note     string
	Tags     string // JSON list
	Credit   string
	AuthorID uint
	Created  time.Time
	Author   user
	Preset   presetRow `gorm:"constraint:OnDelete:CASCADE"`
}

// presetShare opens a preset to a user, or to everybody.
type presetShare struct {
	PresetID string    `gorm:"primaryKey"`
	UserID   uint      `gorm:"primaryKey;autoIncrement:false"` // 0 is everybody
	Preset   presetRow `gorm:"constraint:OnDelete:CASCADE"`
}

type platformRow struct {
	OwnerID uint   `gorm:"primaryKey;autoIncrement:false"`
	Name    string `gorm:"primaryKey"`
	Body    []byte // the profile as it was written
	Owner   user
}

func (platformRow) TableName() string { return "platforms" }
