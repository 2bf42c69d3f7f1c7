package api

import (
	"time"

	"grotta/core/color"
	"grotta/core/level"
)

// Stale is a source whose layer has to be baked, and why.
type Stale struct {
	ID   string   `json:"id"`
	Name string   `json:"name"`
	Why  []string `json:"why"`
}

// Kept is a source whose layer stays, though things changed that it might light.
type Kept struct {
	ID    string  `json:"id"`
	Name  string  `json:"name"`
	Share float64 `json:"share" doc:"The most of its light where things changed, as a share of its brightest texel."`
}

// Finding is what a rule reports.
type Finding struct {
	Rule     string           `json:"rule" doc:"Id of the rule."`
	Family   string           `json:"family" enum:"limits,closure,links,look,play"`
	Severity string           `json:"severity" enum:"error,warning,advice"`
	Message  string           `json:"message" doc:"What is so, with the numbers."`
	Why      string           `json:"why" doc:"Why it matters."`
	Entities []string         `json:"entities" doc:"What it is about."`
	Zone     string           `json:"zone,omitzero"`
	Point    *level.Vec       `json:"point,omitzero" doc:"A place that proves it, metres."`
	Path     []level.Vec      `json:"path,omitzero" doc:"A way that proves it, such as that of light through a gap."`
	Region   []level.Box      `json:"region,omitzero" doc:"Where it is so."`
	Count    float64          `json:"count,omitzero" doc:"What was counted."`
	Limit    float64          `json:"limit,omitzero" doc:"What is allowed."`
	Fix      *level.Operation `json:"fix,omitzero" doc:"An ordinary operation that settles it."`
	Waived   string           `json:"waived,omitzero" doc:"The reason why it is meant, where somebody gave one."`
}

// Report is the outcome of a check of a revision.
type Report struct {
	Level    string         `json:"level"`
	Revision int            `json:"revision"`
	Platform string         `json:"platform"`
	Findings []Finding      `json:"findings" doc:"Gravest first; those that are waived last."`
	Counts   map[string]int `json:"counts" doc:"Findings by severity, without those that are waived."`
	Waived   int            `json:"waived" doc:"Findings that are waived."`
	Lightmap LightmapSize   `json:"lightmap"`
	Budget   []Spent        `json:"budget" doc:"What of the platform's limits the level takes."`
	Clean    bool           `json:"clean" doc:"No error and no warning."`
}

// Ground is how light it is where players walk.
type Ground struct {
	Revision int           `json:"revision"`
	Platform string        `json:"platform" doc:"Whose players they are."`
	Floors   []GroundFloor `json:"floors" doc:"Of zones that say what players do there."`
}

// GroundFloor is the ground of a zone, in squares.
type GroundFloor struct {
	Zone     string       `json:"zone"`
	Play     string       `json:"play" doc:"What players do there: story or compete."`
	AskedLux float64      `json:"asked_lux" doc:"What the platform wants there."`
	SideM    float64      `json:"side_m" doc:"Of a square."`
	Squares  [][4]float64 `json:"squares" doc:"Middle (x, y, z) and lux, with bounces."`
}

// Spent is how much of one limit a level takes.
type Spent struct {
	What string  `json:"what"`
	Rule string  `json:"rule" doc:"The rule that judges it."`
	Now  float64 `json:"now"`
	Most float64 `json:"most"`
	Why  string  `json:"why"`
	// AtMost stands for a bound that is told in place of a costly count.
	AtMost bool `json:"at_most,omitzero" doc:"now is a bound: the level may take less."`
}

// BakeTime is how long a bake from nothing is expected to take.
type BakeTime struct {
	Quality string  `json:"quality"`
	Seconds float64 `json:"seconds" doc:"On the service's machine, with nothing else to do."`
	Texels  int     `json:"texels"`
	Sampled int     `json:"sampled" doc:"Texels of the larger of two samples that were baked for it."`
	Took    float64 `json:"took" doc:"Seconds that the samples took."`
}

// Accuracy is how far the lightmap is from the light that path tracing finds on some of its texels. The
// error of a texel is a share of its own light, or of the median light where that is more.
type Accuracy struct {
	Level         string  `json:"level"`
	Revision      int     `json:"revision"`
	Quality       string  `json:"quality" enum:"draft,good,final" doc:"The lowest among the layers that are shown."`
	Texels        int     `json:"texels" doc:"That were looked at, evenly over the level."`
	MedianLux     float64 `json:"median_lux" doc:"Light on those of them that have any."`
	RMS           float64 `json:"rms" doc:"Root mean square of the errors, without that of path tracing itself."`
	Bias          float64 `json:"bias" doc:"Mean of the errors."`
	StandardError float64 `json:"standard_error" doc:"Of the bias: how far path tracing itself may be off."`
	LeastRMS      float64 `json:"least_rms" doc:"Where rms is under this, it cannot be told from the errors of path tracing."`
}

// NewFit asks for the least visible change after which a level keeps to the limits of platforms.
type NewFit struct {
	Platforms []string `json:"platforms,omitzero" required:"false" maxItems:"12" doc:"Names; all that the level is for if left out."`
	Keep      []string `json:"keep,omitzero" required:"false" maxItems:"2000" doc:"Ids of lights that stay as they are."`
}

// FitPlan is such a change.
type FitPlan struct {
	Level     string           `json:"level"`
	Revision  int              `json:"revision"`
	Platforms []string         `json:"platforms"`
	Steps     []FitStep        `json:"steps" doc:"The least visible first."`
	Mean      float64          `json:"mean" doc:"Colour difference (CIEDE2000) of all steps together, mean over all spots."`
	P95       float64          `json:"p95" doc:"Its 95th percentile."`
	Most      float64          `json:"most" doc:"The greatest."`
	Spots     int              `json:"spots" doc:"Places that were compared: what viewpoints see, and where a player walks."`
	Sum       float64          `json:"sum" doc:"Of the means of the changes of lights."`
	Bound     float64          `json:"bound" doc:"No choice of changes has a smaller sum."`
	Exact     bool             `json:"exact" doc:"Whether the sum is the smallest there is."`
	Left      []string         `json:"left" doc:"What is still over a limit."`
	Operation *level.Operation `json:"operation,omitzero" doc:"All steps as one change; none where nothing has to change."`
}

// FitStep is one change of a plan.
type FitStep struct {
	Entity    string          `json:"entity,omitzero"`
	What      string          `json:"what" doc:"In words."`
	Mean      float64         `json:"mean" doc:"Colour difference of this step alone, mean over all spots."`
	P95       float64         `json:"p95"`
	Measured  bool            `json:"measured" doc:"Whether the two are; what changes surfaces otherwise than by their texels is not."`
	Platforms []string        `json:"platforms" doc:"Those that need it."`
	Operation level.Operation `json:"operation"`
}

// CheckRule is one thing that is checked.
type CheckRule struct {
	ID         string   `json:"id"`
	Family     string   `json:"family" enum:"limits,closure,links,look,play"`
	Severities []string `json:"severities" doc:"That its findings may have."`
	Title      string   `json:"title" doc:"What it finds."`
	Why        string   `json:"why" doc:"Why that matters."`
	Fix        string   `json:"fix,omitzero" doc:"What its fix does, where it has one."`
	Needs      string   `json:"needs" doc:"What it has to look at."`
}

// LightmapSize is known exactly before any bake.
type LightmapSize struct {
	Pages    int `json:"pages"`
	PageSize int `json:"page_size"`
	Texels   int `json:"texels" doc:"Lit ones, without padding."`
	Bytes    int `json:"bytes" doc:"At the platform's bytes a texel."`
}

// LightLine is the light along a straight line.
type LightLine struct {
	Level    string      `json:"level"`
	Revision int         `json:"revision"`
	Spots    []LinePlace `json:"spots"`
}

// LinePlace is the light at one place of a line.
type LinePlace struct {
	AtM     float64    `json:"at_m" doc:"Metres from the line's start."`
	Point   level.Vec  `json:"point"`
	Direct  Irradiance `json:"direct"`
	Bounced Irradiance `json:"bounced"`
	Most    string     `json:"most,omitzero" doc:"Id of the source that gives the most."`
}

// Ledger says what light reaches a point, and from whom.
type Ledger struct {
	Level         string         `json:"level"`
	Revision      int            `json:"revision"`
	Point         level.Vec      `json:"point" doc:"Metres."`
	Normal        level.Vec      `json:"normal" doc:"Unit."`
	Surface       string         `json:"surface,omitzero" doc:"Entity whose surface the point lies on, if any."`
	Inside        string         `json:"inside,omitzero" doc:"Entity that the point is inside of, if any."`
	Total         Irradiance     `json:"total" doc:"Irradiance, lux."`
	StandardError float64        `json:"standard_error" doc:"The standard error of the total luminance, lux, which is that of the bounced light."`
	Sources       []Contribution `json:"sources" doc:"Brightest first."`
}

// Contribution is what one source adds.
type Contribution struct {
	ID            string     `json:"id"`
	Name          string     `json:"name"`
	Kind          string     `json:"kind"`
	Direct        Irradiance `json:"direct"`
	Bounced       Irradiance `json:"bounced"`
	StandardError float64    `json:"standard_error" doc:"The standard error of the bounced luminance, lux."`
	Share         float64    `json:"share" doc:"Of the total luminance, 0 to 1."`
	Visible       float64    `json:"visible" doc:"How much of the source is seen from the point, 0 to 1."`
	Blocked       bool       `json:"blocked" doc:"Something stands in the way of at least a part of it."`
	BlockedBy     []Blocker  `json:"blocked_by" doc:"What stands between the point and the source's middle, or the first part of it that is hidden; from the point outward."`
	Why           string     `json:"why,omitzero" doc:"Why it gives nothing, where it does."`
}

// Irradiance is light on a surface in lux: linear Rec. 709 and its luminance.
type Irradiance struct {
	R         float64 `json:"r"`
	G         float64 `json:"g"`
	B         float64 `json:"b"`
	Luminance float64 `json:"luminance"`
}

// Blocker is an entity in the way, and where the line to the source meets it.
type Blocker struct {
	ID    string    `json:"id"`
	Point level.Vec `json:"point"`
}

// Grid is the probes of a box, x fastest, then y, then z.
type Grid struct {
	ID     string    `json:"id"`
	Min    level.Vec `json:"min"`
	Step   level.Vec `json:"step"`
	Count  [3]int    `json:"count"`
	Probes []Probe   `json:"probes"`
}

// Probe is the light at a point.
type Probe struct {
	Position level.Vec       `json:"position"`
	Inside   string          `json:"inside,omitzero" doc:"Entity that the point is inside of; such a probe is not used."`
	SH       [9]color.Linear `json:"sh" doc:"Nine coefficients of red, green and blue, nits."`
	Links    [3]bool         `json:"links" doc:"Whether the next probe along x, y and z is in sight."`
}

// Part is one probe's part in the light of a point.
type Part struct {
	Index    int       `json:"index"`
	Position level.Vec `json:"position"`
	Weight   float64   `json:"weight"`
}

// Cost is what lit fog takes.
type Cost struct {
	Volume  string   `json:"volume" doc:"Id of the fog volume; none for all of the level."`
	Cells   int      `json:"cells"`
	Sources []string `json:"sources" doc:"That show in it, by id."`
	Rays    int      `json:"rays" doc:"At most, when nothing of it is kept."`
	Bytes   int      `json:"bytes"`
}

// Budget says what a plan may spend. Texels or Pages must be set; where both
// are, both hold.
type Budget struct {
	Texels int       `json:"texels,omitzero" minimum:"0" maximum:"67108864" required:"false" doc:"Texels of all charts, with their padding; 0 does not bind."`
	Pages  int       `json:"pages,omitzero" minimum:"0" maximum:"64" required:"false" doc:"Pages at the level's page size; 0 does not bind."`
	Least  float64   `json:"least,omitzero" minimum:"0" maximum:"256" required:"false" doc:"Lowest density, texels a metre; 0.5 if left out."`
	Most   float64   `json:"most,omitzero" minimum:"0" maximum:"256" required:"false" doc:"Highest density; 32 if left out."`
	Steps  []float64 `json:"steps,omitzero" maxItems:"32" required:"false" doc:"Densities to keep to; the platform's, or any, if left out."`
}

// Plan is what a budget is best spent on.
type Plan struct {
	Before    Size             `json:"before"`
	After     Size             `json:"after"`
	Uniform   Size             `json:"uniform" doc:"One density everywhere, with as many texels as the plan."`
	Surfaces  []Choice         `json:"surfaces" doc:"What changes, the finest first."`
	Operation *level.Operation `json:"operation,omitzero" doc:"Sets the densities; none where nothing changes."`
}

// Size is what a layout costs and how much of the light it cannot show.
type Size struct {
	Texels int     `json:"texels"`
	Pages  int     `json:"pages"`
	Error  float64 `json:"error" doc:"Predicted: root mean square over the lit area, in display steps of 255."`
}

// Choice is the density of one face of a solid, or of a mesh.
type Choice struct {
	Entity string  `json:"entity"`
	Face   int     `json:"face" doc:"Of a solid; -1 for a mesh."`
	Before float64 `json:"before" doc:"Texels a metre."`
	After  float64 `json:"after"`
	Detail float64 `json:"detail" doc:"Square error times density, over its area: what texels buy here."`
}

// Workers is who bakes for a service, and what waits to be baked.
type Workers struct {
	Cluster bool     `json:"cluster" doc:"Whether bakes go to a cluster; else the service bakes by itself."`
	Items   []Worker `json:"items" doc:"Those that were heard of in the last ten minutes."`
	Queue   []Queued `json:"queue" doc:"What is on the queue or under way, by person; other people's is one item, unless an admin asks."`
	Bytes   int64    `json:"bytes" doc:"Of layers that came from workers since the service began."`
	Layers  int      `json:"layers" doc:"That came from workers since the service began."`
}

// Worker is a process that bakes for a service.
type Worker struct {
	ID        string    `json:"id"`
	Host      string    `json:"host" doc:"Name of its machine."`
	Engine    int       `json:"engine" doc:"Version of its light; one of another version gets no work."`
	Threads   int       `json:"threads"`
	State     string    `json:"state" enum:"idle,works,draining,gone,another version"`
	Now       string    `json:"now,omitzero" doc:"What it bakes."`
	Documents int       `json:"documents" doc:"Levels that it has ready."`
	Done      int       `json:"done" doc:"Orders that it baked."`
	Failed    int       `json:"failed"`
	Layers    int       `json:"layers"`
	BusyS     float64   `json:"busy_s" doc:"Seconds that it spent on orders."`
	SentBytes int64     `json:"sent_bytes"`
	Seen      time.Time `json:"seen"`
}

// Queued is how many tasks of a person are on the queue or under way.
type Queued struct {
	User  string `json:"user"`
	Now   int    `json:"now" doc:"For which somebody waits: drafts."`
	Later int    `json:"later"`
}

// BakeLine is a bake in the list of a person's bakes.
type BakeLine struct {
	Bake
	LevelName string  `json:"level_name"`
	Author    string  `json:"author,omitzero"`
	TookS     float64 `json:"took_s,omitzero" doc:"Seconds from when it was asked for to its end."`
}
