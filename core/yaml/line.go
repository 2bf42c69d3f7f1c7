package yaml

import (
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"
)

// Line is the line, from 1, of the value at a JSON pointer in a text. Where the text has no such
// value, it is the line of the nearest value around it; 0 where the text cannot be read.
func Line(text []byte, pointer string) int {
	if checkNesting(text) != nil {
		return 0
	}
	var doc yaml.Node
	if err := yaml.Unmarshal(text, &doc); err != nil || len(doc.Content) == 0 {
		return 0
	}
	at, line := doc.Content[0], doc.Content[0].Line
	for _, name := range strings.Split(strings.TrimPrefix(pointer, "/"), "/") {
		next, nextLine := child(at, name)
		if next == nil {
			break
		}
		at, line = next, nextLine
	}
	return line
}

// child is the value of a name or index in a node, and the line that it begins on.
func child(n *yaml.Node, name string) (*yaml.Node, int) {
	switch n.Kind {
	case yaml.MappingNode:
		for i := 0; i+1 < len(n.Content); i += 2 {
			if n.Content[i].Value == name {
				return n.Content[i+1], n.Content[i].Line
			}
		}
	case yaml.SequenceNode:
		if i, err := strconv.Atoi(name); err == nil && i >= 0 && i < len(n.Content) {
			return n.Content[i], n.Content[i].Line
		}
	}
	return nil, 0
}
