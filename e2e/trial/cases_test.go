package trial

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/png"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"

	"grotta/core/exchange"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/demo"
)

// trialCase is one thing that is sent to the service, and what it may answer.
type trialCase struct {
	name         string
	method, path string
	body         []byte
	want         []int // statuses
}

// Answers.
var (
	refused  = []int{400, 413, 422}
	anything = []int{200, 400, 413, 422} // bytes turned at random may come to something valid
)

// places are paths of the trial's own level.
type places struct{ level string }

func (p places) edit() string { return "/api/v1/levels/" + p.level + "/operations" }

const importPath = "/api/v1/levels/import"

func imported(name string, body []byte, want []int) trialCase {
	return trialCase{name, "POST", importPath, body, want}
}

// allCases are every family of the trial.
func allCases(p places) (all []trialCase) {
	for _, family := range [][]trialCase{
		glbCases(), gltfCases(), levelCases(), fieldCases(), imageCases(), yamlCases(), presetCases(), gradeCases(p), operationCases(p), requestCases(p), doorCases(p),
	} {
		all = append(all, family...)
	}
	return all
}

// glb packs a JSON text and a binary chunk that claims so many bytes.
func glb(text string, bin []byte, claim uint32) []byte {
	for len(text)%4 != 0 {
		text += " "
	}
	var b bytes.Buffer
	chunk := func(kind string, data []byte, length uint32) {
		binary.Write(&b, binary.LittleEndian, length)
		b.WriteString(kind)
		b.Write(data)
	}
	chunk("JSON", []byte(text), uint32(len(text)))
	if bin != nil {
		chunk("BIN\x00", bin, claim)
	}
	head := make([]byte, 12)
	copy(head, "glTF")
	binary.LittleEndian.PutUint32(head[4:], 2)
	binary.LittleEndian.PutUint32(head[8:], uint32(12+b.Len()))
	return append(head, b.Bytes()...)
}

func glbCases() (all []trialCase) {
	for _, claim := range []string{"1099511627776", "4294967296", "2147483648", "68719476740", "1e300", "-1", "-4294967292"} {
		text := `{"asset":{"version":"2.0"},"buffers":[{"byteLength":` + claim + `}]}`
		all = append(all, imported("a binary buffer of "+claim+" bytes", glb(text, []byte{0, 0, 0, 0}, 4), refused))
		uri := `{"asset":{"version":"2.0"},"buffers":[{"byteLength":` + claim + `,"uri":"data:application/octet-stream;base64,AAAA"}]}`
		all = append(all, imported("a data buffer of "+claim+" bytes", []byte(uri), refused))
	}
	whole, _, err := exchange.WriteGLTF(demo.Room())
	if err != nil {
		panic(err)
	}
	for i := range 24 {
		all = append(all, imported(fmt.Sprintf("a GLB cut at %d of 24", i), whole[:len(whole)*i/24], refused))
	}
	r := rand.New(rand.NewPCG(16, 1))
	for i := range 60 {
		turned := bytes.Clone(whole)
		for range 1 + i%8 {
			turned[r.IntN(len(turned))] ^= 1 << r.IntN(8)
		}
		all = append(all, imported(fmt.Sprintf("a GLB with turned bits, %d", i), turned, anything))
	}
	for at, claim := range map[int]uint32{8: 1 << 31, 12: 1 << 31, 13: 7} {
		lies := bytes.Clone(whole)
		binary.LittleEndian.PutUint32(lies[at:], claim)
		all = append(all, imported(fmt.Sprintf("a GLB that lies at byte %d", at), lies, refused))
	}
	return all
}

// gltf is a file of one triangle with some parts put in place of its own.
func gltf(swap ...string) []byte {
	text := `{"asset":{"version":"2.0"},"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}],"bufferViews":[{"buffer":0,"byteLength":36}],
"buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA"}]}`
	for i := 0; i < len(swap); i += 2 {
		if !strings.Contains(text, swap[i]) {
			panic(swap[i])
		}
		text = strings.Replace(text, swap[i], swap[i+1], 1)
	}
	return []byte(text)
}

func gltfCases() (all []trialCase) {
	add := func(name string, body []byte) { all = append(all, imported("glTF: "+name, body, refused)) }
	for _, n := range []string{"4", "900000000", "5900000", "1e9", "-3", "1e400", `"3"`} {
		add("count "+n, gltf(`"count":3`, `"count":`+n))
	}
	for _, n := range []string{"1000000000", "4", "-1", "5900000"} {
		add("sparse count "+n, gltf(`"type":"VEC3"`, `"type":"VEC3","sparse":{"count":`+n+`,"indices":{"bufferView":0,"componentType":5125},"values":{"bufferView":0}}`))
		add("sparse without a view, count "+n, gltf(`"bufferView":0,"comp`, `"comp`, `"type":"VEC3"`, `"type":"VEC3","sparse":{"count":`+n+`,"indices":{"bufferView":7,"componentType":5125},"values":{"bufferView":0}}`))
	}
	nodes := `"nodes":[` + strings.TrimSuffix(strings.Repeat(`{"mesh":0},`, 8), ",") + `]`
	add("eight nodes that share 5.9 million vertices without data", gltf(`"scenes":[{"nodes":[0]}],`, ``, `"nodes":[{"mesh":0}]`, nodes, `"bufferView":0,"comp`, `"comp`, `"count":3`, `"count":5900000`))
	for _, swap := range [][2]string{
		{`"bufferView":0,"comp`, `"bufferView":9,"comp`}, {`"bufferView":0,"comp`, `"bufferView":-1,"comp`}, {`"buffer":0`, `"buffer":3`}, {`"buffer":0`, `"buffer":-3`},
		{`"byteLength":36}],`, `"byteLength":360}],`}, {`"byteLength":36}],`, `"byteLength":36,"byteOffset":-4}],`}, {`"byteLength":36}],`, `"byteLength":36,"byteOffset":9223372036854775807}],`},
		{`"byteLength":36}],`, `"byteLength":36,"byteStride":100000}],`}, {`"byteLength":36}],`, `"byteLength":36,"byteStride":-12}],`},
		{`"count":3`, `"count":3,"byteOffset":30`}, {`"count":3`, `"count":3,"byteOffset":-30`}, {`"count":3`, `"count":3,"byteOffset":9223372036854775807`},
		{`"mesh":0`, `"mesh":5`}, {`"mesh":0`, `"mesh":-5`}, {`"POSITION":0`, `"POSITION":6`}, {`"POSITION":0`, `"NORMAL":0`},
		{`{"mesh":0}`, `{"mesh":0,"children":[0]}`}, {`{"mesh":0}`, `{"children":[1]},{"children":[0]}`}, {`{"mesh":0}`, `{"mesh":0,"children":[4]}`},
		{`{"mesh":0}`, `{"mesh":0,"scale":[1e308,1e308,1e308]}`}, {`{"mesh":0}`, `{"mesh":0,"translation":[1e300,0,0]}`}, {`"version":"2.0"`, `"version":"9.1"`},
		{`"uri":"data:application/octet-stream;base64,`, `"uri":"../../etc/passwd#`}, {`"uri":"data:application/octet-stream;base64,`, `"uri":"http://127.0.0.1/`}, {`"uri":"data:application/octet-stream;base64,`, `"uri":"data:application/octet-stream;base64,!!`},
		{`"scenes"`, `"extensionsRequired":["EXT_unheard_of"],"scenes"`}, {`{"nodes":[0]}`, `{"nodes":[99]}`},
	} {
		add(swap[1], gltf(swap[0], swap[1]))
	}
	deep := ""
	for i := range 400 {
		deep += fmt.Sprintf(`{"children":[%d]},`, i+1)
	}
	add("nodes 400 deep", gltf(`{"mesh":0}`, deep+`{"mesh":0}`))
	add("two million nodes", gltf(`{"mesh":0}`, strings.Repeat(`{},`, 2_000_000)+`{"mesh":0}`))
	add("nested 100 thousand deep", []byte(`{"asset":{"version":"2.0"},"extras":`+strings.Repeat("[", 100_000)))
	return all
}

func levelText(parts string) []byte {
	return []byte(`{"format":"grotta-level/1","name":"x"` + parts + `}`)
}

func levelCases() (all []trialCase) {
	add := func(name string, body []byte) { all = append(all, imported("level: "+name, body, refused)) }
	many := func(one string, n int) string { return strings.TrimSuffix(strings.Repeat(one+",", n), ",") }
	for _, part := range level.Parts {
		add("a million "+part, levelText(`,"`+part+`":[`+many("{}", 1_000_000)+`]`))
		add("null among the "+part, levelText(`,"`+part+`":[null]`))
		add("a number for "+part, levelText(`,"`+part+`":7`))
		add("an id twice among the "+part, levelText(`,"`+part+`":[{"id":"a"},{"id":"a"}]`))
		add("no id among the "+part, levelText(`,"`+part+`":[{}]`))
	}
	add("nothing", nil)
	add("a list", []byte(`[]`))
	add("nesting", []byte(`{"format":`+strings.Repeat("[", 200_000)))
	add("half a text", levelText(`,"lights":[{"id":"a"`)[:50])
	add("invalid UTF-8", levelText(`,"note":"`+"\xff\xfe"+`"`))
	add("a name twice", levelText(`,"name":"y"`))
	add("another format", []byte(`{"format":"grotta-level/9"}`))
	add("70 MB", bytes.Repeat([]byte(" "), 70<<20))
	add("a control character in a name", []byte(`{"format":"grotta-level/1","name":"x\u001b[2J"}`))
	add("a turned name", []byte("{\"format\":\"grotta-level/1\",\"name\":\"x\u202etxt.exe\"}"))
	chain := make([]string, 6000)
	for i := range chain {
		chain[i] = fmt.Sprintf(`{"id":"l%d","parent":"l%d"}`, i, (i+1)%len(chain))
	}
	add("a circle of 6000 parents", levelText(`,"lights":[`+strings.Join(chain, ",")+`]`))
	add("planes without end", levelText(`,"solids":[`+many(`{"id":"a","planes":[`+many(`{"normal":[1,0,0],"distance":1}`, 256)+`]}`, 400)+`]`))
	add("indices beyond the vertices", levelText(`,"meshes":[{"id":"m","positions":[0,0,0],"indices":[0,1,4294967295]}]`))
	add("a density that fills no page", levelText(`,"lightmap":{"density":1e9}`))
	return all
}

// fieldCases give every field of a level a value of the wrong type, one that is far too
// large, and none.
func fieldCases() (all []trialCase) {
	l := leveltest.Level(rand.New(rand.NewPCG(3, 3)))
	text, err := level.Encode(l)
	if err != nil {
		panic(err)
	}
	var tree map[string]any
	if err := json.Unmarshal(text, &tree); err != nil {
		panic(err)
	}
	seen := map[string]bool{}
	var visit func(at string, get any, set func(any))
	try := func(at string, wrong any, was any, set func(any)) {
		set(wrong)
		body, err := json.Marshal(tree, json.Deterministic(true))
		set(was)
		if err != nil {
			panic(err)
		}
		all = append(all, imported(fmt.Sprintf("field %s as %.20v", at, wrong), body, refused))
	}
	visit = func(at string, value any, set func(any)) {
		switch v := value.(type) {
		case map[string]any:
			for _, name := range sortedNames(v) {
				visit(at+"."+name, v[name], func(x any) { v[name] = x })
			}
		case []any:
			if !seen[at] && len(v) > 0 {
				seen[at] = true
				try(at, "text", value, set)
			}
			for i := range v[:min(len(v), 1)] { // entities of one part have the same fields
				visit(at+"[]", v[i], func(x any) { v[i] = x })
			}
		default:
			if seen[at] {
				return
			}
			seen[at] = true
			try(at, map[string]any{"a": 1}, value, set)
			if _, number := value.(float64); number {
				try(at, 1e30, value, set)
			}
		}
	}
	for _, name := range sortedNames(tree) {
		visit(name, tree[name], func(x any) { tree[name] = x })
	}
	return all
}

func sortedNames(m map[string]any) []string {
	names := make([]string, 0, len(m))
	for _, k := range reflect.ValueOf(m).MapKeys() {
		names = append(names, k.String())
	}
	slices.Sort(names)
	return names
}

// claimedPNG is a PNG whose header claims a size.
func claimedPNG(width, height uint32) []byte {
	var b bytes.Buffer
	png.Encode(&b, image.NewGray(image.Rect(0, 0, 1, 1)))
	data := b.Bytes()
	binary.BigEndian.PutUint32(data[16:], width)
	binary.BigEndian.PutUint32(data[20:], height)
	binary.BigEndian.PutUint32(data[29:], crc32.ChecksumIEEE(data[12:29]))
	return data
}

func withImages(files ...[]byte) []byte {
	var list []string
	for i, f := range files {
		list = append(list, fmt.Sprintf(`{"id":"i%d","data":%q}`, i, base64.StdEncoding.EncodeToString(f)))
	}
	return levelText(`,"images":[` + strings.Join(list, ",") + `]`)
}

func imageCases() (all []trialCase) {
	add := func(name string, want []int, files ...[]byte) {
		all = append(all, imported("image: "+name, withImages(files...), want))
	}
	large := grayPNG(8192, 4096)
	add("30 of 8192 by 4096", refused, slices.Repeat([][]byte{large}, 30)...)
	add("two of 8192 by 4096", refused, large, large)
	for _, size := range [][2]uint32{{0, 0}, {1 << 31, 1}, {1 << 30, 1 << 30}, {100_000, 100_000}, {8193, 4096}, {8192, 4096}, {4000, 4000}} {
		add(fmt.Sprintf("a PNG that claims %d by %d", size[0], size[1]), refused, claimedPNG(size[0], size[1]))
		add(fmt.Sprintf("an HDR that claims %d by %d", size[0], size[1]), refused, fmt.Appendf(nil, "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y %d +X %d\n", size[1], size[0]))
	}
	small := leveltest.Image(rand.New(rand.NewPCG(1, 1))).Data
	for i := range 12 {
		add(fmt.Sprintf("a PNG cut at %d of 12", i), refused, small[:(len(small)-13)*i/12])
	}
	r := rand.New(rand.NewPCG(16, 2))
	for i := range 24 {
		turned := bytes.Clone(small)
		turned[r.IntN(len(turned))] ^= 1 << r.IntN(8)
		add(fmt.Sprintf("a PNG with a turned bit, %d", i), anything, turned)
	}
	add("an HDR without an end", refused, []byte("#?RADIANCE"+strings.Repeat("x", 1<<20)))
	add("an HDR with runs past its width", refused, []byte("#?RADIANCE\n\n-Y 1 +X 8\n\x02\x02\x00\x08\xff\x01"))
	add("text", refused, []byte("hello"))
	add("nine megabytes", refused, bytes.Repeat([]byte{1}, 9<<20))
	return all
}

func grayPNG(width, height int) []byte {
	var b bytes.Buffer
	e := png.Encoder{CompressionLevel: png.BestCompression}
	e.Encode(&b, image.NewGray(image.Rect(0, 0, width, height)))
	return b.Bytes()
}

func yamlCases() (all []trialCase) {
	add := func(name, text string) {
		for _, what := range []string{"platforms", "hand-overs", "import-rules"} {
			all = append(all, trialCase{"YAML: " + name + ", to " + what, "POST", "/api/v1/" + what, []byte(text), refused})
		}
	}
	bomb := "a: &a [x,x,x,x,x,x,x,x,x]\n"
	for c := 'b'; c < 'k'; c++ {
		bomb += fmt.Sprintf("%c: &%c [%s]\n", c, c, strings.Repeat(fmt.Sprintf("*%c,", c-1), 9))
	}
	add("an alias bomb", bomb)
	add("a quadratic alias", "a: &a "+strings.Repeat("x", 80_000)+"\nb: ["+strings.Repeat("*a,", 20_000)+"]")
	add("100 thousand brackets", strings.Repeat("[", 100_000))
	add("100 thousand braces", strings.Repeat("{a: ", 60_000))
	add("steps inward", strings.Repeat("- ", 60_000))
	add("many values", strings.Repeat("- 1\n", 60_000))
	add("nothing", "")
	add("no mapping", "hello")
	add("a tag", "format: !!binary aGk=")
	add("a merge", "a: &a {b: 1}\n<<: *a")
	add("a name twice", "name: a\nname: b")
	add("tabs", "\t\t- a")
	add("300 KB", "note: "+strings.Repeat("x", 300<<10))
	add("not finite", "format: grotta-platform/1\nspace: {unit_m: .inf, up: y, handed: right}")
	add("control characters", "title: \"\\e[2J\"")
	return all
}

// doorCases go in and out by the ways to other editors.
func doorCases(p places) (all []trialCase) {
	back := func(from, name, text string) {
		all = append(all, trialCase{"hand-back: " + name, "POST", "/api/v1/levels/" + p.level + "/hand-back?from=" + from, []byte(text), refused})
	}
	back("open-realtime", "nothing", "")
	back("open-realtime", "nesting", strings.Repeat("[", 200_000))
	back("open-realtime", "two million things", `{"things":[`+strings.Repeat("{},", 2_000_000)+`{}]}`)
	back("open-realtime", "17 megabytes", strings.Repeat(" ", 17<<20))
	back("open-realtime", "a text for a place", `{"things":[{"kind":"bulb","ref":"a","place":{"x":"far"}}]}`)
	back("open-realtime", "a place beyond the level", `{"things":[{"kind":"bulb","ref":"a","place":{"x":1e300,"y":0,"z":0}}]}`)
	back("baked-arena", "a line of two megabytes", "[lamp]\nlabel = "+strings.Repeat("x", 2<<20))
	back("baked-arena", "no section", "at = 1 2 3")
	back("baked-arena", "three hundred thousand sections", strings.Repeat("[lamp]\n", 300_000))
	back("pocket", "no head", "\x00\xff")
	back("pocket", "an open quote", "what;id\n\"light;a")
	template := func(name, text string) {
		file := "format: grotta-handover/1\nname: t\ntitle: T\nspace: {unit_m: 1, axes: [x, y, z]}\ntext: {shape: template, template: " + text + "}\nrules: [{of: point, class: a, fields: [{name: id, from: id}]}]\n"
		body := fmt.Appendf(nil, `{"file":%q}`, file)
		all = append(all, trialCase{"template: " + name, "POST", "/api/v1/levels/" + p.level + "/hand-over", body, refused})
	}
	template("an endless loop", `"{{range 4000000000}}{{end}}"`)
	template("loops in loops", `"{{range 90000}}{{range 90000}}{{end}}{{end}}"`)
	template("a wide number", `"{{printf \"%2000000000d\" 1}}"`)
	template("doubling", `"{{$s := \"a\"}}{{range 64}}{{$s = print $s $s}}{{end}}{{$s}}"`)
	profile := func(name, text string) {
		body := fmt.Appendf(nil, `{"op":"add","part":"profiles","entity":{"id":"trial","data":%q}}`, base64.StdEncoding.EncodeToString([]byte(text)))
		all = append(all, trialCase{"profile: " + name, "POST", p.edit(), body, refused})
	}
	profile("nothing", "")
	profile("a billion angles", "TILT=NONE\n1 -1 1 1000000000 1 1 2 0 0 0 1 1 1\n")
	profile("a million values", "TILT=NONE\n1 -1 1 1000 1000 1 2 0 0 0 1 1 1\n")
	profile("not finite", "TILT=NONE\n1 -1 NaN 2 1 1 2 0 0 0 1 1 1\n0 90\n0\n1 1\n")
	profile("two megabytes", "TILT=NONE\n"+strings.Repeat("1 ", 1<<20))
	terrain := func(name, query string, data []byte) {
		all = append(all, trialCase{"terrain: " + name, "POST", importPath + "?file=t.png" + query, data, refused})
	}
	huge := []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x75\x30\x00\x00\x75\x30\x10\x00\x00\x00\x00")
	terrain("30000 by 30000 pixels", "&terrain_m=100", append(huge, 0, 0, 0, 0))
	terrain("no size", "", append(huge, 0, 0, 0, 0))
	terrain("a size without end", "&terrain_m=1e300", huge)
	return all
}

func presetCases() (all []trialCase) {
	add := func(name, text string) {
		all = append(all, trialCase{"preset: " + name, "PUT", "/api/v1/presets/trial", []byte(text), refused})
	}
	add("nothing", "")
	add("a list", "[]")
	add("no kind", `{"format":"grotta-preset/1"}`)
	add("a mood without one", `{"format":"grotta-preset/1","kind":"mood"}`)
	add("a rig without parts", `{"format":"grotta-preset/1","kind":"rig","rig":{"id":"r"}}`)
	add("a million lights", `{"format":"grotta-preset/1","kind":"rig","rig":{"id":"r"},"parts":{"format":"grotta-level/1","name":"x","lights":[`+strings.Repeat("{},", 900_000)+`{}]}}`)
	add("nesting", `{"format":"grotta-preset/1","x":`+strings.Repeat("[", 100_000))
	add("five megabytes", strings.Repeat(" ", 5<<20))
	add("a number for a mood", `{"format":"grotta-preset/1","kind":"mood","mood":3}`)
	return all
}

func gradeCases(p places) (all []trialCase) {
	add := func(name, text string) {
		all = append(all, trialCase{"CDL: " + name, "PUT", "/api/v1/levels/" + p.level + "/grade.cc", []byte(text), refused})
	}
	add("nothing", "")
	add("text", "hello")
	add("an entity bomb", `<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;&a;">]><ColorCorrection><SOPNode><Slope>&b;</Slope></SOPNode></ColorCorrection>`)
	add("nesting", strings.Repeat("<a>", 200_000))
	add("not finite", `<ColorCorrection><SOPNode><Slope>NaN Inf 1</Slope></SOPNode></ColorCorrection>`)
	add("huge", `<ColorCorrection><SOPNode><Slope>1e300 1 1</Slope></SOPNode></ColorCorrection>`)
	add("too few", `<ColorCorrection><SOPNode><Slope>1 1</Slope></SOPNode></ColorCorrection>`)
	add("cut", `<ColorCorrection><SOPNode><Slope>1 1 1`)
	return all
}

func operationCases(p places) (all []trialCase) {
	add := func(name, text string) {
		all = append(all, trialCase{"operation: " + name, "POST", p.edit(), []byte(text), refused})
	}
	add("none", "")
	add("null", "null")
	add("unknown", `{"op":"explode"}`)
	add("a set of nothing", `{"op":"set","id":"lamp"}`)
	add("of nobody", `{"op":"set","id":"nobody","fields":{"strength":1}}`)
	add("a rename", `{"op":"set","id":"lamp","fields":{"id":"x"}}`)
	add("a list of entities", `{"op":"set","fields":{"lights":[]}}`)
	add("through a plain value", `{"op":"set","id":"lamp","fields":{"strength.more":1}}`)
	add("a stray field", `{"op":"set","id":"lamp","fields":{"brightness":1}}`)
	add("an id twice", `{"op":"add","part":"lights","entity":{"id":"lamp"}}`)
	add("no such part", `{"op":"add","part":"users","entity":{"id":"x"}}`)
	add("itself as parent", `{"op":"set","id":"lamp","fields":{"parent":"lamp"}}`)
	add("removing nobody", `{"op":"remove","id":"nobody"}`)
	add("removing nothing", `{"op":"remove"}`)
	add("a control character", `{"op":"set","id":"lamp","fields":{"name":"\u0007"}}`)
	add("a turned name", `{"op":"set","id":"lamp","fields":{"name":"\u202e"}}`)
	add("400 thousand lists", `{"op":"set","id":"lamp","fields":{"tags":[`+strings.TrimSuffix(strings.Repeat("[],", 400_000), ",")+`]}}`)
	add("400 thousand steps", `{"op":"batch","steps":[`+strings.TrimSuffix(strings.Repeat("{},", 400_000), ",")+`]}`)
	add("nested batches", strings.Repeat(`{"op":"batch","steps":[`, 2000)+`{"op":"remove","id":"lamp"}`+strings.Repeat(`]}`, 2000))
	add("nesting", `{"op":"set","fields":`+strings.Repeat(`{"a":`, 9000)+"1"+strings.Repeat("}", 9001))
	add("nine megabytes", `{"op":"set","label":"`+strings.Repeat("x", 9<<20)+`"}`)
	for _, x := range []string{"1e999", "NaN", "-1", `"5"`, "[1]", "{}", "1e300"} {
		add("strength "+x, `{"op":"set","id":"lamp","fields":{"strength":`+x+`}}`)
		add("place "+x, `{"op":"set","id":"lamp","fields":{"transform.position":[0,`+strings.Replace(x, "-1", "1e9", 1)+`,0]}}`)
	}
	return all
}

func requestCases(p places) (all []trialCase) {
	add := func(name, method, path, body string, want ...int) {
		all = append(all, trialCase{"request: " + name, method, path, []byte(body), want})
	}
	l := "/api/v1/levels/" + p.level
	add("a shot of a million pixels a side", "POST", l+"/shots", `{"width":1000000,"height":1000000}`, 422)
	add("a shot without a direction", "POST", l+"/shots", `{"camera":{"position":[0,0,0],"rotation":[0,0,0,0],"fov_deg":60}}`, 422)
	add("a shot from nowhere", "POST", l+"/shots", `{"camera":{"position":[1e300,0,0],"rotation":[0,0,0,1],"fov_deg":60},"width":16,"height":16}`, 200, 422)
	add("a shot of no viewpoint", "POST", l+"/shots", `{"viewpoint":"none"}`, 404)
	add("a sheet of a thousand columns", "POST", l+"/sheets", `{"kind":"views","columns":1000}`, 422)
	add("a day of a thousand times", "POST", l+"/sheets", `{"kind":"day","times":[`+strings.TrimSuffix(strings.Repeat(`"05:00",`, 1000), ",")+`]}`, 422)
	add("a ledger of no point", "GET", l+"/ledger?point=a,b,c", "", 422)
	add("a ledger of an endless point", "GET", l+"/ledger?point=1e400,0,0", "", 422)
	add("a ledger without a direction", "GET", l+"/ledger?point=0,0,0&normal=0,0,0", "", 422)
	add("a density of no texels", "POST", l+"/density", `{"texels":-1}`, 422)
	add("a check against nothing", "GET", l+"/check?platform=none", "", 404)
	add("revisions without end", "GET", l+"/revisions?limit=100000", "", 422)
	add("a revision that is not there", "POST", l+"/shots", `{"revision":99}`, 404)
	add("a layer of no key", "GET", l+"/layers/zz", "", 422)
	add("a reflection that is not there", "GET", l+"/reflections/none", "", 404)
	add("a bake of no quality", "POST", l+"/bakes", `{"quality":"best"}`, 422)
	add("a member of no name", "PUT", l+"/members/nobody", `{"role":"editor"}`, 404)
	add("a member of no role", "PUT", l+"/members/ivo", `{"role":"king"}`, 422)
	add("a preset to no level", "POST", "/api/v1/levels/none/presets", `{"name":"x"}`, 404)
	add("a token of no scope", "POST", "/api/v1/tokens", `{"name":"x","scopes":["root"]}`, 422)
	add("a token without end", "POST", "/api/v1/tokens", `{"name":"x","scopes":["read"],"days":1000000}`, 422)
	add("a user without a name", "POST", "/api/v1/users", `{"name":"","password":"long enough"}`, 422)
	add("a path out of the folder", "GET", "/api/v1/levels/..%2f..%2fetc", "", 404)
	add("a method that is none", "BREW", l, "", 405)
	add("a body that is no JSON", "POST", "/api/v1/levels", `{"name":`, 400, 422)
	add("a body that is a list", "POST", "/api/v1/levels", `[]`, 422)
	add("a name of a megabyte", "POST", "/api/v1/levels", `{"name":"`+strings.Repeat("x", 1<<19)+`"}`, 422)
	add("nothing there", "GET", "/api/v1/nothing", "", 404)
	return all
}
