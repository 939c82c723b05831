package plainyaml

import "testing"

func TestToJSON(t *testing.T) {
	for _, c := range []struct{ name, yaml, want string }{
		{"a map", "a: 1\nb: [x, y]", `{"a":1,"b":["x","y"]}`},
		{"JSON is YAML", `{"a": [1.5, null, true]}`, `{"a":[1.5,null,true]}`},
		{"not a number", "weights: [.nan, .inf, -.inf, 2]", `{"weights":["NaN","+Inf","-Inf",2]}`},
		{"keys that are no texts", "1: one\ntrue: yes\n", `{"1":"one","true":"yes"}`},
		{"nothing", "", `null`},
	} {
		got, err := ToJSON([]byte(c.yaml))
		if err != nil || string(got) != c.want {
			t.Errorf("%s: %s, %v; want %s", c.name, got, err, c.want)
		}
	}
	for _, bad := range []string{"a: [", "a: 1\na: 2", "\tx: 1", "a: *nowhere"} {
		if got, err := ToJSON([]byte(bad)); err == nil {
			t.Errorf("%q is read as %s", bad, got)
		}
	}
}
