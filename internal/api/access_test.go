package api_test

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"

	"dappertally/internal/store"
)

// accessFile is the table of who can call what, for administrators. With DTALLY_ACCESS=write the test writes it;
// people should look at the difference.
const accessFile = "../../docs/reference/permissions.md"

// caller is one kind of caller.
type caller struct{ title, header, value string }

// callers lists all kinds, those with the fewest rights first.
func (w *world) callers(st *store.Store, review string) []caller {
	w.t.Helper()
	ctx, at := w.t.Context(), time.Now()
	session := func(name string, enrols bool) string {
		p, err := st.Person(ctx, name)
		if err != nil {
			w.t.Fatal(err)
		}
		x := store.Session{Created: at, Expires: at.Add(time.Hour), Enrol: enrols}
		secret := fmt.Sprint("session of ", name, enrols)
		if err := st.AddSession(ctx, secret, p.ID, &x); err != nil {
			w.t.Fatal(err)
		}
		return "dtally_session=" + strings.ReplaceAll(secret, " ", "%20")
	}
	token := func(name, secret, review string, expires time.Time) string {
		p, err := st.Person(ctx, name)
		if err != nil {
			w.t.Fatal(err)
		}
		if _, err := st.Write(ctx, "", today, func(tx *store.Tx) error {
			return tx.AddToken(&store.Token{Label: "test", Roles: p.Roles, Review: review, Created: at, Expires: expires},
				secret, p.ID, 20)
		}); err != nil {
			w.t.Fatal(err)
		}
		return "Bearer " + secret
	}
	for _, name := range []string{"roleless", "shut"} {
		w.must(201, "perrin", "POST", "/api/v1/people", map[string]any{"name": name, "title": name, "roles": []string{}})
	}
	shut := token("shut", "dt_shut", "", at.Add(time.Hour))
	if _, err := st.Write(ctx, "", today, func(tx *store.Tx) error {
		p, err := st.Person(ctx, "shut")
		if err != nil {
			return err
		}
		return tx.EditPerson(&store.Person{
			ID: p.ID, Revision: p.Revision, Name: "shut", Title: "Shut", Roles: []string{"lead", "administrator"},
		})
	}); err != nil {
		w.t.Fatal(err)
	}
	w.must(200, "perrin", "PUT", "/api/v1/people/shut/disabled", map[string]any{"disabled": true})
	return []caller{
		{"a token that has ended", "Authorization", token("marit", "dt_ended", "", at.Add(-time.Minute))},
		{"a disabled account", "Authorization", shut},
		{"nobody", "X-Nobody", "1"},
		{"an account without roles", "Cookie", session("roleless", false)},
		{"a lead who still needs a passkey", "Cookie", session("marit", true)},
		{"a machine signed into the review", "Authorization", token("tomas", "dt_machine", review, at.Add(time.Hour))},
		{"reviewer", "Cookie", session("tomas", false)},
		{"lead", "Cookie", session("marit", false)},
		{"a lead's token", "Authorization", "Bearer " + w.tokens["marit"]},
		{"administrator", "Cookie", session("perrin", false)},
	}
}

// sample returns the smallest valid value of a schema.
func sample(s *openapi3.Schema, name string) any {
	if len(s.AllOf) > 0 {
		return sample(s.AllOf[0].Value, name)
	}
	if len(s.Enum) > 0 {
		return s.Enum[len(s.Enum)-1]
	}
	switch {
	case s.Type.Is("object"):
		object := map[string]any{}
		for _, field := range s.Required {
			object[field] = sample(s.Properties[field].Value, field)
		}
		return object
	case s.Type.Is("array"):
		list := []any{}
		for range s.MinItems {
			list = append(list, sample(s.Items.Value, name))
		}
		return list
	case s.Type.Is("integer"), s.Type.Is("number"):
		if s.Min != nil {
			return *s.Min
		}
		return 1
	case s.Type.Is("boolean"):
		return true
	}
	switch {
	case s.Format == "date-time":
		return "2026-01-01T00:00:00Z"
	case strings.Contains(s.Pattern, "[0-9a-f]{8}"):
		return "01a22639-d721-71ab-bb33-143989c477b3"
	}
	return strings.Repeat("x", max(int(s.MinLength), 3))
}

// anEntry is an id that no entry has yet.
const anEntry = "01a22639-d721-71ab-bb33-143989c477b3"

// told lists, by operation, fields of the body that repeat the address or must have a certain value.
var told = map[string]map[string]any{
	"PUT /rigs/{rig}":                        {"key": "bench-old"},
	"PUT /distributions/{distribution}":      {"key": "mossgate"},
	"PUT /releases/{distribution}/{release}": {"distribution": "mossgate", "version": "12"},
	"PUT /editions/{distribution}/{release}/{edition}": {
		"distribution": "mossgate",
		"release":      "12",
		"key":          "hearthside",
	},
	"PUT /checklists/{checklist}/{version}":                      {"key": "workshop", "version": 2},
	"PUT /checklists/{checklist}/{version}/audiences/{audience}": {"key": "pensioner"},
	"PUT /known-issues/{issue}":                                  {"key": "some-issue"},
	"PUT /mappings/{mapping}":                                    {"name": "some-mapping"},
	"PUT /reviews/{id}/entries/{entry}": {
		"journal": map[string]any{"id": anEntry, "text": "A word.", "at": "2026-01-01T00:00:00Z"},
	},
	"PATCH /proposals/{id}":   {"state": "declined"},
	"POST /checklists/effect": {"key": "workshop"},
	"POST /session/second":    {"code": "AAAAA-AAAAA"},
}

// retold sets the fields of a body that repeat the address.
func retold(body any, operation string) {
	object, ok := body.(map[string]any)
	if !ok {
		return
	}
	more := told[operation]
	for field, value := range object {
		retold(value, operation)
		if known, ok := more[field]; ok {
			object[field] = known
		}
	}
	for _, field := range []string{"journal", "code"} {
		if known, ok := more[field]; ok {
			object[field] = known
		}
	}
}

// subjects are the values for the parameters of addresses. They exist, so that a caller with the right does not get
// 404.
func (w *world) subjects(review string) func(path, part string) string {
	w.t.Helper()
	w.everyRead(review)
	id := func(path, list string) string {
		var found map[string][]struct{ ID string }
		w.must(200, "marit", "GET", "/api/v1/"+path, nil).into(w.t, &found)
		if len(found[list]) == 0 {
			return store.NewID()
		}
		return found[list][0].ID
	}
	ids := map[string]string{"reviews": review, "plans": id("plans", "plans"), "proposals": id("proposals", "proposals")}
	values := map[string]string{
		"distribution": "mossgate", "release": "12", "edition": "hearthside", "rig": "bench-old", "checklist": "workshop",
		"version": "2", "older": "1", "criterion": "week-of-use", "issue": "some-issue", "audience": "pensioner",
		"mapping": "some-mapping", "line": "hearthside", "person": "odile", "report": "some-report", "code": "BBBB-BBBB",
		"provider": "house", "reading": store.NewID(), "entry": anEntry, "placing": store.NewID(),
		"measurement": store.NewID(),
	}
	return func(path, part string) string {
		if part == "id" {
			if known := ids[strings.Split(path, "/")[1]]; known != "" {
				return known
			}
			return store.NewID()
		}
		return values[part]
	}
}

// TestWhoMayAskWhat calls every operation of the contract as every kind of caller and compares the results with the
// table.
func TestWhoMayAskWhat(t *testing.T) {
	t.Parallel()
	st := filled.Open(t)
	w := newWorldOn(t, st)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	of, callers := w.subjects(review), w.callers(st, review)
	doc, err := openapi3.NewLoader().LoadFromFile("../contract/openapi.yaml")
	if err != nil {
		t.Fatal(err)
	}
	lines := map[string]string{}
	var last []func() // operations that end a session of the caller
	for _, path := range slices.Sorted(maps.Keys(doc.Paths.Map())) {
		operations := doc.Paths.Value(path).Operations()
		for _, method := range slices.Sorted(maps.Keys(operations)) {
			op := operations[method]
			ask := func() { lines[path+" "+method] = w.access(callers, method, path, op, of) }
			if path == "/session" && method == "DELETE" || path == "/people/{person}/sessions" && method == "DELETE" {
				last = append(last, ask)
				continue
			}
			ask()
		}
	}
	for _, ask := range last {
		ask()
	}
	var table strings.Builder
	table.WriteString(accessHead)
	table.WriteString("| operation |")
	for _, c := range callers {
		table.WriteString(" " + c.title + " |")
	}
	table.WriteString("\n| --- |" + strings.Repeat(" --- |", len(callers)) + "\n")
	for _, key := range slices.Sorted(maps.Keys(lines)) {
		table.WriteString(lines[key])
	}
	if os.Getenv("DTALLY_ACCESS") == "write" {
		if err := os.WriteFile(accessFile, []byte(table.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	kept, err := os.ReadFile(accessFile)
	if err != nil {
		t.Fatal(err)
	}
	if string(kept) != table.String() {
		was, is := strings.Split(string(kept), "\n"), strings.Split(table.String(), "\n")
		for _, line := range is {
			if !slices.Contains(was, line) {
				t.Errorf("not in %s: %s", accessFile, line)
			}
		}
		t.Errorf("who may ask what has changed; look at it, and write the table by DTALLY_ACCESS=write")
	}
}

const accessHead = `# Permissions

Who may ask what.

Each operation of the contract, asked by each sort of caller: **yes** – it is answered, or refused for what it says; **no** – it is
refused because of who asks (401, 403); **hidden** – to them there is no such thing (404). A test asks all of them and holds the answers to this table.
"The review" is one that is underway.

`

// forgive clears the failed sign-ins, of which this test makes many.
func (w *world) forgive() {
	w.t.Helper()
	for _, name := range []string{"*", "*device", "*set-up", "xxx", "roleless", "tomas", "marit", "perrin"} {
		if err := w.store.ForgetFailures(w.t.Context(), name, "127.0.0.1/32"); err != nil {
			w.t.Fatal(err)
		}
	}
}

// access calls one operation as each kind of caller and returns its line of the table.
func (w *world) access(
	callers []caller, method, path string, op *openapi3.Operation, of func(path, part string) string,
) string {
	w.t.Helper()
	at := path
	for open := strings.Index(at, "{"); open >= 0; open = strings.Index(at, "{") {
		end := strings.Index(at, "}")
		value := of(path, at[open+1:end])
		if value == "" {
			w.t.Fatalf("%s: nothing to fill in for %s", path, at[open:end+1])
		}
		at = at[:open] + value + at[end+1:]
	}
	sep := "?"
	for _, p := range op.Parameters {
		if p.Value.In == "query" && p.Value.Required {
			value, ok := map[string]string{"edition": "mossgate/12/hearthside&edition=gullhaven/5.2/hearthside", "base": "workshop@2"}[p.Value.Name]
			if !ok {
				value = fmt.Sprint(sample(p.Value.Schema.Value, p.Value.Name))
			}
			at += sep + p.Value.Name + "=" + value
			sep = "&"
		}
	}
	var body any
	if op.RequestBody != nil {
		body = sample(op.RequestBody.Value.Content["application/json"].Schema.Value, "")
		retold(body, method+" "+path)
	}
	line := fmt.Sprintf("| `%s %s` |", method, path)
	told := 0
	for _, c := range callers {
		w.forgive()
		r := w.call("", method, "/api/v1"+at, body, c.header, c.value, "If-Match", "99999")
		cell := "yes"
		switch {
		case r.status == 401 || r.status == 403:
			cell = "no"
		case r.status == 404:
			cell = "hidden"
		case r.status >= 500 || r.status == 429:
			w.t.Errorf("%s %s as %s: %d %s", method, at, c.title, r.status, r.body)
		}
		if cell != "hidden" {
			told++
		}
		line += " " + cell + " |"
	}
	if told == 0 {
		w.t.Errorf("%s %s: nobody is told more than that it is not there", method, at)
	}
	return line + "\n"
}
