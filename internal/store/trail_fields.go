package store

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
)

var assigned = regexp.MustCompile("`?(\\w+)`? = \\?")

// mostValue is the longest stored value of a field, in letters.
const mostValue = 300

// noted reads the columns of a row that an edit sets, so that changes can be recorded. args are their new values.
func (t *Tx) noted(table, id, set string, args []any) error {
	names := []string{}
	for _, m := range assigned.FindAllStringSubmatch(set, -1) {
		names = append(names, m[1])
	}
	if len(names) == 0 || len(names) != len(args) {
		return nil
	}
	before, after := make([]sql.NullString, len(names)), make([]sql.NullString, len(names))
	into, quoted := make([]any, len(names)), make([]string, len(names))
	for i, name := range names {
		into[i], quoted[i] = &before[i], "`"+name+"`"
	}
	query := fmt.Sprintf("SELECT %s FROM %s WHERE id = ?", strings.Join(quoted, ", "), table)
	if err := t.row(query, id).Scan(into...); err != nil {
		return nil // the edit reports a missing row
	}
	// The values as stored are compared, not the given ones.
	t.after = append(t.after, func() error {
		for i := range names {
			into[i] = &after[i]
		}
		if err := t.row(query, id).Scan(into...); err != nil {
			return translate(err)
		}
		for i, name := range names {
			t.compare(name, before[i].String, after[i].String)
		}
		return nil
	})
	return nil
}

// compare records the change of a field; for a document, of each of its members.
func (t *Tx) compare(name, before, after string) {
	if before == after {
		return
	}
	var old, now map[string]json.RawMessage
	if name == "document" && json.Unmarshal([]byte(before), &old) == nil && json.Unmarshal([]byte(after), &now) == nil {
		keys := slices.Sorted(maps.Keys(old))
		for _, key := range slices.Sorted(maps.Keys(now)) {
			if _, was := old[key]; !was {
				keys = append(keys, key)
			}
		}
		for _, key := range keys {
			if !bytes.Equal(old[key], now[key]) {
				t.fields = append(t.fields, FieldChange{key, shortened(string(old[key])), shortened(string(now[key]))})
			}
		}
		return
	}
	t.fields = append(t.fields, FieldChange{name, shortened(before), shortened(after)})
}

func shortened(value string) string {
	letters := []rune(value)
	if len(letters) <= mostValue {
		return value
	}
	return string(letters[:mostValue]) + "…"
}
