package cli

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/spf13/cobra"
)

// Every command that the help lists has a manual page, with its flags and examples.
func TestManual(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "man1")
	root := Command()
	root.SetArgs([]string{"manual", dir})
	if err := root.Execute(); err != nil {
		t.Fatal(err)
	}
	pages := 0
	var each func(c *cobra.Command)
	each = func(c *cobra.Command) {
		if !c.IsAvailableCommand() && c != root || c.Name() == "help" {
			return
		}
		pages++
		text, err := os.ReadFile(filepath.Join(dir, strings.ReplaceAll(c.CommandPath(), " ", "-")+".1"))
		if err != nil {
			t.Error(err)
		}
		if c.Example != "" && !bytes.Contains(text, []byte(".SH EXAMPLE")) {
			t.Errorf("the page of %s has no examples", c.CommandPath())
		}
		for _, x := range c.Commands() {
			each(x)
		}
	}
	each(root)
	if pages < 150 {
		t.Errorf("%d pages", pages)
	}
}

func TestVersion(t *testing.T) {
	root := Command()
	var out bytes.Buffer
	root.SetOut(&out)
	root.SetArgs([]string{"--version"})
	if err := root.Execute(); err != nil || !strings.HasPrefix(out.String(), "dtally version ") ||
		len(out.String()) < 20 {
		t.Errorf("%q, %v", out.String(), err)
	}
}
