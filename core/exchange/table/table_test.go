package table_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/exchange/table"
)

// The table of the documentation is what trying finds now.
func TestPublishedTableIsTrue(t *testing.T) {
	rows, err := table.Rows()
	require.NoError(t, err)
	names, err := table.Formats()
	require.NoError(t, err)
	committed, err := os.ReadFile("../../../docs/exchange-table.md")
	require.NoError(t, err)
	assert.Contains(t, string(committed), table.Markdown(rows, names), "run make generate")
	for _, r := range rows {
		assert.Equal(t, table.Kept, r.Outcomes[0], "the document keeps everything: %s, %s", r.Thing, r.Property)
	}
}
