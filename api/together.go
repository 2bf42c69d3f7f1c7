package api

import (
	"time"

	"grotta/core/level"
	"grotta/core/merge"
)

// This file has the bodies about people who work together.

// TeamRole is a team with the highest role that its members have on something.
type TeamRole struct {
	Team string `json:"team"`
	Role string `json:"role" enum:"editor,commenter,viewer"`
}

// Team is people with roles.
type Team struct {
	Name    string       `json:"name"`
	Note    string       `json:"note,omitzero"`
	Role    string       `json:"role" enum:"owner,editor,commenter,viewer" doc:"The asker's own."`
	Members []TeamMember `json:"members"`
	Levels  int          `json:"levels"`
	Presets int          `json:"presets"`
}

// TeamMember is somebody in a team.
type TeamMember struct {
	User string `json:"user"`
	Role string `json:"role" enum:"owner,editor,commenter,viewer"`
}

// NewTeam makes a team; the asker owns it.
type NewTeam struct {
	Name string `json:"name" pattern:"^[a-z0-9][a-z0-9._-]{0,31}$"`
	Note string `json:"note,omitzero" maxLength:"400" required:"false"`
}

// NewOwner names somebody who gets a thing.
type NewOwner struct {
	User string `json:"user" minLength:"1" maxLength:"64"`
}

// NewShareLink asks for a link that opens something.
type NewShareLink struct {
	Kind   string `json:"kind" enum:"join,level,preset" doc:"join: somebody makes an account with it; admins alone make those."`
	Level  string `json:"level,omitzero" maxLength:"64" required:"false" doc:"level: its id."`
	Preset string `json:"preset,omitzero" maxLength:"160" required:"false" doc:"preset: its name, one of the asker's."`
	Role   string `json:"role,omitzero" enum:"editor,commenter,viewer" required:"false" doc:"level: what it lets people do; viewer if left out."`
	Hours  int    `json:"hours,omitzero" minimum:"1" maximum:"8760" required:"false" doc:"How long it holds; a week if left out."`
	Note   string `json:"note,omitzero" maxLength:"200" required:"false"`
}

// ShareLink is a link that opens something.
type ShareLink struct {
	ID        string    `json:"id"`
	Secret    string    `json:"secret,omitzero" doc:"Only in the answer to making it."`
	Path      string    `json:"path,omitzero" doc:"Of the console, with the secret. Only in the answer to making it."`
	Kind      string    `json:"kind" enum:"join,level,preset"`
	About     string    `json:"about,omitzero" doc:"Name of the level or preset."`
	Role      string    `json:"role,omitzero"`
	Note      string    `json:"note,omitzero"`
	Created   time.Time `json:"created"`
	Expires   time.Time `json:"expires"`
	Withdrawn bool      `json:"withdrawn,omitzero"`
	Uses      []LinkUse `json:"uses" doc:"Who has used it."`
}

// LinkUse is somebody who has used a link.
type LinkUse struct {
	User string    `json:"user"`
	At   time.Time `json:"at"`
}

// OpenLink uses a link.
type OpenLink struct {
	Secret string `json:"secret" minLength:"1" maxLength:"128"`
}

// Opened is what a link has opened.
type Opened struct {
	Kind  string `json:"kind" enum:"level,preset"`
	Level string `json:"level,omitzero" doc:"Id of the level."`
	Name  string `json:"name" doc:"Of the level, or owner/name of the preset."`
}

// Join makes an account by an invitation.
type Join struct {
	Secret   string `json:"secret" minLength:"1" maxLength:"128"`
	Name     string `json:"name" minLength:"1" maxLength:"32"`
	Password string `json:"password" minLength:"10" maxLength:"256"`
}

// NewComment says something about a level.
type NewComment struct {
	Text   string     `json:"text" minLength:"1" maxLength:"4000" doc:"Plain text. @name calls somebody who may see the level."`
	Thread string     `json:"thread,omitzero" maxLength:"64" required:"false" doc:"The comment that it answers."`
	At     *level.Vec `json:"at,omitzero" required:"false" doc:"A place in the level, metres."`
	Entity string     `json:"entity,omitzero" maxLength:"64" required:"false" doc:"Id of a thing."`
	Camera *Camera    `json:"camera,omitzero" required:"false" doc:"What its author saw it from."`
}

// Comment is something that was said about a level.
type Comment struct {
	ID       string     `json:"id"`
	Thread   string     `json:"thread" doc:"The first comment of its thread."`
	Author   string     `json:"author"`
	Text     string     `json:"text"`
	At       *level.Vec `json:"at,omitzero"`
	Entity   string     `json:"entity,omitzero"`
	Camera   *Camera    `json:"camera,omitzero"`
	Revision int        `json:"revision" doc:"Of the level, that it was said about: a shot of it from the camera shows what was seen."`
	Created  time.Time  `json:"created"`
	Edited   *time.Time `json:"edited,omitzero"`
	Resolved *time.Time `json:"resolved,omitzero" doc:"Of the first of a thread: when it was settled."`
	Resolver string     `json:"resolver,omitzero"`
}

// CommentChange changes a comment. What is left out stays.
type CommentChange struct {
	Text     *string `json:"text,omitzero" minLength:"1" maxLength:"4000" required:"false" doc:"By its author alone."`
	Resolved *bool   `json:"resolved,omitzero" required:"false" doc:"Of the first of a thread."`
}

// NewReview asks somebody to judge a revision.
type NewReview struct {
	Reviewer string `json:"reviewer" minLength:"1" maxLength:"64"`
	Revision int    `json:"revision,omitzero" minimum:"1" required:"false" doc:"The newest if left out."`
	Text     string `json:"text,omitzero" maxLength:"4000" required:"false"`
}

// ReviewAnswer is a judgement.
type ReviewAnswer struct {
	State string `json:"state" enum:"approved,changes_wanted"`
	Text  string `json:"text,omitzero" maxLength:"4000" required:"false"`
}

// Review is a judgement of a revision that was asked for.
type Review struct {
	ID       string     `json:"id"`
	Revision int        `json:"revision"`
	Asker    string     `json:"asker"`
	Reviewer string     `json:"reviewer"`
	State    string     `json:"state" enum:"asked,approved,changes_wanted"`
	Text     string     `json:"text,omitzero"`
	Answer   string     `json:"answer,omitzero"`
	Errors   int        `json:"errors" doc:"Findings of the checks at that revision."`
	Warnings int        `json:"warnings"`
	Created  time.Time  `json:"created"`
	Answered *time.Time `json:"answered,omitzero"`
}

// Notice tells somebody what others did that is about them.
type Notice struct {
	ID      string     `json:"id"`
	Kind    string     `json:"kind" enum:"mention,answer,review,judged,shared,preset,given"`
	From    string     `json:"from,omitzero"`
	Level   string     `json:"level,omitzero" doc:"Id of a level."`
	About   string     `json:"about,omitzero" doc:"Name of the level or preset."`
	Text    string     `json:"text"`
	Created time.Time  `json:"created"`
	Read    *time.Time `json:"read,omitzero"`
}

// NewWebhook has notices sent to an address.
type NewWebhook struct {
	URL string `json:"url" minLength:"8" maxLength:"500" doc:"http or https. Addresses of this machine and of private networks are refused unless the service allows them."`
}

// Webhook is an address that the asker's notices are sent to.
type Webhook struct {
	ID      string    `json:"id"`
	URL     string    `json:"url"`
	Secret  string    `json:"secret,omitzero" doc:"Key of the signature. Only in the answer to making it."`
	Created time.Time `json:"created"`
	Sent    int       `json:"sent"`
	Failed  int       `json:"failed" doc:"Tries that failed since the last that did not."`
	Fault   string    `json:"fault,omitzero" doc:"Of the last try that failed."`
}

// NewVariant makes a variant of a level.
type NewVariant struct {
	Name     string `json:"name" minLength:"1" maxLength:"80"`
	Platform string `json:"platform,omitzero" maxLength:"64" required:"false" doc:"The variant is checked against this one."`
	Follows  bool   `json:"follows,omitzero" required:"false" doc:"What is changed in the level and not in the variant comes into it by itself."`
}

// VariantInfo is a variant of a level.
type VariantInfo struct {
	Level    LevelInfo `json:"level"`
	Base     int       `json:"base" doc:"Revision of its original that it was last merged with."`
	Behind   int       `json:"behind" doc:"Revisions that its original has had since."`
	Follows  bool      `json:"follows,omitzero"`
	Original string    `json:"original" doc:"Id of the level that it is a variant of."`
}

// NewMerge brings a variant and its original together.
type NewMerge struct {
	Into string   `json:"into" enum:"original,variant" doc:"Which of the two is changed."`
	Take []string `json:"take,omitzero" maxItems:"5000" required:"false" doc:"Clashes, by part/id/path, that are settled by the other side; \"all\" is every one. What is there holds for the others."`
	Dry  bool     `json:"dry,omitzero" required:"false" doc:"Only say what would change and what clashes."`
}

// MergedLevel is the outcome of a merge.
type MergedLevel struct {
	Level    string         `json:"level" doc:"Id of the level that was changed."`
	Revision int            `json:"revision"`
	Changes  []level.Change `json:"changes"`
	Clashes  []merge.Clash  `json:"clashes" doc:"Fields that both sides have changed to different values."`
}

// AuditEntry is something that somebody did.
type AuditEntry struct {
	Number int       `json:"number"`
	At     time.Time `json:"at"`
	Who    string    `json:"who"`
	Action string    `json:"action" doc:"Id of an operation of the API."`
	About  string    `json:"about,omitzero"`
}

// TalkEvent tells that something was said about a level: a comment or a review, new or changed.
type TalkEvent struct {
	Level string `json:"level"`
	From  string `json:"from"`
}
