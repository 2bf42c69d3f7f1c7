package main

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/go/packages"
)

// The program and all that it is made of is sound Go on each system that it is packed for. This reads every source
// file of that system, and leaves out the slow part of a build: writing machine code.
func TestEverySystemCompiles(t *testing.T) {
	seen := map[string]bool{}
	for _, target := range targets {
		if seen[target.system] {
			continue
		}
		seen[target.system] = true
		loaded, err := packages.Load(&packages.Config{
			Mode: packages.NeedName | packages.NeedFiles | packages.NeedCompiledGoFiles | packages.NeedImports | packages.NeedDeps | packages.NeedTypes | packages.NeedTypesSizes | packages.NeedSyntax,
			Env:  append(os.Environ(), "GOOS="+target.system, "GOARCH="+target.machine, "CGO_ENABLED=0"),
			Dir:  "../..",
		}, "./cmd/grotta")
		require.NoError(t, err)
		require.Len(t, loaded, 1)
		packages.Visit(loaded, nil, func(p *packages.Package) {
			for _, fault := range p.Errors {
				assert.NoError(t, fault, "%s on %s", p.ID, target.system)
			}
		})
		require.NotNil(t, loaded[0].Types.Scope().Lookup("main"))
	}
}
