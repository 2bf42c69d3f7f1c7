package check

import (
	"fmt"
	"strings"
)

var familyTitles = map[string]string{
	Limits:  "Limits and build: what the target limits, supports and bakes",
	Closure: "Closure: where light gets in, or is shut in",
	Links:   "Links: things that belong together and disagree",
	Look:    "Look: what looks careless",
	Play:    "Play: what a player does not see",
}

// Markdown is the documentation of all rules: a table, then each with its reason.
func Markdown() string {
	var b strings.Builder
	rules := Rules()
	fmt.Fprintf(&b, "## All %d rules\n\n| rule | family | severity | needs | has a fix |\n| --- | --- | --- | --- | --- |\n", len(rules))
	for _, r := range rules {
		fix := ""
		if r.Fix != "" {
			fix = "yes"
		}
		fmt.Fprintf(&b, "| [%s](#%s) | %s | %s | %s | %s |\n", r.ID, strings.ReplaceAll(r.ID, ".", ""), r.Family, severities(&r), r.Needs, fix)
	}
	for _, family := range Families {
		fmt.Fprintf(&b, "\n## %s\n", familyTitles[family])
		for _, r := range rules {
			if r.Family != family {
				continue
			}
			fmt.Fprintf(&b, "\n### %s\n\n%s\n\n- Severity: %s. It needs %s.\n- Why: %s\n", r.ID, r.Title, severities(&r), r.Needs, r.Why)
			if r.Fix != "" {
				fmt.Fprintf(&b, "- Its fix %s.\n", r.Fix)
			}
		}
	}
	return b.String()
}

func severities(r *Rule) string {
	words := make([]string, len(r.Severities))
	for i, s := range r.Severities {
		words[i] = string(s)
	}
	return strings.Join(words, " or ")
}
