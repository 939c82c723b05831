package main

import (
	"cmp"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
)

// methods are in the order of display.
var methods = []string{"GET", "POST", "PUT", "PATCH", "DELETE"}

// operations lists every operation of the contract with its parameters, its body and its answers.
func operations(document []byte) (string, error) {
	spec, err := openapi3.NewLoader().LoadFromData(document)
	if err != nil {
		return "", err
	}
	var out strings.Builder
	out.WriteString(
		"# Operations of the API\n\nEvery operation of the contract, below `/api/v1`. [The API](api.md) explains what they " +
			"have in common, and [Permissions](permissions.md) who may use each. " +
			"The forms of bodies and answers, such as `Ranking`, are " +
			"in the contract, which the service serves at `/api/openapi.yaml`.\n\n" + generated + "\n",
	)
	out.WriteString(
		"\n## Filters\n\n" +
			"All computed results take these parameters, which choose the checklist, the weights and the editions:\n\n",
	)
	for _, p := range spec.Paths.Value("/tipping").Get.Parameters {
		if p.Ref != "" {
			out.WriteString(parameter(p.Value))
		}
	}
	for _, at := range slices.Sorted(maps.Keys(spec.Paths.Map())) {
		fmt.Fprintf(&out, "\n## %s\n", at)
		item := spec.Paths.Value(at)
		for _, method := range methods {
			if op := item.GetOperation(method); op != nil {
				out.WriteString(operation(method, at, item, op))
			}
		}
	}
	return out.String(), nil
}

func operation(method, at string, item *openapi3.PathItem, op *openapi3.Operation) string {
	var out strings.Builder
	fmt.Fprintf(&out, "\n### %s %s\n\n%s\n\n", method, at, sentence(op.Summary))
	if op.Description != "" {
		fmt.Fprintf(&out, "%s\n\n", strings.TrimSpace(op.Description))
	}
	parameters := append(slices.Clone(item.Parameters), op.Parameters...)
	filters := slices.ContainsFunc(
		parameters,
		func(p *openapi3.ParameterRef) bool { return strings.HasSuffix(p.Ref, "/SectionWeight") },
	)
	for _, p := range parameters {
		if !filters || p.Ref == "" || p.Value.In != "query" {
			out.WriteString(parameter(p.Value))
		}
	}
	if filters {
		out.WriteString("- the [filters](#filters)\n")
	}
	if op.RequestBody != nil {
		fmt.Fprintf(&out, "- takes %s\n", forms(op.RequestBody.Value.Content))
	}
	answers := op.Responses.Map()
	for _, status := range slices.Sorted(maps.Keys(answers)) {
		if strings.HasPrefix(status, "2") {
			what := forms(answers[status].Value.Content)
			fmt.Fprintf(&out, "- answers %s: %s\n", status, cmp.Or(what, "nothing"))
		}
	}
	return out.String()
}

func parameter(x *openapi3.Parameter) string {
	name := fmt.Sprintf("`%s`", x.Name)
	if x.In != "query" {
		name += " (" + x.In + ")"
	}
	if x.Required && x.In != "path" {
		name += ", required"
	}
	return fmt.Sprintf("- %s\n", strings.TrimSuffix(name+": "+meaning(x), ": "))
}

// sentence returns a summary with a full stop.
func sentence(text string) string {
	return escaped.Replace(strings.TrimSuffix(strings.TrimSpace(text), ".")) + "."
}

// meaning describes a parameter and its possible values.
func meaning(p *openapi3.Parameter) string {
	says := escaped.Replace(strings.TrimSpace(p.Description))
	schema := p.Schema.Value
	if schema.Items != nil {
		schema = schema.Items.Value
	}
	if len(schema.Enum) == 0 {
		return says
	}
	values := make([]string, len(schema.Enum))
	for i, v := range schema.Enum {
		values[i] = fmt.Sprintf("`%v`", v)
	}
	return strings.TrimPrefix(says+"; one of "+strings.Join(values, ", "), "; ")
}

// forms describes what a body holds.
func forms(content openapi3.Content) string {
	all := make([]string, 0, len(content))
	for _, kind := range slices.Sorted(maps.Keys(content)) {
		name := kind
		if schema := content[kind].Schema; schema != nil && schema.Ref != "" {
			name = "`" + path.Base(schema.Ref) + "`"
		}
		all = append(all, name)
	}
	return strings.Join(all, " or ")
}
