package e2e

import (
	"bytes"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/require"
)

func compileSchema(t *testing.T, file string) func([]byte) error {
	t.Helper()
	schema, err := jsonschema.NewCompiler().Compile(file)
	require.NoError(t, err)
	return func(text []byte) error {
		v, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
		require.NoError(t, err)
		return schema.Validate(v)
	}
}
