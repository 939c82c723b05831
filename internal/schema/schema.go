// Package schema says in JSON Schema what a bundle, a checklist file and a report file
// look like, for editors and programs that are not ours. What only the rules can tell (a reading's
// context, a curve's direction) is the parser's to refuse.
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

// The names of the files in which the schemas ship.
const (
	BundleFile    = "bundle.schema.json"
	ChecklistFile = "checklist.schema.json"
	ReportFile    = "report.schema.json"
)

// Files lists what each file is made of, by its name.
var Files = map[string]func() ([]byte, error){BundleFile: Bundle, ChecklistFile: Checklist, ReportFile: Report}

// chosen lists what a field may hold where it holds one of a few words.
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

// Bundle is the JSON Schema (2020-12) of a bundle.
func Bundle() ([]byte, error) {
	s := reflected(&bundle.Bundle{}, "Dapper Tally bundle, version 1")
	b := s.Definitions["Bundle"].Properties
	format, _ := b.Get("format")
	format.Const = bundle.Format
	version, _ := b.Get("version")
	version.Const = bundle.Version
	return written(s)
}

// Checklist is the JSON Schema (2020-12) of a checklist file.
func Checklist() ([]byte, error) {
	return written(reflected(&checklist.Checklist{}, "Dapper Tally checklist file"))
}

// Report is the JSON Schema (2020-12) of the file that a report is written in.
func Report() ([]byte, error) {
	s := reflected(&reporting.Spec{}, "Dapper Tally report file")
	spec := s.Definitions["Spec"]
	spec.Required = []string{"title"} // without parts a new report begins with the usual ones
	kind, _ := s.Definitions["Part"].Properties.Get("kind")
	for _, k := range reporting.Kinds {
		kind.OneOf = append(kind.OneOf, &jsonschema.Schema{Const: k.Key, Title: k.Title, Description: k.Says})
	}
	return written(s)
}

// reflected is the schema of a type: its fields, what each means, and the words that
// those with few words may hold.
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

// mapped is the form of types that write themselves.
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
