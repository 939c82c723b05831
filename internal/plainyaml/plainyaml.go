// Package plainyaml converts YAML to JSON, so that one parser reports the faults of both.
package plainyaml

import (
	"encoding/json"
	"fmt"
	"math"

	"go.yaml.in/yaml/v3"
)

// ToJSON returns the JSON document for a YAML document (or JSON, which is YAML too). What JSON cannot represent – a
// number that is not finite, a key that is not text – becomes a text, so that the parser can point at it.
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
