package api_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"mime/multipart"
	"strings"
	"testing"

	"dappertally/internal/intake"
)

// outcome is the answer to an import, line by line.
type outcome struct {
	rows     []intake.Outcome
	progress int
	done     struct {
		New, Same, Replaces, Refused int
		Written                      bool
	}
}

// form is a form with options and a file.
func form(t *testing.T, options, file string) (body, mediaType string) {
	t.Helper()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	if err := w.WriteField("options", options); err != nil {
		t.Fatal(err)
	}
	part, err := w.CreateFormFile("file", "file")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := part.Write([]byte(file)); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return b.String(), w.FormDataContentType()
}

func (w *world) takeIn(status int, who, what, options, file string) (o outcome, r *reply) {
	w.t.Helper()
	body, mediaType := form(w.t.(*testing.T), options, file)
	r = w.must(status, who, "POST", "/api/v1/imports/"+what, body, "Content-Type", mediaType)
	if status != 200 {
		return o, r
	}
	for line := range strings.Lines(string(r.body)) {
		var said map[string]json.RawMessage
		if err := json.Unmarshal([]byte(line), &said); err != nil {
			w.t.Fatalf("%v in %s", err, line)
		}
		switch {
		case said["row"] != nil:
			var row intake.Outcome
			if err := json.Unmarshal(said["row"], &row); err != nil {
				w.t.Fatal(err)
			}
			o.rows = append(o.rows, row)
		case said["progress"] != nil:
			o.progress++
		case said["done"] != nil:
			if err := json.Unmarshal(said["done"], &o.done); err != nil {
				w.t.Fatal(err)
			}
		default:
			w.t.Fatalf("a line says nothing known: %s", line)
		}
	}
	return o, r
}

func TestImportsOverTheNetwork(t *testing.T) {
	w := newWorld(t, true)
	const row = "edition,criterion,rig,at,answer\nquaymark/22.1/latchwork,browser-start,bench-old,2026-11-18T09:00:00Z,4.1 4.2\n"
	for _, c := range []struct {
		who, what, options, file string
		status                   int
		says                     string
	}{
		{"", "readings", `{"form":"csv"}`, row, 401, "sign in"},
		{"perrin", "readings", `{"form":"csv"}`, row, 403, "you need the role"},
		{"ines", "bundle", `{}`, `{}`, 422, "in the bundle"},
		{"ines", "nonsense", `{}`, row, 404, "can import"},
		{"ines", "readings", `{`, row, 422, "options"},
		{"ines", "readings", `{"colour":1}`, row, 422, "colour"},
		{"ines", "readings", `{"form":"docx"}`, row, 422, "must be one of"},
		{"ines", "readings", `{"form":"csv","mapping":"none"}`, row, 404, "no mapping"},
		{"ines", "readings", `{"form":"csv","inline":{"name":"x","form":"csv","fields":{"colour":{"column":"a"}}}}`, row, 422, "no such field"},
		{"ines", "readings", `{"form":"csv"}`, "", 422, "the file is empty"},
		{"ines", "readings", `{"form":"csv"}`, "a,b\n1,2\n", 422, "no column"},
		{"ines", "readings", `{"form":"xlsx"}`, row, 422, "not a workbook"},
		{"ines", "readings", `{"form":"json"}`, "{", 422, "cannot be read"},
		{"ines", "system", `{}`, "nothing here", 422, "has no system name"},
		{"ines", "system", `{}`, `{"format":"x"}`, 422, "not a survey"},
		{"ines", "look", `{"form":"tap"}`, "ok 1\n", 422, "no plan"},
		{"perrin", "look", `{"form":"csv"}`, row, 403, "you need the role"},
	} {
		if _, r := w.takeIn(c.status, c.who, c.what, c.options, c.file); !strings.Contains(
			strings.ToLower(string(r.body)), strings.ToLower(c.says),
		) {
			t.Errorf("%s %s as %q: %s, want %q", c.what, c.options, c.who, r.body, c.says)
		}
	}
	w.must(422, "ines", "POST", "/api/v1/imports/readings", "x")
	w.must(
		422, "ines", "POST", "/api/v1/imports/readings", "--x--\r\n", "Content-Type", "multipart/form-data; boundary=x",
	)

	var many strings.Builder
	many.WriteString(row)
	for i := range 2500 {
		fmt.Fprintf(
			&many,
			"quaymark/22.1/latchwork,browser-start,bench-old,2026-10-%02dT%02d:%02d:00Z,%d\n",
			1+i/1440,
			i/60%24,
			i%60,
			3+i%40,
		)
	}
	o, _ := w.takeIn(200, "ines", "readings", `{"form":"csv","trial":true}`, many.String())
	if o.done.New != 2501 || o.done.Written || len(o.rows) != 2501 || o.progress < 1 || o.rows[0].Reviewer != "ines" {
		t.Errorf("on trial: %+v, %d rows, %d times progress", o.done, len(o.rows), o.progress)
	}
	o, _ = w.takeIn(200, "ines", "readings", `{"form":"csv","rows":"refused"}`, many.String())
	if o.done.New != 2501 || !o.done.Written || len(o.rows) != 0 {
		t.Errorf("%+v, %d rows", o.done, len(o.rows))
	}
	o, _ = w.takeIn(
		200,
		"ines",
		"readings",
		`{"form":"csv","rows":"changed"}`,
		many.String()+"quaymark/22.1/latchwork,colour,,,1\n",
	)
	if o.done.Same != 2501 || o.done.Refused != 1 || o.done.Written || len(o.rows) != 1 || o.rows[0].Line != 2503 {
		t.Errorf("%+v, %+v", o.done, o.rows)
	}
	_, r := w.takeIn(
		200,
		"ines",
		"system",
		`{"trial":true,"date":"2026-11-01"}`,
		`{"format":"dapper-tally/survey","facts":[{"key":"os.id","value":"quaymark"},{"key":"os.version","value":"22.1"},{"key":"os.variant","value":"latchwork"},{"key":"desktop.name","value":"Awning"}]}`,
	)
	if !strings.Contains(string(r.body), `the catalogue has the desktop`) ||
		!strings.Contains(string(r.body), `"same":3`) {
		t.Errorf("a survey of what is there: %s", r.body)
	}
	body, mediaType := form(t, `{"form":"csv"}`, row)
	if r := w.must(200, "ines", "POST", "/api/v1/imports/look", body, "Content-Type", mediaType); !strings.Contains(
		string(r.body),
		`"columns":["edition","criterion","rig","at","answer"]`,
	) {
		t.Errorf("a glance shows %s", r.body)
	}
}

// TestImportTellsNoGrade tries to guess a colleague's grade by importing guesses.
func TestImportTellsNoGrade(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	w.record(200, "ines", review, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 7}})
	guess := func(who, grade string) outcome {
		t.Helper()
		o, _ := w.takeIn(
			200,
			who,
			"readings",
			`{"form":"csv","trial":true}`,
			"review,criterion,reviewer,answer\n"+review+",week-of-use,ines,"+grade+"\n",
		)
		return o
	}
	right, wrong := guess("tomas", "7"), guess("tomas", "3")
	right.rows[0].Answer, wrong.rows[0].Answer = "", ""
	if fmt.Sprint(right) != fmt.Sprint(wrong) || right.done.Refused != 1 {
		t.Errorf("a right guess is told %+v, a wrong one %+v", right, wrong)
	}
	if o := guess("marit", "7"); o.done.Same != 1 {
		t.Errorf("the lead, who does not review: %+v", o)
	}
}

func TestExports(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	for _, what := range []string{"readings", "reviews", "scorecards", "points", "ranking"} {
		for form, mediaType := range map[string]string{"csv": "text/csv", "json": "application/json", "jsonl": "application/jsonl", "yaml": "application/yaml", "xlsx": "application/vnd.openxml", "md": "text/markdown"} {
			r := w.must(200, "", "GET", "/api/v1/exports/"+what+"?form="+form, nil)
			if !strings.HasPrefix(r.header.Get("Content-Type"), mediaType) ||
				!strings.Contains(r.header.Get("Content-Disposition"), `filename="`+what) ||
				len(r.body) < 200 {
				t.Errorf("%s as %s: %v, %d bytes", what, form, r.header, len(r.body))
			}
		}
		w.must(422, "", "GET", "/api/v1/exports/"+what+"?form=doc", nil)
	}
	w.must(404, "", "GET", "/api/v1/exports/secrets", nil)
	w.must(404, "", "GET", "/api/v1/exports/ranking?audience=nobody", nil)
	w.must(422, "", "GET", "/api/v1/exports/ranking?at=yesterday", nil)
	w.must(404, "", "GET", "/api/v1/exports/readings?edition=quaymark/22.1/latchwork", nil) // under way
	if r := w.must(200, "", "GET", "/api/v1/exports/ranking?form=svg&audience=pensioner", nil); !strings.Contains(
		string(r.body), "for pensioners",
	) {
		t.Errorf("a figure:\n%.300s", r.body)
	}
	if r := w.must(200, "", "GET", "/api/v1/exports/ranking?form=png", nil); !bytes.HasPrefix(
		r.body, []byte("\x89PNG"),
	) {
		t.Error("a picture is none")
	}
	if r := w.must(200, "", "GET", "/api/v1/exports/readings?form=tap&edition=mossgate/12/hearthside", nil); !strings.HasPrefix(
		string(r.body), "TAP version 14\n1..",
	) ||
		!strings.Contains(string(r.body), "- wireless") {
		t.Errorf("TAP:\n%.300s", r.body)
	}
}
