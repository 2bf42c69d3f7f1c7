// Command bench runs the benchmarks of the core, prints their figures and ratios
// with the machine they were measured on, and draws how time grows.
package main

import (
	"fmt"
	"log"
	"os"
	"os/exec"
	"regexp"
	"runtime"
	"strings"
)

// picture is where the growth is drawn.
const picture = "docs/growth.png"

// figures are what the benchmarks reported: "Rays/closest/wide/20k Mrays/s".
type figures map[string]float64

func main() {
	fmt.Printf("%s, %d cores, %s\n\n", processor(), runtime.NumCPU(), runtime.Version())
	f := figures{}
	for _, run := range [][]string{
		{"-bench", ".", "./core/trace"},
		{"-bench", "Mix|Order", "./core/bake"},
		{"-bench", "Demo|Growth", "-benchtime", "3x", "./core/bake"},
		{"-bench", "Memory", "-benchtime", "1x", "./core/bake"},
		{"-bench", "Shot", "-benchtime", "3x", "./core/shot"},
		{"-bench", "FindPresets|ApplyPreset", "-benchtime", "5x", "./service/store"},
	} {
		out, err := exec.Command("go", append([]string{"test", "-run", "^$"}, run...)...).CombinedOutput()
		if err != nil {
			log.Fatalf("%v\n%s", err, out)
		}
		f.read(string(out))
	}
	f.print()
	if err := f.draw(picture); err != nil {
		log.Fatal(err)
	}
	fmt.Printf("\ngrowth drawn in %s\n", picture)
}

var line = regexp.MustCompile(`^Benchmark(\S+?)(?:-\d+)?\s+\d+\s+(.*)$`)

func (f figures) read(out string) {
	for text := range strings.Lines(out) {
		m := line.FindStringSubmatch(strings.TrimSpace(text))
		if m == nil {
			continue
		}
		words := strings.Fields(m[2])
		for i := 0; i+1 < len(words); i += 2 {
			var v float64
			if _, err := fmt.Sscan(words[i], &v); err == nil {
				f[m[1]+" "+words[i+1]] = v
			}
		}
	}
}

func (f figures) print() {
	for _, size := range []string{"20k", "300k"} {
		for _, kind := range []string{"closest", "any"} {
			name := fmt.Sprintf("Rays/%s/%%s/%s Mrays/s", kind, size)
			scalar, wide := f[fmt.Sprintf(name, "binary")], f[fmt.Sprintf(name, "wide")]
			fmt.Printf("%-44s Go %5.2f   kernel %5.2f Mrays/s   ratio %.2f\n", kind+"-hit rays, "+size+" triangles", scalar, wide, wide/scalar)
		}
	}
	trace := 1.3 / f["Rays/closest/wide/300k Mrays/s"]
	row := func(name, format string, args ...any) {
		fmt.Printf("%-44s "+format+"\n", append([]any{name}, args...)...)
	}
	row("build of 300k triangles", "%.2f s, %.2f of what 1.3 million closest-hit rays take", f["Build/wide/300k s"], f["Build/wide/300k s"]/trace)
	order := func(scene string) float64 {
		return f["Order/"+scene+" baker-Mrays/s"] / f["Order/"+scene+" shuffled-Mrays/s"]
	}
	for _, of := range [][2]string{{"texels", ""}, {"links", "-links"}} {
		row("rays of "+of[0]+" as sent, beside shuffled", "300k triangles %.2f, the floor alone lit %.2f; 20k %.2f and %.2f; the demo %.2f",
			order("300k"+of[1]), order("300k-floor"+of[1]), order("20k"+of[1]), order("20k-floor"+of[1]), order("demo"+of[1]))
	}
	row("a mix, beside a plain a += k*b by bytes", "%.2f (%.1f and %.1f GB/s), %.2f ms a megatexel and layer", f["Mix/layers GB/s"]/f["Mix/plain GB/s"], f["Mix/layers GB/s"], f["Mix/plain GB/s"], f["Mix/layers ms/Mtexel-layer"])
	row("demo, all of it coarse from nothing", "%.2f s", f["Demo/first s"])
	row("demo, a moved light at draft", "%.2f s", f["Demo/moved s"])
	row("demo, a mix", "%.1f ms", 1000*f["Demo/mix s"])
	row("demo, 18 lights direct at good", "%.2f s, %.2f million texels and lights a second", f["Demo/good/direct s"], 18*f["Demo/good/direct Mtexels/s"])
	row("demo, all sources with bounces at good", "%.2f s", f["Demo/good/bounced s"])
	row("demo, the same by messages of 12 and of 5", "%.2f s and %.2f s", f["Demo/messages/12 s"], f["Demo/messages/5 s"])
	row("demo, a shot of 1280x800, air and look", "%.2f s; Paper Mill %.2f s", f["Shot/demo s"], f["Shot/mill s"])
	row("demo, the light in its fog from nothing", "%.2f s; Paper Mill %.2f s", f["Shot/demo-fog s"], f["Shot/mill-fog s"])
	fmt.Println("peak memory beyond the layers, and its share of 200 bytes a texel and 160 a triangle:")
	for _, of := range [][2]string{
		{"demo", "the demo"}, {"large", "the demo at 24 texels a metre"}, {"hall", "a hall all lit by 12 lamps, 8 a metre"},
		{"coarse", "the hall at 2 a metre"}, {"small", "the hall at 1 a metre"},
		{"cluttered", "the hall at 2, with a thousand posts"}, {"crowded", "with nine thousand posts"},
		{"cubes", "with nine thousand small cubes, as fallen"},
		{"stacks-2", "with 3.7 thousand cubes in stacks"}, {"stacks-1", "as many, at 1 a metre"},
		{"wedges", "each of two wedges, at 1 a metre"}, {"tiles", "with a floor of 10 thousand tiles, at 1"}, {"gobos", "with an image before each lamp"},
		{"leaves", "with 20 thousand loose triangles"}, {"foliage", "with as many, with holes"},
		{"many-leaves", "with 100 thousand loose triangles"},
	} {
		name := "Memory/" + of[0]
		row("  "+of[1], "%.0f bytes a texel with %.0f sources at once; %.2f (%.0f thousand texels, %.1f thousand triangles)",
			f[name+" bytes/texel"], f[name+" sources"], f[name+" of-allowed"], f[name+" texels"]/1000, f[name+" triangles"]/1000)
	}
	fmt.Println("triangles made ready for rays, beside the document:")
	for _, of := range [][2]string{
		{"mesh", "of a mesh"}, {"blocks", "of nine thousand blocks"}, {"leaves", "of a mesh, all of them loose"},
		{"roles", "of the first mesh, a blocker unseen"}, {"cut-outs", "loose, with holes"},
		{"lit", "of the first mesh, lit at half a texel a metre"},
	} {
		name := "TriangleMemory/" + of[0]
		row("  "+of[1], "%.0f bytes each at the peak, of which %.0f stay; %.0f in a single reading",
			f[name+" bytes/triangle"], f[name+" kept/triangle"], f[name+" once/triangle"])
	}
	row("a ray, 20k to 300k triangles", "%.2f times the time", f["Growth/300000 ns/ray"]/f["Growth/20000 ns/ray"])
	few, many := f["Growth/texels 5-texels"], f["Growth/texels 15.811-texels"]
	row("texels", "%.1f times the texels, %.1f times the time", many/few, f["Growth/texels 15.811-s"]/f["Growth/texels 5-s"])
	row("lights, as many reaching each texel", "100 times the lights, %.2f times the time", f["Growth/lights 1000-s"]/f["Growth/lights 10-s"])
}

func processor() string {
	text, err := os.ReadFile("/proc/cpuinfo")
	if err != nil {
		return runtime.GOARCH
	}
	for line := range strings.Lines(string(text)) {
		if name, ok := strings.CutPrefix(line, "model name"); ok {
			return strings.Trim(name, " \t:\n")
		}
	}
	return runtime.GOARCH
}
