package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"filippo.io/age"
	"github.com/spf13/cobra"

	"dappertally/internal/dbtest"
	"dappertally/internal/ops"
)

var (
	anyFence = regexp.MustCompile("(?s)```[a-z]*\n(.*?)```")
	aComment = regexp.MustCompile(`\s{2,}# .*$`)
	aCommand = regexp.MustCompile(`^(\$ )?(.*\b(?:bin/)?dtallyd?\b .*)$`)
	chained  = regexp.MustCompile(`; (bin/)?dtally `)
)

// commandsOf returns the commands of this product in a document's code blocks.
func commandsOf(t *testing.T, file string) (lines []string) {
	t.Helper()
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	for _, block := range anyFence.FindAllStringSubmatch(string(text), -1) {
		dialogue := strings.Contains("\n"+block[1], "\n$ ") // lines without $ are output
		for line := range strings.Lines(block[1]) {
			line = aComment.ReplaceAllString(strings.TrimSpace(line), "")
			found := aCommand.FindStringSubmatch(line)
			if found == nil || dialogue && found[1] == "" || strings.HasPrefix(line, "#") {
				continue
			}
			// Each command of a line must succeed, not only the last.
			lines = append(lines, chained.ReplaceAllString(found[2], " && ${1}dtally "))
		}
	}
	return lines
}

// TestDocsRun runs the commands of these pages in their order, each page on a fresh demo. TestGuide does so for the
// guide for reviewers.
func TestDocsRun(t *testing.T) {
	for file, least := range map[string]int{
		"../docs/tutorial/tour.md": 60, "../docs/guides/leads.md": 9, "../docs/reference/bundle.md": 3,
		"../docs/guides/readers.md": 9, "../docs/explanation/scores.md": 1,
	} {
		t.Run(filepath.Base(file), func(t *testing.T) {
			t.Parallel()
			lines := commandsOf(t, file)
			if len(lines) < least {
				t.Errorf("%d commands are found, not %d: %q", len(lines), least, lines)
			}
			e := newExample(t, serve(t))
			for name, at := range map[string]string{"bin": bin, "core": "../core", "docs": "../docs"} {
				whole, err := filepath.Abs(at)
				if err != nil {
					t.Fatal(err)
				}
				if err := os.Symlink(whole, filepath.Join(e.dir, name)); err != nil {
					t.Fatal(err)
				}
			}
			for _, line := range lines {
				if !strings.Contains(line, "dtallyd") {
					e.run(line)
				}
			}
		})
	}
}

// backupOfHelp is the name of the backup in the help and the guide.
const backupOfHelp = "dtally-20261130T020000Z.gz"

// sealedBackup makes an encrypted backup, and the key to decrypt it.
func sealedBackup(t *testing.T, dir, database string) {
	t.Helper()
	key, err := age.GenerateX25519Identity()
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "backup.key"), []byte(key.String()+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	dtallydMust(t, "backup", filepath.Join(dir, backupOfHelp+".age"), "--recipient", key.Recipient().String(),
		"--database", database)
}

// TestServiceExamplesRun runs the examples of the service's help, and the commands of the guide for administrators,
// with a settings file and folders of their own.
func TestServiceExamplesRun(t *testing.T) {
	var help []string
	var walk func(*cobra.Command)
	walk = func(cmd *cobra.Command) {
		help = append(help, strings.Split(cmd.Example, "\n")...)
		for _, c := range cmd.Commands() {
			walk(c)
		}
	}
	walk(ops.Command())
	order := []string{
		"migrate",
		"check",
		"account",
		"audit",
		"settings",
		"backup",
		"restore",
	} // files that one command creates are there for the next
	verb := func(line string) int {
		return slices.IndexFunc(order, func(v string) bool { return strings.Contains(line, "dtallyd "+v) })
	}
	slices.SortStableFunc(help, func(a, b string) int { return verb(a) - verb(b) })
	for name, lines := range map[string][]string{"help": help, "guide": commandsOf(t, "../docs/guides/administrators.md")} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir, ran := t.TempDir(), 0
			database, empty := filled.DSN(t), dbtest.DSN(t)
			for file, dsn := range map[string]string{"dtally.yaml": database, "empty.yaml": empty} {
				if err := os.WriteFile(filepath.Join(dir, file), []byte("database: '"+dsn+"'\nlisten: 127.0.0.1:0\n"), 0o600); err != nil {
					t.Fatal(err)
				}
			}
			sealedBackup(t, dir, database)
			for _, line := range lines {
				line = strings.TrimSpace(line)
				if verb(line) < 0 {
					continue // serve and demo do not end; other tests run them
				}
				config := "dtally.yaml"
				if strings.Contains(line, "restore") || strings.Contains(line, "account add") {
					config = "empty.yaml"
				}
				// Examples with a private database run on the shared server here: TestOneMachine runs private ones.
				line := strings.NewReplacer("--data /var/lib/dtally-new", "--config /etc/dtally.yaml",
					"--data /var/lib/dtally", "--config /etc/dtally.yaml").Replace(line)
				database := database
				if strings.Contains(line, "restore") && !strings.Contains(line, "--dry-run") {
					database = dbtest.DSN(t)
					config = "restored.yaml"
					if err := os.WriteFile(filepath.Join(dir, config), []byte("database: '"+database+"'\n"), 0o600); err != nil {
						t.Fatal(err)
					}
				}
				typed := strings.NewReplacer(
					"/etc/dtally.yaml",
					filepath.Join(dir, config),
					"dtally:SECRET@tcp(127.0.0.1:3306)/dtally",
					database,
					"/var/backups/dtally/"+backupOfHelp,
					filepath.Join(dir, "dtally.gz"),
					" FILE",
					" "+filepath.Join(dir, "dtally.gz"),
					"/var/backups",
					dir,
					"/root/backup.key",
					filepath.Join(dir, "backup.key"),
				).Replace(line)
				cmd := exec.Command("sh", "-c", typed)
				cmd.Dir, cmd.Env, cmd.Stdin = dir, append(
					os.Environ(), "PATH="+bin+":"+os.Getenv("PATH"),
				), strings.NewReader("keys-under-the-mat\n")
				if out, err := cmd.CombinedOutput(); err != nil {
					t.Errorf("$ %s\n%v\n%s", line, err, out)
				}
				ran++
			}
			if ran < 7 {
				t.Errorf("%d commands ran", ran)
			}
		})
	}
}
