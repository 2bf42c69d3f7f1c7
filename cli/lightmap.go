package cli

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
	"grotta/core/exchange"
)

// This file hands the baked light out.

func (a *app) lightmapCommand() *cobra.Command {
	var o api.LightmapFiles
	var out string
	cmd := &cobra.Command{
		Use: "lightmap LEVEL", Short: "Hand out the baked light: pages, a model that lies on them, and a manifest", Args: args(1), ValidArgsFunction: a.completeLevels,
		Long: "Write the lightmap as files: level.glb, whose second texture coordinates lie on the pages; the pages; and\nmanifest.json, which says what a value is in lux and where each surface lies. An --out that ends in .zip is\nan archive, any other a folder. What is not baked is made at draft first.",
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, _ []string) error {
			for _, f := range []struct {
				name, value string
				allowed     []string
			}{{"pages", o.Pages, []string{"exr", "hdr", "png"}}, {"encoding", o.Encoding, []string{"linear", "srgb", "rgbm"}}} {
				if !slices.Contains(f.allowed, f.value) {
					return usageError{fmt.Errorf("--%s is %q; %s is needed", f.name, f.value, strings.Join(f.allowed, ", "))}
				}
			}
			if o.Directions && o.Pages != "exr" {
				return usageError{fmt.Errorf("--directions have values below 0, which --pages %s cannot hold; exr can", o.Pages)}
			}
			if o.RangeLux < 0 {
				return usageError{errors.New("--range is below 0")}
			}
			if out == "" {
				out = strings.ReplaceAll(strings.ToLower(l.Name), " ", "-") + "-lightmap.zip"
			}
			data, err := c.LightmapFiles(ctx, l.ID, o)
			if err != nil {
				return err
			}
			m, err := manifestOf(data)
			if err != nil {
				return err
			}
			if strings.HasSuffix(out, ".zip") || out == "-" {
				err = a.writeFile(out, data)
			} else {
				err = a.unpack(out, data)
			}
			if err != nil || out == "-" {
				return err
			}
			return a.show(map[string]any{"file": out, "manifest": m}, func(w io.Writer) {
				fmt.Fprintf(w, "%s: %d pages of %d, %s, %s quality; a value of 1 is %.4g lx\n", out, len(m.Pages), m.PageSize, m.Encoding, m.Quality, m.LuxPerUnit)
				describeExchange(w, api.ExchangeReport{Left: m.Left, Notes: m.Notes})
			})
		}),
	}
	f := cmd.Flags()
	f.StringVarP(&out, "out", "o", "", "archive (.zip) or folder to write (default: the level's name)")
	f.StringVar(&o.Pages, "pages", "exr", "exr (half-float), hdr (Radiance) or png (8 bits)")
	f.StringVar(&o.Encoding, "encoding", "rgbm", "png: linear, srgb or rgbm")
	f.Float64Var(&o.RangeLux, "range", 0, "png: the light that is white, lux (default: the brightest texel)")
	f.BoolVar(&o.Layers, "layers", false, "also the pages of each source by itself")
	f.BoolVar(&o.Directions, "directions", false, "exr: also how light changes as normals turn, for surfaces with normal maps; takes as long as four bakes at good quality")
	return cmd
}

func manifestOf(data []byte) (*exchange.Manifest, error) {
	archive, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, err
	}
	f, err := archive.Open("manifest.json")
	if err != nil {
		return nil, err
	}
	defer f.Close()
	text, err := io.ReadAll(f)
	if err != nil {
		return nil, err
	}
	var m exchange.Manifest
	return &m, json.Unmarshal(text, &m)
}

// unpack writes the files of an archive into a folder, which it makes; none outside of it.
func (a *app) unpack(dir string, data []byte) error {
	archive, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return err
	}
	for _, f := range archive.File {
		if !filepath.IsLocal(f.Name) {
			return fmt.Errorf("the archive has a file %q, which is outside of it", f.Name)
		}
		r, err := f.Open()
		if err != nil {
			return err
		}
		content, err := io.ReadAll(r)
		r.Close()
		if err != nil {
			return err
		}
		name := filepath.Join(dir, filepath.FromSlash(f.Name))
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			return err
		}
		if err := a.writeFile(name, content); err != nil {
			return err
		}
	}
	return nil
}
