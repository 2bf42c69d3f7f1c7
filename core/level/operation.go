package level

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
)

// Kinds of operation.
const (
	OpAdd    = "add"
	OpSet    = "set"
	OpRemove = "remove"
	OpBatch  = "batch"
)

// Operation is one change of a level. Applying it yields its inverse, so that
// every edit can be undone.
type Operation struct {
	Op     string         `json:"op" enum:"add,set,remove,batch"`
	Label  string         `json:"label,omitzero" maxLength:"120" doc:"What a person would call it; made up where left out."`
	Part   string         `json:"part,omitzero" enum:"images,materials,zones,solids,geometries,meshes,rigs,lights,glows,fog_volumes,beams,motes,viewpoints,paths,probes,reflections,mixes,profiles,imports,waivers" doc:"add: the list it goes to."`
	Index  *int           `json:"index,omitzero" minimum:"0" doc:"add: where in the list; the end if left out."`
	Entity map[string]any `json:"entity,omitzero" doc:"add: the entity; fields left out take their defaults."`
	ID     string         `json:"id,omitzero" maxLength:"64" doc:"set, remove: which entity; none means the level itself."`
	Fields map[string]any `json:"fields,omitzero" doc:"set: new values by dotted path, such as \"shadows.cast\"; null puts the default back."`
	Steps  []Operation    `json:"steps,omitzero" maxItems:"1000" doc:"batch: operations that hold or fail as one."`
}

// Set builds a set operation from pairs of path and value.
func Set(id string, fields map[string]any) Operation {
	return Operation{Op: OpSet, ID: id, Fields: fields}
}

// Add builds an add operation from an entity such as *Light.
func Add(part string, entity any) Operation {
	text, err := Encode(entity)
	if err != nil {
		panic(err) // only types of this package come here
	}
	var tree map[string]any
	if err := json.Unmarshal(text, &tree); err != nil {
		panic(err)
	}
	return Operation{Op: OpAdd, Part: part, Entity: tree}
}

// Remove builds a remove operation.
func Remove(id string) Operation { return Operation{Op: OpRemove, ID: id} }

// Batch builds an operation of several steps.
func Batch(label string, steps ...Operation) Operation {
	return Operation{Op: OpBatch, Label: label, Steps: steps}
}

// Touched lists what an operation changes, each as "id" for a whole entity or
// "id/path" for a field, and the value it would write; the level itself has the
// id "". Two operations clash where they touch the same with different values.
func (op Operation) Touched() map[string]any {
	touched := map[string]any{}
	switch op.Op {
	case OpAdd:
		if id, ok := op.Entity["id"].(string); ok {
			touched[id] = op.Entity
		}
	case OpRemove:
		touched[op.ID] = nil
	case OpSet:
		for path, value := range op.Fields {
			touched[op.ID+"/"+path] = value
		}
	case OpBatch:
		for _, step := range op.Steps {
			maps.Copy(touched, step.Touched())
		}
	}
	return touched
}

// Describe is the operation's label, or a line made from what it does.
func (op Operation) Describe() string {
	if op.Label != "" {
		return op.Label
	}
	switch op.Op {
	case OpAdd:
		return fmt.Sprintf("add %v to %s", op.Entity["id"], op.Part)
	case OpRemove:
		return "remove " + op.ID
	case OpSet:
		id := op.ID
		if id == "" {
			id = "level"
		}
		var parts []string
		for _, path := range slices.Sorted(maps.Keys(op.Fields)) {
			if value, err := json.Marshal(op.Fields[path], json.Deterministic(true)); err == nil && len(value) < 40 {
				parts = append(parts, fmt.Sprintf("%s = %s", path, value))
			} else {
				parts = append(parts, path)
			}
		}
		return id + ": " + strings.Join(parts, ", ")
	}
	return fmt.Sprintf("%d changes", len(op.Steps))
}
