package api

import (
	"bufio"
	"encoding/json"
	"errors"
	"io"
	"mime/multipart"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dappertally/core/bundle"
	"dappertally/core/catalogue"
	"dappertally/core/fault"
	"dappertally/internal/imports"
	"dappertally/internal/intake"
	"dappertally/internal/problem"
	"dappertally/internal/survey"
)

// An import is a form of two parts, options and file. The answer is lines of JSON while it runs: rows, progress, and
// at the end the result or the error. Imports are not part of the contract's strict handlers, which keep whole bodies
// in memory.
const (
	importPath = base + "/imports/:what"
	importTime = 15 * time.Minute
)

// importOptions are how a file is read and what is done with it.
type importOptions struct {
	Form    string            `json:"form,omitempty"`    // csv, json, jsonl, yaml or xlsx; for readings also tap
	Mapping string            `json:"mapping,omitempty"` // name of a saved mapping; empty or own: as exported here
	Inline  *imports.Mapping  `json:"inline,omitempty"`  // a mapping that is not saved, instead
	Fields  map[string]string `json:"fields,omitempty"`  // values for all rows
	Trial   bool              `json:"trial,omitempty"`   // only show what would be done
	Rows    string            `json:"rows,omitempty"`    // which rows are reported: all, changed (without unchanged ones), refused
	Date    string            `json:"date,omitempty"`    // for a new release
	Model   string            `json:"model,omitempty"`   // for a new distribution
}

// growth is about how many bytes an import takes in the database for each byte of its file, with indexes and undo
// logs.
const growth = 4

// roomToTake refuses a file if the database's disk is known to have no space for it.
func (h *handlers) roomToTake(c *gin.Context) error {
	if !whoAsks(c).SignedIn() {
		return nil // it will be refused for another reason
	}
	return h.ledger.RoomFor(growth * uint64(max(c.Request.ContentLength, 0)))
}

func (h *handlers) takeIn(c *gin.Context) {
	control := http.NewResponseController(c.Writer)
	until := time.Now().Add(importTime)
	if err := errors.Join(control.SetWriteDeadline(until), control.SetReadDeadline(until)); err != nil {
		refuse(c, err)
		return
	}
	if err := h.roomToTake(c); err != nil {
		refuse(c, err)
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, intake.LargestImport)
	options, file, err := importForm(c.Request)
	if err != nil {
		refuse(c, err)
		return
	}
	if c.Param("what") == "look" {
		h.look(c, &options, file)
		return
	}
	out := &lines{w: c.Writer, out: bufio.NewWriter(c.Writer), rows: options.Rows, ready: func() {
		c.Header("Content-Type", "application/x-ndjson")
		c.Header("Cache-Control", "no-store")
		c.Header("X-Accel-Buffering", "no")
		c.Status(http.StatusOK)
	}}
	var done intake.Imported
	switch c.Param("what") {
	case "readings":
		done, err = h.takeReadings(c, &options, file, out)
	case "bundle":
		done, err = h.takeBundle(c, &options, file, out)
	case "catalogue":
		done, err = h.takeCatalogue(c, &options, file, out)
	case "system":
		done, err = h.takeSystem(c, &options, file, out)
	default:
		err = problem.New(
			problem.NotFound, "you can import a catalogue, readings, a bundle or a system, not %s", c.Param("what"),
		)
	}
	if err != nil && !out.begun {
		refuse(c, err)
		return
	}
	if err != nil {
		out.line(map[string]any{"failed": problemOf(c, err)})
	} else {
		if done.Change > 0 { // the answer has begun; whoever imports can try again at once
			_, _ = h.ledger.State(c.Request.Context(), done.Change)
		}
		out.line(map[string]any{"done": done})
	}
	out.flush()
}

// look answers with the columns or tests of a file, so that a mapping can be written.
func (h *handlers) look(c *gin.Context, o *importOptions, file io.Reader) {
	if _, err := h.intake.Mappings(c.Request.Context(), whoAsks(c)); err != nil {
		refuse(c, err) // whoever cannot import needs no look either
		return
	}
	delimiter := ""
	if o.Inline != nil {
		delimiter = o.Inline.Delimiter
	}
	glance, err := imports.Look(file, o.Form, delimiter)
	if err != nil {
		refuse(c, unreadable(err))
		return
	}
	c.JSON(http.StatusOK, glance)
}

// importForm reads the options and opens the file after them.
func importForm(r *http.Request) (importOptions, *multipart.Part, error) {
	var o importOptions
	bad := func(format string, args ...any) error {
		return problem.New(problem.Invalid, format, args...)
	}
	form, err := r.MultipartReader()
	if err != nil {
		return o, nil, bad("send a form (multipart/form-data) with the parts options and file, in this order")
	}
	for {
		part, err := form.NextPart()
		if err != nil {
			return o, nil, bad("the form has no part file")
		}
		switch part.FormName() {
		case "options":
			d := json.NewDecoder(io.LimitReader(part, 1<<20))
			d.DisallowUnknownFields()
			if err := d.Decode(&o); err != nil {
				return o, nil, bad("the options: %s", err)
			}
		case "file":
			return o, part, nil
		}
	}
}

// lines writes the answer line by line.
type lines struct {
	w     http.ResponseWriter
	out   *bufio.Writer
	rows  string
	ready func()
	begun bool
	last  time.Time
}

func (l *lines) line(v any) {
	if !l.begun {
		l.begun = true
		l.ready()
	}
	data, err := json.Marshal(v)
	if err != nil {
		return // these values can always be encoded
	}
	_, _ = l.out.Write(append(data, '\n')) // an absent caller is noticed when the request ends
	if time.Since(l.last) > 200*time.Millisecond {
		l.flush()
	}
}

func (l *lines) flush() {
	l.last = time.Now()
	_ = l.out.Flush()
	_ = http.NewResponseController(l.w).Flush()
}

func (l *lines) watch() intake.Watch {
	return intake.Watch{
		Rows: l.rows,
		Row:  func(o *intake.Outcome) { l.line(map[string]any{"row": o}) },
		Progress: func(phase string, done, of int) {
			l.line(map[string]any{"progress": map[string]any{"phase": phase, "done": done, "of": of}})
		},
	}
}

func (h *handlers) takeReadings(c *gin.Context, o *importOptions, file io.Reader, out *lines) (intake.Imported, error) {
	var none intake.Imported
	m, err := h.importMapping(c, o)
	if err != nil {
		return none, err
	}
	reader, err := imports.Open(file, &m)
	if err != nil {
		return none, unreadable(err)
	}
	drafts, err := reader.All(intake.MostImported, nil)
	if err != nil {
		return none, unreadable(err)
	}
	return h.intake.ImportReadings(c.Request.Context(), whoAsks(c), drafts, o.Trial, out.watch())
}

// unreadable returns the error for a file that cannot be parsed.
func unreadable(err error) error {
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		return problem.New(problem.Invalid, "the file is larger than %d MiB; split it", large.Limit>>20)
	}
	return problem.New(problem.Invalid, "the file cannot be read: %s", err.Error())
}

func (h *handlers) importMapping(c *gin.Context, o *importOptions) (imports.Mapping, error) {
	var m imports.Mapping
	switch {
	case o.Inline != nil:
		m = *o.Inline
		if m.Name == "" {
			m.Name = "unsaved"
		}
	case o.Mapping == "" || o.Mapping == "own":
		m = imports.Own(o.Form)
	default:
		saved, err := h.intake.Mapping(c.Request.Context(), whoAsks(c), o.Mapping)
		if err != nil {
			return m, err
		}
		m = saved.Mapping
	}
	if m.Fields == nil {
		m.Fields = map[string]imports.Field{}
	}
	for name, value := range o.Fields {
		m.Fields[name] = imports.Field{Value: value}
	}
	var book fault.Book
	m.Validate(&book)
	if faults := book.List(); len(faults) > 0 {
		return m, problem.Rejected("the mapping", faults)
	}
	return m, nil
}

func (h *handlers) takeBundle(c *gin.Context, o *importOptions, file io.Reader, out *lines) (intake.Imported, error) {
	b, err := bundle.Parse(file, intake.LargestImport)
	var faults fault.List
	if errors.As(err, &faults) {
		return intake.Imported{}, problem.Rejected("the bundle", faults)
	}
	if err != nil {
		return intake.Imported{}, unreadable(err)
	}
	return h.intake.ImportBundle(c.Request.Context(), whoAsks(c), b, o.Trial, out.watch())
}

// takeCatalogue imports distributions, releases, editions and rigs.
func (h *handlers) takeCatalogue(
	c *gin.Context,
	o *importOptions,
	file io.Reader,
	out *lines,
) (intake.Imported, error) {
	entries, err := imports.ReadCatalogue(file, o.Form)
	if err != nil {
		return intake.Imported{}, unreadable(err)
	}
	return h.intake.ImportCatalogue(c.Request.Context(), whoAsks(c), entries, o.Trial, out.watch())
}

// takeSystem imports an os-release file, or a survey of the system.
func (h *handlers) takeSystem(c *gin.Context, o *importOptions, file io.Reader, out *lines) (intake.Imported, error) {
	const largest = 4 << 20
	data, err := io.ReadAll(io.LimitReader(file, largest))
	if err != nil {
		return intake.Imported{}, unreadable(err)
	}
	named, err := systemIn(data)
	if err != nil {
		return intake.Imported{}, unreadable(err)
	}
	return h.intake.ImportSystem(
		c.Request.Context(),
		whoAsks(c),
		intake.Installed{Named: named, Date: o.Date, Model: o.Model},
		o.Trial,
		out.watch(),
	)
}

// systemIn returns the system that a file describes: os-release, or a survey.
func systemIn(data []byte) (catalogue.Named, error) {
	text := strings.TrimSpace(string(data))
	if !strings.HasPrefix(text, "{") {
		n := catalogue.NamedBy(catalogue.ParseOSRelease(text))
		if n.ID == "" && n.Name == "" {
			return n, errors.New("it is neither a survey nor an os-release file: it has no system name")
		}
		return n, nil
	}
	var v survey.Survey
	if err := json.Unmarshal([]byte(text), &v); err != nil || v.Format != survey.Format {
		return catalogue.Named{}, errors.New("it is not a survey; dtally survey --output json writes one")
	}
	n := v.Named()
	if n.ID == "" && n.Name == "" {
		return n, errors.New("the survey has no system name")
	}
	return n, nil
}
