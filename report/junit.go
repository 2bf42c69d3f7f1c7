package report

import (
	"encoding/xml"
	"fmt"
	"slices"

	"grotta/api"
)

type (
	junitSuites struct {
		XMLName xml.Name     `xml:"testsuites"`
		Name    string       `xml:"name,attr"`
		Suites  []junitSuite `xml:"testsuite"`
	}
	junitSuite struct {
		Name     string      `xml:"name,attr"`
		Tests    int         `xml:"tests,attr"`
		Failures int         `xml:"failures,attr"`
		Skipped  int         `xml:"skipped,attr"`
		Cases    []junitCase `xml:"testcase"`
	}
	junitCase struct {
		Class   string        `xml:"classname,attr"`
		Name    string        `xml:"name,attr"`
		Failure *junitFailure `xml:"failure,omitempty"`
		Skipped *junitSkipped `xml:"skipped,omitempty"`
	}
	junitFailure struct {
		Type    string `xml:"type,attr"`
		Message string `xml:"message,attr"`
		Text    string `xml:",chardata"`
	}
	junitSkipped struct {
		Message string `xml:"message,attr"`
	}
)

// JUnit writes reports as JUnit XML: a suite for each platform, a case for each rule. A rule fails where
// it finds something at least as grave as failOn: error, warning or advice.
func JUnit(name string, reports []api.Report, failOn string) ([]byte, error) {
	suites := junitSuites{Name: name}
	for _, r := range reports {
		suite := junitSuite{Name: r.Platform}
		for _, rule := range Rules() {
			c := junitCase{Class: r.Platform + "." + rule.Family, Name: rule.ID}
			for i := range r.Findings {
				f := &r.Findings[i]
				if f.Rule != rule.ID {
					continue
				}
				if f.Waived != "" {
					if c.Failure == nil {
						c.Skipped = &junitSkipped{"waived: " + f.Waived}
					}
					continue
				}
				if !Grave(f.Severity, failOn) {
					continue
				}
				if c.Skipped = nil; c.Failure == nil {
					c.Failure = &junitFailure{Type: f.Severity, Message: f.Message}
				}
				c.Failure.Text += fmt.Sprintf("%s: %s\n  %s\n  %s\n", f.Severity, f.Message, place(f), f.Why)
			}
			suite.Tests++
			if c.Failure != nil {
				suite.Failures++
			}
			if c.Skipped != nil {
				suite.Skipped++
			}
			suite.Cases = append(suite.Cases, c)
		}
		suites.Suites = append(suites.Suites, suite)
	}
	text, err := xml.MarshalIndent(suites, "", "  ")
	return append([]byte(xml.Header), append(text, '\n')...), err
}

// Severities, gravest first.
var Severities = []string{"error", "warning", "advice"}

// Grave tells whether a severity is at least as grave as another.
func Grave(severity, as string) bool {
	return slices.Index(Severities, severity) <= slices.Index(Severities, as)
}
