package cli

import (
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"grotta/core/platform"
)

func (a *app) platformCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "platform", Short: "List and show platforms, and add your own"}
	list := &cobra.Command{
		Use: "list", Short: "List platforms with their limits", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			all, err := a.client().Platforms(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(all, func(w io.Writer) {
				var rows [][]string
				for _, p := range all {
					l := p.Profile.Limits
					overlap := "-"
					if l.ShadowOverlap != nil {
						overlap = fmt.Sprintf("%d, %d kept", l.ShadowOverlap.Max, l.ShadowOverlap.Reserve)
					}
					rows = append(rows, []string{p.Ref, p.Profile.Title, limit(l.Lights), limit(l.ZoneLights), overlap, limit(l.LightmapPages), strings.Join(p.Profile.Lights.Kinds, ",")})
				}
				table(w, "PLATFORM|TITLE|LIGHTS|IN A ZONE|SHADOWS AT A POINT|PAGES|KINDS", rows)
			})
		},
	}
	file := false
	show := &cobra.Command{
		Use: "show NAME", Short: "Show a platform and the reason of each limit", Args: args(1), ValidArgsFunction: a.completePlatforms,
		RunE: func(cmd *cobra.Command, in []string) error {
			all, err := a.client().Platforms(cmd.Context())
			if err != nil {
				return err
			}
			if file {
				text, err := a.client().PlatformFile(cmd.Context(), in[0])
				if err == nil {
					_, err = a.out.Write(text)
				}
				return err
			}
			for _, p := range all {
				if p.Ref == in[0] {
					return a.show(p, func(w io.Writer) { describePlatform(w, p.Profile) })
				}
			}
			return fmt.Errorf("no platform is called %q", in[0])
		},
	}
	show.Flags().BoolVar(&file, "file", false, "the profile itself, as YAML: the beginning for one of your own")
	add := &cobra.Command{
		Use: "add FILE", Short: "Add a profile of your own, YAML or JSON", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			text, err := a.readFile(in[0])
			if err != nil {
				return err
			}
			p, err := a.client().AddPlatform(cmd.Context(), text)
			if err != nil {
				return err
			}
			return a.show(p, func(w io.Writer) { fmt.Fprintf(w, "%s: %s\n", p.Name, p.Title) })
		},
	}
	remove := &cobra.Command{
		Use: "remove NAME", Short: "Remove a profile of your own", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error { return a.client().RemovePlatform(cmd.Context(), in[0]) },
	}
	cmd.AddCommand(list, show, add, remove)
	return cmd
}

func limit(l *platform.Limit) string {
	if l == nil {
		return "-"
	}
	return fmt.Sprintf("%.0f", l.Max)
}

func describePlatform(w io.Writer, p *platform.Profile) {
	fmt.Fprintf(w, "%s  (%s)\n%s\n\nunit %g m, +%s up, %s-handed\nlights: %s\n", p.Title, p.Name, p.Note, p.Space.UnitM, p.Space.Up, p.Space.Handed, strings.Join(p.Lights.Kinds, ", "))
	for _, kind := range slices.Sorted(maps.Keys(p.Lights.Instead)) {
		fmt.Fprintf(w, "  for %s use %s\n", kind, p.Lights.Instead[kind])
	}
	var rows [][]string
	add := func(name string, l *platform.Limit) {
		if l != nil {
			rows = append(rows, []string{name, limit(l), l.Why})
		}
	}
	add("lights", p.Limits.Lights)
	add("lights in a zone", p.Limits.ZoneLights)
	if o := p.Limits.ShadowOverlap; o != nil {
		rows = append(rows, []string{"shadows at a point", fmt.Sprintf("%d, %d kept for carried lamps", o.Max, o.Reserve), o.Why})
	}
	add("lightmap pages", p.Limits.LightmapPages)
	add("lightmap bytes", p.Limits.LightmapBytes)
	add("page size", p.Limits.PageSize)
	add("lights on a surface", p.Limits.SurfaceLights)
	add("surfaces of a light", p.Limits.LightSurfaces)
	add("lights in a view", p.Limits.ViewLights)
	add("dynamic lights", p.Lights.Dynamic)
	add("glows", p.Limits.Glows)
	add("fog volumes", p.Limits.FogVolumes)
	add("motes at once", p.Limits.Motes)
	add("probes", p.Limits.Probes)
	add("reflections", p.Limits.Reflections)
	add("triangles", p.Limits.Triangles)
	add("build, minutes", p.Build.Minutes)
	fmt.Fprintln(w)
	table(w, "LIMIT|MOST|WHY", rows)
	for _, t := range p.Tiers {
		fmt.Fprintf(w, "\n%s, %.0f %% of the players: without %s\n", t.Name, t.Share*100, strings.Join(t.LeftOut, ", "))
	}
	fmt.Fprintf(w, "\nfloor light: %g lx for a story, %g lx to compete\n", p.Play.StoryLux, p.Play.CompeteLux)
}
