package imports

import (
	"bufio"
	"fmt"
	"io"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// result is one line of test results.
type result struct {
	line       int
	ok         bool
	name       string
	skip, todo string // the reason
	skipped    bool
	open       bool // to do: not expected to work yet
	around     bool // works, but only with a workaround: our own directive
}

var (
	tapPlan   = regexp.MustCompile(`^1\.\.(\d+)\s*(?:#\s*(.*))?$`)
	tapResult = regexp.MustCompile(`^(not ok|ok)\b\s*(\d+)?\s*-?\s*(.*)$`)
	tapSkip   = regexp.MustCompile(`(?i)\s+#\s*(skip|todo|workaround)\S*\s*(.*)$`)
)

// openTAP reads results in the Test Anything Protocol, versions 12 to 14, and makes readings of checks and counts
// from them. Incomplete results are rejected: missing ones would look like tests that were never tried.
func openTAP(in io.Reader, m *Mapping) (*Reader, error) {
	results, err := parseTAP(in)
	if err != nil {
		return nil, err
	}
	r := &Reader{mapping: m}
	counts := map[string]*Draft{}
	var order []*Draft
	base := Draft{}
	for field, into := range map[string]*string{
		"review": &base.Review, "edition": &base.Edition, "reviewer": &base.Reviewer, "rig": &base.Rig, "system": &base.System, "method": &base.Method, "setup": &base.Setup, "phase": &base.Phase, "note": &base.Note,
	} {
		*into = m.Fields[field].Value
	}
	for _, t := range results {
		d := base
		d.Line, d.Column = t.line, t.name
		is := m.meaning(t.name)
		if is == "-" {
			continue
		}
		criterion, item, counted := strings.Cut(is, "/")
		if is == "" {
			d.Fault = fmt.Sprintf(
				"the mapping has no entry for %q; name a criterion, criterion/item, or - to skip it", t.name,
			)
			order = append(order, &d)
			continue
		}
		d.Criterion = criterion
		if !counted {
			d.Answer, d.NotTested = t.check()
			order = append(order, &d)
			continue
		}
		whole := counts[criterion]
		if whole == nil {
			whole = &d
			counts[criterion] = whole
			order = append(order, whole)
		}
		if strings.Contains(" "+whole.Answer+" ", " "+item+"=") {
			whole.Fault = fmt.Sprintf("two tests are %s", is)
		}
		whole.Answer = strings.TrimSpace(whole.Answer + " " + item + "=" + t.item())
	}
	for _, d := range order {
		r.ready = append(r.ready, *d)
	}
	return r, nil
}

// meaning returns what a test's name stands for, empty if nothing matches.
func (m *Mapping) meaning(name string) string {
	if m.Name == "own" {
		return name // our own exports use the keys as names
	}
	i := slices.IndexFunc(m.Tests, func(t Test) bool { return strings.EqualFold(t.Name, name) })
	if i < 0 {
		i = slices.IndexFunc(m.Tests, func(t Test) bool {
			fits, err := path.Match(strings.ReplaceAll(t.Name, "/", "\x00"), strings.ReplaceAll(name, "/", "\x00"))
			return err == nil && fits
		})
	}
	if i < 0 {
		return ""
	}
	return m.Tests[i].Is
}

func (t *result) check() (answer, notTested string) {
	switch {
	case t.skipped:
		return "", or(t.skip, "skipped")
	case t.open && !t.ok:
		return "", or(t.todo, "not expected to work yet")
	case t.ok && t.around:
		return "workaround", ""
	case t.ok:
		return "works", ""
	}
	return "fails", ""
}

func (t *result) item() string {
	switch {
	case t.skipped, t.open && !t.ok:
		return "untried"
	case t.ok && t.around:
		return "workaround"
	case t.ok:
		return "worked"
	}
	return "failed"
}

func parseTAP(in io.Reader) ([]result, error) {
	scanner := bufio.NewScanner(in)
	scanner.Buffer(make([]byte, 1<<16), 1<<20)
	var results []result
	planned, line, diagnostics := -1, 0, ""
	for scanner.Scan() {
		line++
		text := strings.TrimRight(scanner.Text(), " \t\r")
		indent := text[:len(text)-len(strings.TrimLeft(text, " \t"))]
		switch {
		case diagnostics != "":
			if strings.TrimSpace(text) == "..." {
				diagnostics = ""
			}
			continue
		case indent != "" && strings.TrimSpace(text) == "---":
			diagnostics = indent
			continue
		case indent != "" || text == "" || strings.HasPrefix(text, "#") || strings.HasPrefix(text, "TAP version") || strings.HasPrefix(text, "pragma"):
			continue // subtests are summarized by the line after them
		case strings.HasPrefix(text, "Bail out!"):
			return nil, fmt.Errorf(
				"line %d: the tests were aborted: %s", line, strings.TrimSpace(strings.TrimPrefix(text, "Bail out!")),
			)
		}
		if m := tapPlan.FindStringSubmatch(text); m != nil {
			if planned >= 0 {
				return nil, fmt.Errorf("line %d: the plan appears twice: are these two runs", line)
			}
			planned, _ = strconv.Atoi(m[1])
			continue
		}
		m := tapResult.FindStringSubmatch(text)
		if m == nil {
			continue // output of a test
		}
		results = append(results, newResult(line, m))
		if n, err := strconv.Atoi(m[2]); err == nil && n != len(results) {
			return nil, fmt.Errorf(
				"line %d: this is test %d, but %d was expected: results are missing or out of order",
				line,
				n,
				len(results),
			)
		}
	}
	if err := scanner.Err(); err != nil {
		return nil, err
	}
	switch {
	case planned < 0:
		return nil, fmt.Errorf("there is no plan (1..N): results may be missing")
	case planned != len(results):
		return nil, fmt.Errorf("%d tests were planned and %d have results: the run was interrupted", planned, len(results))
	}
	return results, nil
}

func newResult(line int, m []string) result {
	t := result{line: line, ok: m[1] == "ok", name: m[3]}
	if d := tapSkip.FindStringSubmatchIndex(t.name); d != nil {
		word, reason := strings.ToLower(t.name[d[2]:d[3]]), t.name[d[4]:d[5]]
		t.name = t.name[:d[0]]
		switch word {
		case "skip":
			t.skipped, t.skip = true, reason
		case "todo":
			t.open, t.todo = true, reason
		default:
			t.around = true
		}
	}
	t.name = strings.TrimSpace(t.name)
	return t
}
