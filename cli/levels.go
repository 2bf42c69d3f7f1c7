package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
	"grotta/core/exchange"
	"grotta/core/geom"
	"grotta/core/level"
)

func (a *app) levelCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "level", Short: "List, make, bring in, show and change levels"}
	cmd.AddCommand(a.levelList(), a.levelCreate(), a.levelImport(), a.levelExport(), a.levelShow(), a.levelSet(), a.levelAdd(), a.levelRemove(), a.levelEdit(), a.levelTint(),
		a.levelHistory(), a.levelChanges(), a.levelRestore(), a.levelStep("undo", "Take back your newest change"), a.levelStep("redo", "Do again what you took back"),
		a.mixCommand(), a.levelShare(), a.levelGive(), a.levelOrigins(), a.levelUpdate(), a.levelLink(), a.levelGiveOthers(), a.levelUnlink(), a.levelCredits(), a.levelCopy(), a.levelDelete(), a.levelRemoved(), a.levelRecover())
	return cmd
}

func (a *app) levelList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List the levels you may see", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			levels, err := a.client().Levels(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(levels, func(w io.Writer) {
				if len(levels) == 0 {
					fmt.Fprintln(w, `No levels yet. Make one with "grotta level create NAME --from demo", or bring one in with "grotta level import FILE".`)
					return
				}
				var rows [][]string
				for _, l := range levels {
					rows = append(rows, []string{l.ID, l.Name, l.Owner, l.Role, strconv.Itoa(l.Revision), strconv.Itoa(l.Solids + l.Meshes), strconv.Itoa(l.Lights), ago(l.Changed)})
				}
				table(w, "ID|NAME|OWNER|YOU|REVISION|SHAPES|LIGHTS|CHANGED", rows)
			})
		},
	}
}

func (a *app) showLevel(l api.LevelInfo) error {
	return a.show(l, func(w io.Writer) {
		fmt.Fprintf(w, "%s  %s, revision %d, %d shapes, %d lights\n", l.ID, l.Name, l.Revision, l.Solids+l.Meshes, l.Lights)
	})
}

func (a *app) levelCreate() *cobra.Command {
	want := api.NewLevel{}
	cmd := &cobra.Command{
		Use: "create NAME", Short: "Make a level", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			want.Name = in[0]
			l, err := a.client().CreateLevel(cmd.Context(), want)
			if err != nil {
				return err
			}
			return a.showLevel(l)
		},
	}
	cmd.Flags().StringVar(&want.From, "from", "empty", "what it starts as: empty, room, demo, noon, night, mill or yard")
	return cmd
}

func (a *app) levelShow() *cobra.Command {
	return &cobra.Command{
		Use: "show LEVEL", Short: "Show what is in a level", Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			doc, err := c.Level(ctx, l.ID)
			if err != nil {
				return err
			}
			m, err := c.Lightmap(ctx, l.ID, false)
			if err != nil {
				return err
			}
			return a.show(doc, func(w io.Writer) { describeLevel(w, doc, m) })
		}),
	}
}

func describeLevel(w io.Writer, doc api.Document, m api.LightmapState) {
	l, d := doc.Level, doc.Document
	fmt.Fprintf(w, "%s  (%s)\n%s's, revision %d, changed %s\n", l.Name, l.ID, l.Owner, l.Revision, ago(l.Changed))
	if d.Note != "" {
		fmt.Fprintln(w, d.Note)
	}
	meshes := count(len(d.Meshes), "mesh")
	switch n := len(d.Geometries); n {
	case 0:
	case 1:
		meshes += " (1 shared geometry)"
	default:
		meshes += fmt.Sprintf(" (%d shared geometries)", n)
	}
	fmt.Fprintf(w, "\n%s, %s, %s, %s, %s, %s\n%s, %s, %s, %s of motes, %s\n",
		count(len(d.Solids), "solid"), meshes, count(len(d.Materials), "material"), count(len(d.Zones), "zone"),
		count(len(d.Lights), "light"), count(len(d.Rigs), "rig"), count(len(d.FogVolumes), "fog volume"), count(len(d.Glows), "glow"),
		count(len(d.Beams), "beam"), count(len(d.Motes), "cloud"), count(len(d.Paths), "path"))
	fmt.Fprintf(w, "lightmap: %s on %s of %d; ", count(m.Texels, "texel"), count(m.Pages, "page"), m.PageSize)
	if m.Stale == 0 {
		fmt.Fprintf(w, "all %d layers are baked\n", len(m.Sources))
	} else {
		fmt.Fprintf(w, "%d of %d layers need a bake\n", m.Stale, len(m.Sources))
	}
	fmt.Fprintf(w, "look: EV %g, %s; platform: %s\n", d.Look.ExposureEV, d.Look.Tone, d.Platform)
	for _, member := range doc.Members {
		fmt.Fprintf(w, "shared with %s as %s\n", member.User, member.Role)
	}
	var views []string
	for _, v := range d.Viewpoints {
		views = append(views, v.ID)
	}
	fmt.Fprintf(w, "viewpoints: %s\n", strings.Join(views, ", "))
}

// pairs turns path=value arguments into fields of a set. A value that is JSON is
// taken as such; anything else is text; nothing puts the default back.
func pairs(in []string) (map[string]any, error) {
	fields := map[string]any{}
	for _, p := range in {
		path, text, ok := strings.Cut(p, "=")
		if !ok || path == "" {
			return nil, usageError{fmt.Errorf("%q is no change; write field=value, such as strength=120", p)}
		}
		var value any
		if text != "" && json.Unmarshal([]byte(text), &value) != nil {
			value = text
		}
		fields[path] = value
	}
	return fields, nil
}

// apply makes a revision and tells it.
func (a *app) apply(cmd *cobra.Command, ref string, op level.Operation) error {
	c, l, err := a.level(cmd.Context(), ref)
	if err != nil {
		return err
	}
	rev, err := c.Apply(cmd.Context(), l.ID, op, 0)
	if err != nil {
		return err
	}
	return a.showRevision(rev)
}

func (a *app) showRevision(rev api.Revision) error {
	return a.show(rev, func(w io.Writer) { fmt.Fprintf(w, "revision %d: %s\n", rev.Number, rev.Label) })
}

func (a *app) levelSet() *cobra.Command {
	var id string
	cmd := &cobra.Command{
		Use: "set LEVEL FIELD=VALUE...", Short: "Change fields of a level, or of one of its entities", Args: args(2, -1), ValidArgsFunction: a.completeLevels,
		Example: "  grotta level set \"Saltmarsh Light\" look.exposure_ev=3 environment.ambient.strength=2\n  grotta level set \"Saltmarsh Light\" --id kitchen ambient.strength=1.5",
		RunE: func(cmd *cobra.Command, in []string) error {
			fields, err := pairs(in[1:])
			if err != nil {
				return err
			}
			return a.apply(cmd, in[0], level.Set(id, fields))
		},
	}
	cmd.Flags().StringVar(&id, "id", "", "entity to change (default: the level itself)")
	return cmd
}

func (a *app) levelAdd() *cobra.Command {
	var id, at, aim string
	cmd := &cobra.Command{
		Use: "add LEVEL PART [FIELD=VALUE...]", Short: "Add an entity: fog_volumes, glows, beams, motes, viewpoints, zones and so on", Args: args(2, -1), ValidArgsFunction: a.completeLevels,
		Example: "  grotta level add \"Saltmarsh Light\" fog_volumes --id mist --at 0,1,20 size=[8,2,8] density=0.06\n  grotta level add \"Saltmarsh Light\" beams --id hatch-beam light=work-lamp-1 length_m=3",
		RunE: func(cmd *cobra.Command, in []string) error {
			fields, err := pairs(in[2:])
			if err != nil {
				return err
			}
			entity, err := newEntity(id, at, aim, fields)
			if err != nil {
				return err
			}
			return a.apply(cmd, in[0], level.Operation{Op: level.OpAdd, Part: in[1], Entity: entity})
		},
	}
	f := cmd.Flags()
	f.StringVar(&id, "id", "", "its id, unique in the level")
	f.StringVar(&at, "at", "", "position x,y,z in metres")
	f.StringVar(&aim, "aim", "", "direction x,y,z that it faces")
	cobra.CheckErr(cmd.MarkFlagRequired("id"))
	return cmd
}

func (a *app) levelRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove LEVEL ID...", Short: "Remove entities, as one change", Args: args(2, -1), ValidArgsFunction: a.completeLevels,
		RunE: func(cmd *cobra.Command, in []string) error {
			return a.apply(cmd, in[0], removal(in[1:]))
		},
	}
}

// removal is an operation that removes all of some entities.
func removal(ids []string) level.Operation {
	if len(ids) == 1 {
		return level.Remove(ids[0])
	}
	op := level.Batch("Remove " + strings.Join(ids, ", "))
	for _, id := range ids {
		op.Steps = append(op.Steps, level.Remove(id))
	}
	return op
}

func (a *app) levelEdit() *cobra.Command {
	return &cobra.Command{
		Use: "edit LEVEL FILE", Short: "Apply an operation, or a list of them as one, from a JSON file", Args: args(2), ValidArgsFunction: a.completeLevels,
		RunE: func(cmd *cobra.Command, in []string) error {
			text, err := a.readFile(in[1])
			if err != nil {
				return err
			}
			var op level.Operation
			if strings.HasPrefix(strings.TrimSpace(string(text)), "[") {
				op.Op = level.OpBatch
				err = level.DecodeKnown(text, &op.Steps)
			} else {
				err = level.DecodeKnown(text, &op)
			}
			if err != nil {
				return err
			}
			return a.apply(cmd, in[0], op)
		},
	}
}

func (a *app) levelStep(name, short string) *cobra.Command {
	return &cobra.Command{
		Use: name + " LEVEL", Short: short, Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			step := c.Undo
			if name == "redo" {
				step = c.Redo
			}
			rev, err := step(ctx, l.ID)
			if err != nil {
				return err
			}
			return a.showRevision(rev)
		}),
	}
}

func (a *app) levelShare() *cobra.Command {
	var role, team string
	cmd := &cobra.Command{
		Use: "share LEVEL [USER]", Short: "Share a level with somebody or a team, or take it back", Args: args(1, 2), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			as, err := roleNamed(role, "viewer", "commenter", "editor", "none")
			switch {
			case err != nil:
				return err
			case (len(in) == 2) == (team != ""):
				return usageError{errors.New("name a user or a team to share with")}
			case team != "":
				return c.ShareLevelWithTeam(ctx, l.ID, team, as)
			}
			return c.ShareLevel(ctx, l.ID, in[1], as)
		}),
	}
	cmd.Flags().StringVar(&role, "as", "viewer", "viewer, commenter, editor, or none to take it back")
	cmd.Flags().StringVar(&team, "team", "", "share it with a team: each has the lower of this role and theirs in the team")
	return cmd
}

func (a *app) levelGive() *cobra.Command {
	return &cobra.Command{
		Use: "give LEVEL USER", Short: "Make somebody else the owner of a level; you stay an editor", Args: args(2), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			return c.GiveLevel(ctx, l.ID, in[1])
		}),
	}
}

func (a *app) lightCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "light", Short: "List, add, change and remove lights"}
	cmd.AddCommand(a.lightList(), a.lightAdd(), a.lightSet(), a.lightProfile(), a.lightRemove())
	return cmd
}

func (a *app) lightList() *cobra.Command {
	return &cobra.Command{
		Use: "list LEVEL", Short: "List a level's lights", Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			doc, err := c.Level(ctx, l.ID)
			if err != nil {
				return err
			}
			world := doc.Document.World()
			return a.show(doc.Document.Lights, func(w io.Writer) {
				var rows [][]string
				for _, light := range doc.Document.Lights {
					zone := ""
					if z := world.ZoneOf(&light.Entity); z != nil && light.Kind != level.Directional {
						zone = z.ID
					}
					p := world.Pose(&light.Entity).Position
					rows = append(rows, []string{
						light.ID, light.Kind, onOff(light.Enabled), number(doc.Document.Strength(light)) + " " + exchange.UnitOf(light.Kind), colorText(doc.Document, light),
						number(light.RangeM), onOff(light.Shadows.Cast), fmt.Sprintf("%.2f,%.2f,%.2f", p[0], p[1], p[2]), zone,
					})
				}
				table(w, "LIGHT|KIND|ON|STRENGTH|COLOUR|RANGE|SHADOW|POSITION|ZONE", rows)
			})
		}),
	}
}

func onOff(v bool) string {
	if v {
		return "yes"
	}
	return "no"
}

func colorText(d *level.Level, l *level.Light) string {
	switch {
	case l.Color != "":
		return l.Color
	case l.Kelvin != 0:
		return number(l.Kelvin) + " K"
	}
	if rig := d.RigByID(l.Rig); rig != nil {
		return "key of " + rig.ID
	}
	return "white"
}

func (a *app) lightAdd() *cobra.Command {
	var id, kind, at, aim string
	cmd := &cobra.Command{
		Use: "add LEVEL [FIELD=VALUE...]", Short: "Add a light", Args: args(1, -1), ValidArgsFunction: a.completeLevels,
		Example: "  grotta light add \"Saltmarsh Light\" --id shelf-lamp --at 3.4,1.7,-7.6 strength=12 kelvin=2700 range_m=4",
		RunE: func(cmd *cobra.Command, in []string) error {
			fields, err := pairs(in[1:])
			if err != nil {
				return err
			}
			entity, err := newEntity(id, at, aim, fields)
			if err != nil {
				return err
			}
			entity["kind"] = kind
			return a.apply(cmd, in[0], level.Operation{Op: level.OpAdd, Part: "lights", Entity: entity})
		},
	}
	f := cmd.Flags()
	f.StringVar(&id, "id", "", "its id, unique in the level")
	f.StringVar(&kind, "kind", level.Point, "point, spot, dome, directional, box, rect or tube")
	f.StringVar(&at, "at", "", "position x,y,z in metres")
	f.StringVar(&aim, "aim", "", "direction x,y,z that it shines along")
	cobra.CheckErr(cmd.MarkFlagRequired("id"))
	return cmd
}

// newEntity is an entity with an id, a place, a direction that it faces, and fields.
func newEntity(id, at, aim string, fields map[string]any) (map[string]any, error) {
	entity, transform := map[string]any{"id": id}, map[string]any{}
	if at != "" {
		v, err := vector("--at", at)
		if err != nil {
			return nil, err
		}
		transform["position"] = v
	}
	if aim != "" {
		v, err := vector("--aim", aim)
		if err != nil {
			return nil, err
		}
		q := geom.LookRotation(geom.Vec3(v))
		transform["rotation"] = []float64{q.V[0], q.V[1], q.V[2], q.W}
	}
	if len(transform) > 0 {
		entity["transform"] = transform
	}
	for _, path := range slices.Sorted(maps.Keys(fields)) {
		nest(entity, strings.Split(path, "."), fields[path])
	}
	return entity, nil
}

func nest(tree map[string]any, path []string, value any) {
	for len(path) > 1 {
		inner, ok := tree[path[0]].(map[string]any)
		if !ok {
			inner = map[string]any{}
			tree[path[0]] = inner
		}
		tree, path = inner, path[1:]
	}
	tree[path[0]] = value
}

func vector(flag, text string) (level.Vec, error) {
	var v level.Vec
	if text == "" {
		return v, usageError{fmt.Errorf("%s is missing; write x,y,z, such as 1.5,2,-3", flag)}
	}
	parts := strings.Split(text, ",")
	if len(parts) != 3 {
		return v, usageError{fmt.Errorf("%s is %q; write x,y,z, such as 1.5,2,-3", flag, text)}
	}
	for i, p := range parts {
		x, err := strconv.ParseFloat(strings.TrimSpace(p), 64)
		if err != nil || math.IsNaN(x) || math.IsInf(x, 0) {
			return v, usageError{fmt.Errorf("%s is %q; write x,y,z, such as 1.5,2,-3", flag, text)}
		}
		v[i] = x
	}
	if (flag == "--aim" || flag == "--normal") && v == (level.Vec{}) {
		return v, usageError{fmt.Errorf("%s is %q, which points nowhere", flag, text)}
	}
	return v, nil
}

func (a *app) lightSet() *cobra.Command {
	var aim string
	cmd := &cobra.Command{
		Use: "set LEVEL LIGHT FIELD=VALUE...", Short: "Change a light; an empty value puts the default back", Args: args(2, -1), ValidArgsFunction: a.completeLights,
		Example: "  grotta light set \"Saltmarsh Light\" bunk-bulb enabled=true strength=30\n  grotta light set \"Saltmarsh Light\" hatch-lamp shadows.cast=false color='#ffd0a0' kelvin=",
		RunE: func(cmd *cobra.Command, in []string) error {
			fields, err := pairs(in[2:])
			if err != nil {
				return err
			}
			if aim != "" {
				v, err := vector("--aim", aim)
				if err != nil {
					return err
				}
				q := geom.LookRotation(geom.Vec3(v))
				fields["transform.rotation"] = []float64{q.V[0], q.V[1], q.V[2], q.W}
			}
			if len(fields) == 0 {
				return usageError{fmt.Errorf("nothing to change; write field=value, such as strength=120")}
			}
			return a.apply(cmd, in[0], level.Set(in[1], fields))
		},
	}
	cmd.Flags().StringVar(&aim, "aim", "", "direction x,y,z to shine along")
	return cmd
}

func (a *app) lightRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove LEVEL LIGHT...", Short: "Remove lights, as one change", Args: args(2, -1), ValidArgsFunction: a.completeLights,
		RunE: func(cmd *cobra.Command, in []string) error {
			return a.apply(cmd, in[0], removal(in[1:]))
		},
	}
}
