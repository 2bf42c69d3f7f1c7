package rest

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/exchange"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/service/store"
)

// This file brings files in.

// maxImportBytes is the largest body of an import: a level document, or an archive of other files.
const maxImportBytes = 128 << 20

// ImportInput is a file and how it is to be read. (Exported for huma, which skips embedded
// fields that are not.)
type ImportInput struct {
	File    string    `query:"file" maxLength:"255" doc:"What the file is called."`
	Main    string    `query:"main" maxLength:"255" doc:"Of an archive: the file to read; the only one that can be read if left out."`
	UnitM   float64   `query:"unit_m" minimum:"0" maximum:"10000" doc:"Metres in a unit of the file; the format's own if left out: 1, and 0.001 for STL."`
	Up      string    `query:"up" enum:"y,z" doc:"The file's axis that points up; the format's own if left out: y, and z for PLY and STL."`
	Scale   float64   `query:"scale" minimum:"0" maximum:"10000" doc:"Times the unit; 1 if left out."`
	Forward string    `query:"forward" enum:"x,-x,y,-y,z,-z" doc:"The file's axis that points north, the level's -Z; if left out -z where y is up, y where z is up, and the other way in a left-handed file."`
	Handed  string    `query:"handed" enum:"right,left" doc:"Of the file's axes; right if left out. In a left-handed one triangles face as they do there."`
	Target  string    `query:"platform" maxLength:"200" doc:"A platform whose unit, axes and import rules hold where they are not said."`
	At      []float64 `query:"at" minItems:"3" maxItems:"4" doc:"Where the file's origin stands in the level: x, y, z in metres, and degrees that the file is turned there, clockwise seen from above. If left out, where it stood before, or the level's origin."`
	Scene   string    `query:"scene" maxLength:"120" doc:"glTF: name or number of the scene; the one that the file opens with if left out."`
	Terrain float64   `query:"terrain_m" minimum:"0" maximum:"100000" doc:"A PNG image comes in as terrain, so many metres wide; its brightness is the height."`
	Height  float64   `query:"height_m" minimum:"0" maximum:"10000" doc:"Terrain: metres from black to white; 20 if left out."`
	Cells   int       `query:"cells" minimum:"0" maximum:"1024" doc:"Terrain: cells along the longer side; one for each pixel, and at most 192, if left out."`
	Rules   string    `query:"rules" maxLength:"200" doc:"A preset of import rules, [owner/]name[@version]; if left out, a file grotta-rules.yaml beside the one that is read, or else the rules of the platform."`
	RawBody []byte    `contentType:"application/octet-stream"`
}

// read reads the file as a level, of which before is what it was taken into before, or nil; name is the file that was read, of an archive the one within.
func (in *ImportInput) read(ctx context.Context, s *server, title string, before *level.Level) (l *level.Level, report *exchange.Report, name string, err error) {
	files, err := exchange.OpenFiles(in.RawBody, in.File, in.Main)
	if err != nil {
		return nil, nil, "", err
	}
	o := exchange.Options{Name: title, UnitM: in.UnitM, Scale: in.Scale, Up: in.Up, Forward: in.Forward, Handed: in.Handed, Scene: in.Scene, TerrainM: in.Terrain, HeightM: in.Height, Cells: in.Cells,
		RulesName: in.Rules, PlatformName: in.Target}
	if len(in.At) > 0 { // three numbers at least
		o.Place = &exchange.Place{At: level.Vec(in.At[:3])}
		if len(in.At) > 3 {
			o.Place.TurnDeg = in.At[3]
		}
	}
	if in.Target != "" {
		p, err := s.Store.Platform(askerOf(ctx), in.Target)
		if err != nil {
			return nil, nil, "", err
		}
		o.UnitM, o.Up, o.Handed = cmp.Or(o.UnitM, p.Space.UnitM), cmp.Or(o.Up, p.Space.Up), cmp.Or(o.Handed, p.Space.Handed)
	}
	if before != nil {
		o = o.AsBefore(before, files.Name)
	}
	gone, err := s.importRules(askerOf(ctx), &o, in)
	if err != nil {
		return nil, nil, "", err
	}
	if l, report, err = exchange.Read(files, o); err != nil {
		return nil, nil, "", err
	}
	for _, name := range gone {
		report.Notes = append(report.Notes, fmt.Sprintf("The import rules of %s held before; you cannot read them now, so they did not hold.", level.Visible(name)))
	}
	return l, report, files.Name, ctx.Err()
}

// importRules looks up the rules for what comes in, by their names. gone are those that held before and that the
// asker cannot read; the level goes on remembering them, for those who can.
func (s *server) importRules(a store.Asker, o *exchange.Options, in *ImportInput) (gone []string, err error) {
	if o.RulesName != "" {
		if o.Rules, err = s.Store.ImportRules(a, o.RulesName); err != nil {
			if in.Rules != "" || !errors.Is(err, store.ErrNotFound) {
				return nil, err
			}
			gone = append(gone, o.RulesName)
		} else if !strings.Contains(o.RulesName, "/") {
			o.RulesName = a.Name + "/" + o.RulesName // for whoever takes the file again
		}
	}
	if o.PlatformName != "" {
		p, err := s.Store.Platform(a, o.PlatformName)
		var unknown *platform.Unknown
		if errors.As(err, &unknown) {
			return append(gone, o.PlatformName), nil // one that is asked for was found already
		}
		if err != nil {
			return nil, err
		}
		if o.OfPlatform = p.IntakeRules(); o.OfPlatform == nil {
			o.PlatformName = ""
		} else if _, err := platform.Named(o.PlatformName); err != nil && !strings.Contains(o.PlatformName, "/") {
			o.PlatformName = a.Name + "/" + o.PlatformName
		}
	}
	return gone, nil
}

func importOperation(path, id, summary, tag, description string) huma.Operation {
	op := heavy(operation("POST", path, id, summary, tag))
	op.Description = description
	op.MaxBodyBytes = maxImportBytes
	op.BodyReadTimeout = time.Minute
	op.SkipValidateBody = true
	return op
}

func (s *server) registerImport(a huma.API, tag string) {
	huma.Register(a, importOperation("/levels/import", "import-level", "Bring in a level", tag,
		"The body is a level document (grotta-level/1), glTF 2.0, OBJ, PLY or STL, seen from the content; or a .zip of one of these with the files beside it that it names, such as buffers, images and material libraries."),
		func(ctx context.Context, in *struct {
			Name string `query:"name" maxLength:"120" doc:"Name of the level; the document's or file's own, or \"Imported\", if left out."`
			Dry  bool   `query:"dry" doc:"Only say what would come in, and what each rule catches; nothing is stored."`
			ImportInput
		}) (*out[api.Imported], error) {
			l, report, _, err := in.read(ctx, s, in.Name, nil)
			if err != nil {
				return nil, s.problem(err)
			}
			if in.Dry {
				would := api.LevelInfo{Name: l.Name, Platform: l.Platform, Solids: len(l.Solids), Meshes: len(l.Meshes), Lights: len(l.Lights)}
				return answer(s, api.Imported{Level: would, ExchangeReport: reportOfExchange(report)}, nil)
			}
			info, err := s.Store.CreateLevel(askerOf(ctx), l, "import")
			return answer(s, api.Imported{Level: info, ExchangeReport: reportOfExchange(report)}, err)
		})
	rules := operation("POST", "/import-rules", "add-import-rules", "Save rules for what comes in", tag)
	rules.Description = "The body is grotta-import-rules/1, YAML or JSON. It becomes the newest version of a preset of its name, and is shared and deleted as one."
	rules.SkipValidateBody = true
	huma.Register(a, rules, func(ctx context.Context, in *struct {
		RawBody []byte `contentType:"application/octet-stream"`
	}) (*out[api.PresetInfo], error) {
		info, err := s.Store.AddImportRules(askerOf(ctx), in.RawBody)
		return answer(s, info, err)
	})
	huma.Register(a, importOperation("/levels/{id}/import", "import-again", "Take a changed file into a level again", tag,
		"The file is read in the unit, with the axis and the scene that it was read with before, unless others are said. Parts that came from a file of this name before are matched by name, and among those of one name by shape and place: their geometry is replaced, and their ids, materials, densities and zones stay. New parts are added, those that the file has no longer are removed; lights stay where they are. One revision, which can be undone. A file of another name stands beside what is there."),
		func(ctx context.Context, in *struct {
			LevelPath
			Dry bool `query:"dry" doc:"Only say what it would change."`
			ImportInput
		}) (*out[api.Merged], error) {
			info, doc, err := s.Store.Level(askerOf(ctx), in.ID)
			if err != nil {
				return nil, s.problem(err)
			}
			file, report, name, err := in.read(ctx, s, "", doc)
			if err != nil {
				return nil, s.problem(err)
			}
			op, merged, err := exchange.Into(ctx, doc, file, name)
			if err != nil {
				return nil, s.problem(err)
			}
			answered := api.Merged{Revision: info.Revision, ExchangeReport: reportOfExchange(report), Added: merged.Added, Changed: merged.Changed, Removed: merged.Removed,
				Same: merged.Same, Floating: merged.Floating, Buried: merged.Buried, Words: merged.Words()}
			if in.Dry || len(op.Steps) == 0 {
				return answer(s, answered, nil)
			}
			rev, err := s.revised(ctx, in.ID, func() (api.Revision, error) { return s.Store.Apply(ctx, askerOf(ctx), in.ID, op, info.Revision) })
			if err != nil {
				return nil, err
			}
			answered.Revision = rev.Body.Number
			return answer(s, answered, nil)
		})
}

func reportOfExchange(r *exchange.Report) api.ExchangeReport {
	out := api.ExchangeReport{Left: r.Left, Notes: r.Notes, Scenes: r.Scenes}
	for _, c := range r.Caught {
		out.Caught = append(out.Caught, api.RuleCatch(c))
	}
	if out.Left == nil {
		out.Left = []string{}
	}
	if out.Notes == nil {
		out.Notes = []string{}
	}
	return out
}
