package api_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"

	"dappertally/internal/access"
	"dappertally/internal/contract"
	"dappertally/internal/service"
)

// TestCapabilitiesOverTheNetwork checks what each person may do according to the session and to resources, in the words
// of the contract.
func TestCapabilitiesOverTheNetwork(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(contract.Document)
	if err != nil {
		t.Fatal(err)
	}
	var words []string
	for _, x := range doc.Components.Schemas["Capability"].Value.Enum {
		words = append(words, x.(string))
	}
	everything := &access.Actor{ID: "1", Roles: access.Roles}
	if all := service.Capabilities(everything); len(all) != len(words) ||
		slices.ContainsFunc(all, func(a access.Action) bool { return !slices.Contains(words, a.Key) }) {
		t.Errorf("the contract knows %v, the permissions %v", words, all)
	}

	w := newWorld(t, true)
	var session struct{ May []string }
	for person, may := range map[string][2]string{
		"":       {"", "record-readings"},
		"tomas":  {"record-readings", "accept-reviews"},
		"marit":  {"accept-reviews", "manage-people"},
		"perrin": {"manage-people", "record-readings"},
	} {
		w.must(200, person, "GET", "/api/v1/session", nil).into(t, &session)
		if (may[0] != "" && !slices.Contains(session.May, may[0])) || slices.Contains(session.May, may[1]) {
			t.Errorf("%q may %v", person, session.May)
		}
	}
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	for person, may := range map[string]string{"ines": "begin", "marit": "withdraw"} {
		var r struct{ May []string }
		w.must(200, person, "GET", "/api/v1/reviews/"+review, nil).into(t, &r)
		if !slices.Contains(r.May, may) || slices.Contains(r.May, "accept") {
			t.Errorf("%s may %v with a planned review", person, r.May)
		}
	}
}

// TestConsoleKnowsNoRoles checks that the console asks what may be done and names no role, except on the pages about
// accounts, which show and assign roles.
func TestConsoleKnowsNoRoles(t *testing.T) {
	seen := 0
	err := filepath.WalkDir("../../web/src", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || strings.HasSuffix(path, ".gen.ts") {
			return err
		}
		text, err := os.ReadFile(path)
		seen++
		if strings.Contains(path, "/pages/people/") {
			return err
		}
		if strings.Contains(string(text), ".roles") || strings.Contains(string(text), "useRoles") {
			t.Errorf("%s asks for roles; it can ask what may be done", path)
		}
		return err
	})
	if err != nil || seen < 50 {
		t.Fatalf("%d files: %v", seen, err)
	}
}
