package check

// Known is of how many lights something is known.
func (sub *Subject) Known() int { return len(sub.lights) }
