package tables_test

import (
	"errors"
	"io"
	"strings"
	"testing"

	"dappertally/internal/tables"
)

// FuzzRead reads any table to its end, or returns what is wrong with it.
func FuzzRead(f *testing.F) {
	for form, text := range map[string]string{
		"csv":   "edition,grade\nmossgate/12/hearthside,7\n",
		"json":  `[{"edition":"mossgate/12/hearthside","grade":7}]`,
		"jsonl": "{\"grade\":7}\n{\"grade\":null}\n",
		"yaml":  "- grade: 7\n- grade: .nan\n",
	} {
		f.Add(form, text)
		f.Add(form, "")
		f.Add(form, "\ufeff"+text+"\x00")
	}
	f.Fuzz(func(t *testing.T, form, text string) {
		if form == "xlsx" {
			return // workbooks are read by a library
		}
		source, err := tables.Read(strings.NewReader(text), form, 0)
		if err != nil {
			return
		}
		for rows := 0; ; rows++ {
			_, err := source.Next()
			if errors.Is(err, io.EOF) {
				return
			}
			if err != nil {
				if strings.TrimSpace(err.Error()) == "" {
					t.Error("a row is refused without a reason")
				}
				return
			}
			if rows > len(text)+1 {
				t.Fatalf("%d rows of %d bytes", rows, len(text))
			}
		}
	})
}
