// Package schema says in JSON Schema what a bundle looks like, for programs that are
// not ours. What only the rules can tell (a reading's context, a curve's direction) is
// the parser's to refuse.
package schema

import (
	"encoding/json"
	"fmt"
	"reflect"

	"github.com/invopop/jsonschema"

	"dappertally/core/bundle"
	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// chosen lists what a field may hold where it holds one of a few words.
var chosen = map[string][]string{
	"Distribution.model": catalogue.Models, "Release.tier": catalogue.Tiers, "Release.stage": catalogue.Stages, "Rig.class": catalogue.Classes,
	"Review.state": reading.ReviewStates, "Reading.bound": reading.Bounds, "Answer.check": reading.Checks, "Checklist.state": {string(checklist.Draft), string(checklist.InForce), string(checklist.Retired)},
}

// Bundle is the JSON Schema (2020-12) of a bundle.
func Bundle() ([]byte, error) {
	r := jsonschema.Reflector{Mapper: mapped}
	s := r.Reflect(&bundle.Bundle{})
	s.ID, s.Title = "", "Dapper Tally bundle, version 1"
	for name, of := range s.Definitions {
		for pair := of.Properties.Oldest(); pair != nil; pair = pair.Next() {
			if words, ok := chosen[name+"."+pair.Key]; ok {
				for _, w := range words {
					pair.Value.Enum = append(pair.Value.Enum, w)
				}
			}
		}
	}
	if b := s.Definitions["Bundle"]; b != nil {
		format, _ := b.Properties.Get("format")
		format.Const = bundle.Format
		version, _ := b.Properties.Get("version")
		version.Const = bundle.Version
	}
	text, err := json.MarshalIndent(s, "", " ")
	if err != nil {
		return nil, fmt.Errorf("writing the schema: %w", err)
	}
	return append(text, '\n'), nil
}

// mapped is the form of types that write themselves.
func mapped(t reflect.Type) *jsonschema.Schema {
	if t != reflect.TypeFor[reading.Fact]() {
		return nil
	}
	return &jsonschema.Schema{
		Description: "a text, a number or a list of texts",
		OneOf:       []*jsonschema.Schema{{Type: "string"}, {Type: "number"}, {Type: "array", Items: &jsonschema.Schema{Type: "string"}}},
	}
}

// Name is the name of the file in which the schema ships.
const Name = "bundle.schema.json"
