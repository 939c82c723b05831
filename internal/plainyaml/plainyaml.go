// Package plainyaml reads YAML that says what JSON could say.
package plainyaml

import (
	"encoding/json"

	"gopkg.in/yaml.v3"
)

// ToJSON turns a YAML document, of which JSON is one, into JSON.
func ToJSON(text []byte) ([]byte, error) {
	var v any
	if err := yaml.Unmarshal(text, &v); err != nil {
		return nil, err
	}
	return json.Marshal(v)
}
