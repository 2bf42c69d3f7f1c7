package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The direction of imports: the core knows no interface, network or database;
// the command line knows the client, not the service; the client and the API's bodies
// know documents, not what computes light.
func TestImportsKeepTheirDirection(t *testing.T) {
	engine := []string{"grotta/core/bake", "grotta/core/change", "grotta/core/check", "grotta/core/compare", "grotta/core/ledger", "grotta/core/planner", "grotta/core/probe", "grotta/core/scatter", "grotta/core/scene", "grotta/core/shot", "grotta/core/trace"}
	forbidden := map[string][]string{
		"../core":   {"grotta/service", "grotta/client", "grotta/cli", "grotta/api", "grotta/web", "net", "net/http", "database/sql", "os", "github.com/spf13/cobra", "gorm.io/gorm", "github.com/gin-gonic/gin", "github.com/danielgtaylor/huma/v2", "github.com/nats-io/nats.go"},
		"../client": append([]string{"grotta/service", "grotta/cli", "grotta/web"}, engine...),
		"../cli":    {"grotta/service", "grotta/web"},
		"../api":    append([]string{"grotta/service", "grotta/client", "grotta/cli", "grotta/web"}, engine...),
	}
	for dir, names := range forbidden {
		seen := 0
		require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
			require.NoError(t, err)
			for _, spec := range f.Imports {
				name, err := strconv.Unquote(spec.Path.Value)
				require.NoError(t, err)
				for _, bad := range names {
					assert.False(t, name == bad || strings.HasPrefix(name, bad+"/"), "%s imports %s", path, name)
				}
			}
			seen++
			return nil
		}))
		assert.Positive(t, seen, dir)
	}
}

// The rooms of light follow each other: none imports one that comes after it.
func TestRoomsOfLightHaveOneDirection(t *testing.T) {
	rooms := []string{"scene", "source", "lightmap", "layer", "rows", "direct", "smooth", "radiosity", "gather", "bake", "ledger", "change"}
	for i, room := range rooms {
		files, err := filepath.Glob(filepath.Join(room, "*.go"))
		require.NoError(t, err)
		require.NotEmpty(t, files, room)
		for _, path := range files {
			if strings.HasSuffix(path, "_test.go") {
				continue
			}
			f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
			require.NoError(t, err)
			for _, spec := range f.Imports {
				for _, after := range rooms[i+1:] {
					assert.NotEqual(t, strconv.Quote("grotta/core/"+after), spec.Path.Value, path)
				}
			}
		}
	}
}
