package report

import (
	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"grotta/api"
)

// The parts of SARIF 2.1.0 (OASIS, 2020) that a check needs.
type (
	sarifLog struct {
		Schema  string     `json:"$schema"`
		Version string     `json:"version"`
		Runs    []sarifRun `json:"runs"`
	}
	sarifRun struct {
		Tool              sarifTool         `json:"tool"`
		AutomationDetails sarifID           `json:"automationDetails"`
		Language          string            `json:"language"`
		NewlineSequences  []string          `json:"newlineSequences"`
		Results           []sarifResult     `json:"results"`
		Properties        map[string]string `json:"properties"`
	}
	sarifID struct {
		ID string `json:"id"`
	}
	sarifTool struct {
		Driver sarifDriver `json:"driver"`
	}
	sarifDriver struct {
		Name     string      `json:"name"`
		Version  string      `json:"version,omitzero"`
		Language string      `json:"language"`
		Rules    []sarifRule `json:"rules"`
	}
	sarifRule struct {
		ID               string    `json:"id"`
		ShortDescription sarifText `json:"shortDescription"`
		FullDescription  sarifText `json:"fullDescription"`
	}
	sarifText struct {
		Text string `json:"text"`
	}
	sarifResult struct {
		RuleID       string             `json:"ruleId"`
		RuleIndex    int                `json:"ruleIndex"`
		Level        string             `json:"level"`
		Message      sarifText          `json:"message"`
		Locations    []sarifLocation    `json:"locations"`
		Suppressions []sarifSuppression `json:"suppressions,omitzero"`
		Properties   map[string]any     `json:"properties,omitzero"`
	}
	sarifSuppression struct {
		Kind          string `json:"kind"`
		Justification string `json:"justification"`
	}
	sarifLocation struct {
		PhysicalLocation sarifPhysical  `json:"physicalLocation"`
		LogicalLocations []sarifLogical `json:"logicalLocations,omitzero"`
	}
	sarifPhysical struct {
		ArtifactLocation sarifArtifact `json:"artifactLocation"`
	}
	sarifArtifact struct {
		URI string `json:"uri"`
	}
	sarifLogical struct {
		FullyQualifiedName string `json:"fullyQualifiedName"`
	}
)

// language is what messages are written in.
const language = "en"

// SARIF writes reports as a SARIF 2.1.0 log with one run for each platform. artifact is the file or the
// level that was checked.
func SARIF(version, artifact string, reports []api.Report) ([]byte, error) {
	log := sarifLog{Schema: "https://json.schemastore.org/sarif-2.1.0.json", Version: "2.1.0"}
	index := map[string]int{}
	var rules []sarifRule
	for i, r := range Rules() {
		index[r.ID] = i
		rules = append(rules, sarifRule{r.ID, sarifText{r.Title}, sarifText{r.Why}})
	}
	levels := map[string]string{"error": "error", "warning": "warning", "advice": "note"}
	for _, r := range reports {
		run := sarifRun{
			Tool:              sarifTool{sarifDriver{Name: "Grotta", Version: version, Language: language, Rules: rules}},
			AutomationDetails: sarifID{r.Platform + "/"}, Language: language, NewlineSequences: []string{"\n"}, Results: []sarifResult{},
			Properties: map[string]string{"platform": r.Platform},
		}
		for _, f := range r.Findings {
			at := sarifLocation{PhysicalLocation: sarifPhysical{sarifArtifact{artifact}}}
			for _, id := range f.Entities {
				at.LogicalLocations = append(at.LogicalLocations, sarifLogical{id})
			}
			result := sarifResult{
				RuleID: f.Rule, RuleIndex: index[f.Rule], Level: levels[f.Severity], Message: sarifText{f.Message}, Locations: []sarifLocation{at},
				Properties: map[string]any{},
			}
			if f.Zone != "" {
				result.Properties["zone"] = f.Zone
			}
			if f.Point != nil {
				result.Properties["point"] = *f.Point
			}
			if f.Waived != "" {
				result.Suppressions = []sarifSuppression{{"external", f.Waived}}
			}
			run.Results = append(run.Results, result)
		}
		log.Runs = append(log.Runs, run)
	}
	return json.Marshal(log, json.Deterministic(true), jsontext.WithIndent("  "))
}
