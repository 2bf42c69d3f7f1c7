package check

import (
	"cmp"
	"slices"
)

// Families of rules.
const (
	Limits  = "limits"  // what the target limits, supports and builds
	Closure = "closure" // where light gets in or is shut in
	Links   = "links"   // things that belong together and disagree
	Look    = "look"    // what looks careless
	Play    = "play"    // what a player does not see
)

// Families in the order of reports.
var Families = []string{Limits, Closure, Links, Look, Play}

// What a rule needs, cheap to dear.
const (
	Document = "the document"
	Layout   = "the layout"
	Rays     = "rays"
	Pictures = "what viewpoints see"
	Walk     = "where one can walk"
)

// Rule is one thing that is checked.
type Rule struct {
	ID         string
	Family     string
	Severities []Severity // that its findings may have
	Title      string     // what it finds
	Why        string     // why that matters
	Fix        string     // what its fix does; "" where it has none
	Needs      string
	run        func(*subject) []Finding
}

var all []Rule

// add puts a rule into the list; each file of rules does so for its own.
func add(rules ...Rule) bool {
	all = append(all, rules...)
	return true
}

// Rules are all rules, by family and id.
func Rules() []Rule {
	rules := slices.Clone(all)
	slices.SortFunc(rules, func(a, b Rule) int {
		return cmp.Or(slices.Index(Families, a.Family)-slices.Index(Families, b.Family), cmp.Compare(a.ID, b.ID))
	})
	return rules
}

// RuleNamed is the rule with an id; ok is false where there is none.
func RuleNamed(id string) (Rule, bool) {
	for _, r := range all {
		if r.ID == id {
			return r, true
		}
	}
	return Rule{}, false
}
