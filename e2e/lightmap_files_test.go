package e2e

import (
	"archive/zip"
	"bytes"
	"encoding/base64"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/go-json-experiment/json"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/compare"
	"grotta/core/exchange"
	"grotta/core/level"
	"grotta/e2e/harness"
)

// plainRenderer is a page that shows a model with its lightmap as a renderer of glTF does: no light of
// its own, exposure, and what is over white cut off.
const plainRenderer = `<!doctype html><meta charset="utf-8"><body style="margin:0;background:#000">
<script>for (const e of ["error", "unhandledrejection"]) addEventListener(e, (v) => (document.documentElement.dataset.done = "failed: " + (v.message ?? v.reason)), true);</script>
<script type="importmap">{"imports": {"three": "/three/build/three.module.js", "three/addons/": "/three/examples/jsm/"}}</script>
<script type="module">
import * as T from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";
import { EXRLoader } from "three/addons/loaders/EXRLoader.js";
import { HDRLoader } from "three/addons/loaders/HDRLoader.js";
const dir = new URLSearchParams(location.search).get("dir");
const manifest = await (await fetch(dir + "/manifest.json")).json();
const { scene, cameras } = await new GLTFLoader().loadAsync(dir + "/" + manifest.model);
const load = async (file) => {
  if (file.endsWith(".png")) return rgbm(await new T.ImageBitmapLoader().setOptions({ colorSpaceConversion: "none", premultiplyAlpha: "none" }).loadAsync(file));
  return new (file.endsWith(".exr") ? EXRLoader : HDRLoader)().setDataType(T.FloatType).loadAsync(file);
};
// rgbm: color times alpha.
function rgbm(image) {
  const c = new OffscreenCanvas(image.width, image.height).getContext("webgl2");
  const t = c.createTexture(), f = c.createFramebuffer();
  c.bindTexture(c.TEXTURE_2D, t);
  c.texImage2D(c.TEXTURE_2D, 0, c.RGBA, c.RGBA, c.UNSIGNED_BYTE, image);
  c.bindFramebuffer(c.FRAMEBUFFER, f);
  c.framebufferTexture2D(c.FRAMEBUFFER, c.COLOR_ATTACHMENT0, c.TEXTURE_2D, t, 0);
  const raw = new Uint8Array(4 * image.width * image.height);
  c.readPixels(0, 0, image.width, image.height, c.RGBA, c.UNSIGNED_BYTE, raw);
  const out = new Float32Array(raw.length);
  for (let i = 0; i < raw.length; i += 4) for (let k = 0; k < 3; k++) out[i + k] = (raw[i + k] / 255) * (raw[i + 3] / 255);
  const texture = new T.DataTexture(out, image.width, image.height, T.RGBAFormat, T.FloatType);
  texture.needsUpdate = true;
  return texture;
}
const pages = await Promise.all(manifest.pages.map(async (p) => {
  const t = await load(dir + "/" + p);
  // glTF counts v from the top row; the loader of EXR turns the rows.
  if (p.endsWith(".exr")) { t.repeat.set(1, -1); t.offset.set(0, 1); }
  t.flipY = false;
  t.channel = 1;
  t.minFilter = t.magFilter = T.LinearFilter;
  t.generateMipmaps = false;
  t.needsUpdate = true;
  return t;
}));
const lights = [];
scene.traverse((o) => {
  if (o.isLight) lights.push(o);
  const page = o.material?.userData?.grotta?.lightmap_page;
  if (page === undefined) return;
  o.material.lightMap = pages[page];
  o.material.lightMapIntensity = manifest.lux_per_unit;
});
for (const l of lights) l.removeFromParent();
const r = new T.WebGLRenderer({ antialias: true, preserveDrawingBuffer: true });
r.setPixelRatio(1);
r.setSize(640, 360);
r.toneMapping = T.LinearToneMapping;
r.toneMappingExposure = 1 / (1.2 * 2 ** manifest.exposure_ev);
document.body.append(r.domElement);
const camera = cameras[0];
camera.aspect = 640 / 360;
camera.updateProjectionMatrix();
r.render(scene, camera);
document.documentElement.dataset.done = "ready";
</script>`

// barrel is a round model in OBJ with its image, as a modeller saves it: 24 staves with normals, and a lid.
func barrel(t *testing.T) []byte {
	var o strings.Builder
	o.WriteString("mtllib barrel.mtl\no Barrel\nusemtl staves\n")
	const n, radius, height, east, south = 24, 0.32, 0.85, -0.7, -0.6
	for i := range n + 1 {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / n)
		for k, y := range []float64{0, height} {
			fmt.Fprintf(&o, "v %.5f %.5f %.5f\nvt %.5f %d\n", east+radius*cos, y, south+radius*sin, 3*float64(i)/n, k)
		}
		fmt.Fprintf(&o, "vn %.5f 0 %.5f\n", cos, sin)
	}
	for i := range n {
		a, b, c, d := 2*i+1, 2*i+2, 2*i+4, 2*i+3
		fmt.Fprintf(&o, "f %d/%d/%d %d/%d/%d %d/%d/%d %d/%d/%d\n", a, a, i+1, b, b, i+1, c, c, i+2, d, d, i+2)
	}
	o.WriteString("o Lid\nusemtl lid\nf")
	for i := n; i > 0; i-- {
		fmt.Fprintf(&o, " %d", 2*i)
	}
	planks := image.NewNRGBA(image.Rect(0, 0, 64, 64))
	for y := range 64 {
		for x := range 64 {
			c := color.NRGBA{uint8(120 + 25*(x/16%2) + 8*(x*7%5)), uint8(84 + 14*(x/16%2) + 5*(x*7%5)), 52, 255}
			if x%16 == 0 {
				c = color.NRGBA{40, 28, 20, 255}
			} else if y/6 == 1 || y/6 == 8 {
				c = color.NRGBA{96, 98, 102, 255} // hoops
			}
			planks.SetNRGBA(x, y, c)
		}
	}
	var picture, b bytes.Buffer
	require.NoError(t, png.Encode(&picture, planks))
	w := zip.NewWriter(&b)
	for name, text := range map[string]string{
		"barrel.obj": o.String(), "barrel.mtl": "newmtl staves\nKd 1 1 1\nmap_Kd planks.png\nnewmtl lid\nKd 0.3 0.2 0.1\n", "planks.png": picture.String(),
	} {
		f, err := w.Create(name)
		require.NoError(t, err)
		_, err = f.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return b.Bytes()
}

// The exported model and its pages, shown by another renderer, are the picture that a shot is; so is a model that
// was brought in with its image.
func TestLightmapFilesInAnotherRenderer(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	grid, mirror := level.Default[level.ProbeGrid](), level.Default[level.Reflection]()
	grid.ID, grid.Size, grid.SpacingM, mirror.ID, mirror.Side = "air", level.Vec{2, 1, 2}, 1, "mirror", 16
	grid.Transform.Position, mirror.Transform.Position = level.Vec{0, 1, 0}, level.Vec{0, 1.2, 0}
	apply(t, maren, l.ID, level.Batch("", level.Set("", map[string]any{"look.enabled": false}), level.Add("probes", &grid), level.Add("reflections", &mirror)))
	merged, err := maren.ImportAgain(ctx, l.ID, barrel(t), api.ImportOptions{File: "barrel.zip"}, false)
	require.NoError(t, err)
	assert.Equal(t, []string{"Barrel", "Lid"}, merged.Added)
	_, err = harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	data, _, err := maren.Shot(ctx, l.ID, api.NewShot{Viewpoint: "door", Width: 640, Height: 360})
	require.NoError(t, err)
	shot, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)

	dir := t.TempDir()
	s := newShell(t, g.URL)
	_, errs, code := s.run(harness.Password+"\n", "login", "maren", "--password-stdin")
	require.Zero(t, code, errs)
	three, err := filepath.Abs("../web/node_modules/three")
	require.NoError(t, err)
	mux := http.NewServeMux()
	mux.Handle("/three/", http.StripPrefix("/three/", http.FileServer(http.Dir(three))))
	mux.Handle("/files/", http.StripPrefix("/files/", http.FileServer(http.Dir(dir))))
	mux.HandleFunc("/", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, plainRenderer)
	})
	site := httptest.NewServer(mux)
	defer site.Close()
	p := open(t, g)
	for _, pages := range []string{"exr", "hdr", "png"} {
		said := s.ok("lightmap", l.Name, "--pages", pages, "--out", filepath.Join(dir, pages))
		assert.Contains(t, said, "draft quality")
		p.do(chromedp.Navigate(site.URL+"/?dir=/files/"+pages), chromedp.WaitReady("html[data-done]"))
		require.Equal(t, "ready", p.eval("document.documentElement.dataset.done"))
		picture, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(p.eval(`document.querySelector("canvas").toDataURL()`), "data:image/png;base64,"))
		require.NoError(t, err)
		theirs, err := png.Decode(bytes.NewReader(picture))
		require.NoError(t, err)
		got, err := compare.Pictures(bare(shot), bare(theirs))
		require.NoError(t, err)
		t.Logf("%s: SSIM %.4f, mean difference %.2f, 95 %% under %.2f", pages, got.SSIM, got.Mean, got.P95)
		keep(t, "lightmap-"+pages, compare.Side(bare(shot), bare(theirs)))
		assert.GreaterOrEqual(t, got.SSIM, 0.97, pages)
		assert.Less(t, difference(bare(shot), bare(theirs)), 1.5, "%s: mean difference in steps of 255", pages)
	}
	text, err := os.ReadFile(filepath.Join(dir, "exr", "manifest.json"))
	require.NoError(t, err)
	var m exchange.Manifest
	require.NoError(t, json.Unmarshal(text, &m))
	assert.NotEmpty(t, m.Charts)
	require.Len(t, m.Beside, 2)
	for _, f := range m.Beside {
		data, err := os.ReadFile(filepath.Join(dir, "exr", f.File))
		require.NoError(t, err)
		assert.NotEmpty(t, data)
	}
	probes, err := os.ReadFile(filepath.Join(dir, "exr", "probes.json"))
	require.NoError(t, err)
	assert.Contains(t, string(probes), "spherical harmonics to order 2")
	s.ok("lightmap", l.Name, "--directions", "--layers", "--out", filepath.Join(dir, "directions"))
	text, err = os.ReadFile(filepath.Join(dir, "directions", "manifest.json"))
	require.NoError(t, err)
	m = exchange.Manifest{}
	require.NoError(t, json.Unmarshal(text, &m))
	require.NotNil(t, m.Directions)
	assert.Contains(t, m.Directions.What, "(m - n)·(x, y, z)")
	require.NotEmpty(t, m.Layers)
	for _, d := range []*exchange.Directions{m.Directions, m.Layers[0].Directions} {
		for _, files := range [][]string{d.X, d.Y, d.Z} {
			require.Len(t, files, len(m.Pages))
			for _, f := range files {
				data, err := os.ReadFile(filepath.Join(dir, "directions", f))
				require.NoError(t, err)
				assert.Equal(t, []byte{0x76, 0x2f, 0x31, 0x01}, data[:4], "OpenEXR")
			}
		}
	}
	_, errs, code = s.run("", "lightmap", l.Name, "--pages", "png", "--directions")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "below 0")
	_, errs, code = s.run("", "lightmap", l.Name, "--pages", "jpeg")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "exr, hdr, png is needed")
}
