// Command bench runs the benchmarks of the core and prints their figures with
// the machine they were measured on.
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

func main() {
	fmt.Printf("%s, %d cores, %s\n\n", processor(), runtime.NumCPU(), runtime.Version())
	out, err := exec.Command("go", "test", "-run", "^$", "-bench", ".", "./core/trace", "./core/bake").CombinedOutput()
	if err != nil {
		log.Fatalf("%v\n%s", err, out)
	}
	figure := regexp.MustCompile(`(?m)^Benchmark(\S+?)(?:-\d+)?\s.*?([0-9.]+) (Mrays/s|Mtexels/s|ms/Mtexel-layer)`)
	value := map[string]string{}
	for _, m := range figure.FindAllStringSubmatch(string(out), -1) {
		fmt.Printf("%-22s %8s %s\n", m[1], m[2], m[3])
		value[m[1]] = m[2]
	}
	var mix, bound float64
	fmt.Sscan(value["Mix"], &mix)
	fmt.Sscan(value["MixBound"], &bound)
	if bound > 0 {
		fmt.Printf("\nmix takes %.2f times the plain a += k*b loop over float32\n", mix/bound)
	}
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
