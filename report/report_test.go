package report_test

import (
	"encoding/xml"
	"strings"
	"testing"

	sarif "github.com/owenrumney/go-sarif/v3/pkg/report/v210/sarif"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/check"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/demo"
	own "grotta/report"
)

// of is the demo as some platforms judge it, with one finding waived.
func of(t *testing.T, names ...string) []api.Report {
	t.Helper()
	l := demo.Start("demo")
	l.Waivers = append(l.Waivers, &level.Waiver{ID: "w", Rule: "links.glow-without-light", About: []string{demo.DeadGlow}, Zone: "pier", Reason: "it is <meant>"})
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	subject := check.Of(p)
	var out []api.Report
	for _, name := range names {
		profile, err := platform.Named(name)
		require.NoError(t, err)
		out = append(out, own.Of("level", 3, subject.Against(profile)))
	}
	return out
}

// The log is valid by the published schema of SARIF 2.1.0, and tells every finding.
func TestSARIFIsValid(t *testing.T) {
	reports := of(t, "baked-arena", "pocket")
	text, err := own.SARIF("1.2.3", "levels/salt marsh.json", reports)
	require.NoError(t, err)
	log, err := sarif.FromBytes(text)
	require.NoError(t, err)
	require.NoError(t, log.Validate())
	require.Len(t, log.Runs, 2)
	for i, run := range log.Runs {
		require.Len(t, run.Results, len(reports[i].Findings))
		for k, result := range run.Results {
			f := reports[i].Findings[k]
			assert.Equal(t, f.Rule, *result.RuleID)
			assert.Equal(t, *run.Tool.Driver.Rules[result.RuleIndex].ID, f.Rule)
			assert.Equal(t, f.Waived != "", len(result.Suppressions) == 1, f.Rule)
		}
	}
}

func TestJUnitTellsWhatFails(t *testing.T) {
	reports := of(t, "baked-arena")
	for failOn, failures := range map[string]int{"error": 1, "warning": 2, "advice": 2, "": 0} {
		text, err := own.JUnit("Saltmarsh & co", reports, failOn)
		require.NoError(t, err)
		var suites struct {
			Name   string `xml:"name,attr"`
			Suites []struct {
				Name     string `xml:"name,attr"`
				Tests    int    `xml:"tests,attr"`
				Failures int    `xml:"failures,attr"`
				Skipped  int    `xml:"skipped,attr"`
				Cases    []struct {
					Name    string `xml:"name,attr"`
					Failure *struct {
						Message string `xml:"message,attr"`
					} `xml:"failure"`
				} `xml:"testcase"`
			} `xml:"testsuite"`
		}
		require.NoError(t, xml.Unmarshal(text, &suites))
		assert.Equal(t, "Saltmarsh & co", suites.Name)
		require.Len(t, suites.Suites, 1)
		s := suites.Suites[0]
		assert.Equal(t, len(check.Rules()), s.Tests)
		assert.Len(t, s.Cases, s.Tests)
		assert.Equal(t, failures, s.Failures, failOn)
		assert.Equal(t, 1, s.Skipped, "what is waived")
	}
}

func TestPageStandsByItself(t *testing.T) {
	reports := of(t, "baked-arena")
	text, err := own.Page("Saltmarsh <Light>", "today", reports, []own.Picture{{Name: "Pier", PNG: []byte("png")}})
	require.NoError(t, err)
	page := string(text)
	assert.Contains(t, page, "Saltmarsh &lt;Light&gt;")
	assert.Contains(t, page, "it is &lt;meant&gt;")
	assert.Contains(t, page, "data:image/png;base64,")
	assert.Contains(t, page, "6 of 4", "the budget")
	for _, f := range reports[0].Findings {
		assert.Contains(t, page, f.Rule)
	}
	for _, outside := range []string{"http://", "https://", "src=\"/", "<script"} {
		assert.False(t, strings.Contains(page, outside), outside)
	}
}

func TestEveryRuleGoesOut(t *testing.T) {
	rules := own.Rules()
	assert.Len(t, rules, len(check.Rules()))
	for _, r := range rules {
		assert.NotEmpty(t, r.Severities, r.ID)
	}
	assert.True(t, own.Grave("error", "warning"))
	assert.False(t, own.Grave("advice", "warning"))
	assert.False(t, own.Grave("error", ""))
}
