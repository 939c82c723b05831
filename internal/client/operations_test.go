package client

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestOperationsAreUsed compares the generated operations with those that dtally uses: an unused one belongs in the
// list of client.config.yaml that leaves it out.
func TestOperationsAreUsed(t *testing.T) {
	generated, err := os.ReadFile("client.gen.go")
	if err != nil {
		t.Fatal(err)
	}
	files, err := filepath.Glob("../cli/*.go")
	if err != nil || len(files) == 0 {
		t.Fatal(err, files)
	}
	var commands strings.Builder
	for _, file := range files {
		text, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		commands.Write(text)
	}
	operations := regexp.MustCompile(`(?m)^func \(c \*Client\) (\w+)\(`).FindAllStringSubmatch(string(generated), -1)
	if len(operations) < 50 {
		t.Fatalf("%d operations were found", len(operations))
	}
	for _, o := range operations {
		if !regexp.MustCompile(`\.` + o[1] + `\b`).MatchString(commands.String()) {
			t.Errorf("no command asks %s", o[1])
		}
	}
}
