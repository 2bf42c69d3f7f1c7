package api_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
)

func TestPresetsAreNamed(t *testing.T) {
	for ref, want := range map[string]struct {
		owner, name string
		version     int
	}{
		"fog": {"maren", "fog", 0}, "ivo/fog": {"ivo", "fog", 0}, "fog@2": {"maren", "fog", 2}, "ivo/fog@12": {"ivo", "fog", 12},
	} {
		owner, name, version, err := api.ParsePreset(ref, "maren")
		assert.NoError(t, err, ref)
		assert.Equal(t, want.owner, owner, ref)
		assert.Equal(t, want.name, name, ref)
		assert.Equal(t, want.version, version, ref)
	}
	for _, ref := range []string{"fog@", "fog@x", "fog@0", "ivo/fog@-1"} {
		_, _, _, err := api.ParsePreset(ref, "maren")
		assert.ErrorContains(t, err, "after @ stands a version", ref)
	}
}

func TestProblemsReadAsSentences(t *testing.T) {
	p := &api.Problem{Title: "Unprocessable Entity", Detail: "what was sent cannot be taken", Faults: []api.Fault{{Path: "/name", Message: "is empty"}}}
	assert.Equal(t, "what was sent cannot be taken\n  /name is empty", p.Error())
	p.Faults[0].Path = "" // it is about all that was sent
	assert.Equal(t, "what was sent cannot be taken\n  is empty", p.Error())
	assert.Equal(t, "Not Found", (&api.Problem{Title: "Not Found"}).Error())
}

func TestBakesAreOver(t *testing.T) {
	for state, over := range map[string]bool{"queued": false, "running": false, "done": true, "cancelled": true, "failed": true} {
		assert.Equal(t, over, (&api.Bake{State: state}).Over(), state)
	}
}

func TestAddressesOfS3Stores(t *testing.T) {
	at, bucket, path, err := api.ParseS3("https://s3.example:9000/light/one/two/")
	require.NoError(t, err)
	assert.Equal(t, []string{"s3.example:9000", "light", "one/two"}, []string{at.Host, bucket, path})
	for text, word := range map[string]string{"records": "no address", "s3://light": "no address", "https://s3.example/": "no bucket", "https://k:s@s3.example/light": "no keys", "https://s3.example/light?x": "nothing after the path"} {
		_, _, _, err := api.ParseS3(text)
		assert.ErrorContains(t, err, word, text)
	}
}
