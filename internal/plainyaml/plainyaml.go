// Package plainyaml reads YAML as the JSON that it stands for, so that one parser
// says what is wrong with either.
package plainyaml

import (
	"encoding/json"
	"fmt"
	"math"

	"go.yaml.in/yaml/v3"
)

// ToJSON gives the JSON document that a YAML document (or JSON, which is YAML too)
// stands for. What JSON cannot say – a number that is none, a key that is no text –
// becomes a text, so that the parser can point at it.
func ToJSON(text []byte) ([]byte, error) {
	var v any
	if err := yaml.Unmarshal(text, &v); err != nil {
		return nil, err
	}
	return json.Marshal(sayable(v))
}

func sayable(v any) any {
	switch v := v.(type) {
	case float64:
		if math.IsNaN(v) || math.IsInf(v, 0) {
			return fmt.Sprint(v)
		}
	case []any:
		for i := range v {
			v[i] = sayable(v[i])
		}
	case map[string]any:
		for k := range v {
			v[k] = sayable(v[k])
		}
	case map[any]any:
		texts := make(map[string]any, len(v))
		for k, x := range v {
			texts[fmt.Sprint(k)] = sayable(x)
		}
		return texts
	}
	return v
}
