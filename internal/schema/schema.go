// Package schema describes bundles, checklist files and report files in JSON Schema, for editors and other programs.
// What a schema cannot express (a reading's context, a curve's direction) is checked by the parser.
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
	"dappertally/core/reporting"
)

// The file names of the schemas.
const (
	BundleFile    = "bundle.schema.json"
	ChecklistFile = "checklist.schema.json"
	ReportFile    = "report.schema.json"
)

// Files lists the type for each file, by its name.
var Files = map[string]func() ([]byte, error){BundleFile: Bundle, ChecklistFile: Checklist, ReportFile: Report}

// chosen lists the values of fields that have a fixed set.
var chosen = map[string][]string{
	"Distribution.model": catalogue.Models, "Release.tier": catalogue.Tiers, "Release.stage": catalogue.Stages, "Rig.class": catalogue.Classes,
	"Review.state": reading.ReviewStates, "Reading.bound": reading.Bounds, "Answer.check": reading.Checks,
	"Checklist.state":  {string(checklist.Draft), string(checklist.InForce), string(checklist.Retired)},
	"Policy.reviewers": {"mean", "median"}, "Policy.rigs": {checklist.AsMeasured, checklist.Adjusted},
	"Criterion.kind": kinds(), "Criterion.better": {"lower", "higher"}, "Criterion.across": {"worst"},
	"Criterion.scope": {
		string(checklist.ScopeEdition),
		string(checklist.ScopeRelease),
		string(checklist.ScopeDistribution),
	},
	"Runs.summary": {"median", "mean", "best"},
	"Curve.shape":  checklist.Shapes,
	"Read.figure":  words(checklist.Figures), "Sampling.caches": {checklist.CachesKept, checklist.CachesDropped},
	"Read.frames": checklist.FrameStatistics, "Rule.when": words(checklist.Conditions()), "Rule.do": words(checklist.Responses),
}

func kinds() []string { return words(checklist.Kinds) }

func words[T ~string](all []T) []string {
	out := make([]string, len(all))
	for i, x := range all {
		out[i] = string(x)
	}
	return out
}

// Bundle returns the JSON Schema (2020-12) of a bundle.
func Bundle() ([]byte, error) {
	s := reflected(&bundle.Bundle{}, "Dapper Tally bundle, version 1")
	b := s.Definitions["Bundle"].Properties
	format, _ := b.Get("format")
	format.Const = bundle.Format
	version, _ := b.Get("version")
	version.Const = bundle.Version
	return written(s)
}

// Checklist returns the JSON Schema (2020-12) of a checklist file.
func Checklist() ([]byte, error) {
	return written(reflected(&checklist.Checklist{}, "Dapper Tally checklist file"))
}

// Report returns the JSON Schema (2020-12) of the file in which a report is written.
func Report() ([]byte, error) {
	s := reflected(&reporting.Spec{}, "Dapper Tally report file")
	spec := s.Definitions["Spec"]
	spec.Required = []string{"title"} // without parts a new report starts with the standard ones
	kind, _ := s.Definitions["Part"].Properties.Get("kind")
	for _, k := range reporting.Kinds {
		kind.OneOf = append(kind.OneOf, &jsonschema.Schema{Const: k.Key, Title: k.Title, Description: k.Says})
	}
	return written(s)
}

// reflected returns the schema of a type: its fields, their meaning, and their fixed values.
func reflected(of any, title string) *jsonschema.Schema {
	r := jsonschema.Reflector{Mapper: mapped}
	s := r.Reflect(of)
	s.ID, s.Title = "", title
	for name, of := range s.Definitions {
		for pair := of.Properties.Oldest(); pair != nil; pair = pair.Next() {
			field := name + "." + pair.Key
			for _, w := range chosen[field] {
				pair.Value.Enum = append(pair.Value.Enum, w)
			}
			if text := meanings[field]; text != "" {
				pair.Value.Description = text
			}
		}
	}
	return s
}

func written(s *jsonschema.Schema) ([]byte, error) {
	text, err := json.MarshalIndent(s, "", " ")
	if err != nil {
		return nil, fmt.Errorf("writing the schema: %w", err)
	}
	return append(text, '\n'), nil
}

// mapped returns the schema of types with their own encoding.
func mapped(t reflect.Type) *jsonschema.Schema {
	if t != reflect.TypeFor[reading.Fact]() {
		return nil
	}
	return &jsonschema.Schema{
		Description: "a text, a number or a list of texts",
		OneOf: []*jsonschema.Schema{
			{Type: "string"},
			{Type: "number"},
			{Type: "array", Items: &jsonschema.Schema{Type: "string"}},
		},
	}
}
