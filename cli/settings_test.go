package cli

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func settingsOf(t *testing.T, file string, args ...string) (*settings, error) {
	path := filepath.Join(t.TempDir(), "config.yaml")
	if file != "" {
		require.NoError(t, os.WriteFile(path, []byte(file), 0o600))
	}
	flags := pflag.NewFlagSet("grotta", pflag.ContinueOnError)
	flags.String("config", "", "")
	flags.String("server", "", "")
	require.NoError(t, flags.Parse(append(args, "--config", path)))
	return loadSettings(flags)
}

// A flag beats the environment, that the file, and that the default; each is named.
func TestSettingsByPrecedence(t *testing.T) {
	s, err := settingsOf(t, "")
	require.NoError(t, err)
	assert.Equal(t, defaults["server"], s.text("server"))
	assert.Equal(t, "default", s.from["server"])

	s, err = settingsOf(t, "server: http://file:1\n")
	require.NoError(t, err)
	assert.Equal(t, "http://file:1", s.text("server"))
	assert.Equal(t, s.path, s.from["server"])

	t.Setenv("GROTTA_SERVER", "http://env:2")
	s, err = settingsOf(t, "server: http://file:1\n")
	require.NoError(t, err)
	assert.Equal(t, "http://env:2", s.text("server"))
	assert.Equal(t, "environment", s.from["server"])

	s, err = settingsOf(t, "server: http://file:1\n", "--server", "http://flag:3")
	require.NoError(t, err)
	assert.Equal(t, "http://flag:3", s.text("server"))
	assert.Equal(t, "flag", s.from["server"])
}

func TestBadSettingsAreNamed(t *testing.T) {
	_, err := settingsOf(t, "sever: x\n")
	assert.ErrorContains(t, err, `"sever" is no setting; there are`)
	_, err = settingsOf(t, "- a\n- b\n")
	assert.ErrorContains(t, err, "holds no settings")
	_, err = settingsOf(t, "server: [\n")
	assert.ErrorContains(t, err, "config.yaml")
	s, err := settingsOf(t, "  \n")
	require.NoError(t, err, "an empty file is fine")
	assert.Equal(t, "default", s.from["server"])
}

// Saving keeps other keys, removes empty ones, and only the user can read the file.
func TestSettingsAreSaved(t *testing.T) {
	s, err := settingsOf(t, "server: http://file:1\n")
	require.NoError(t, err)
	require.NoError(t, s.save(map[string]string{"token": "secret"}))
	have, err := readConfig(s.path)
	require.NoError(t, err)
	assert.Equal(t, map[string]any{"server": "http://file:1", "token": "secret"}, have)
	info, err := os.Stat(s.path)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	require.NoError(t, s.save(map[string]string{"token": ""}))
	have, err = readConfig(s.path)
	require.NoError(t, err)
	assert.Equal(t, map[string]any{"server": "http://file:1"}, have)
}
