package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// inBash returns what bash offers at the end of a line, as after Tab twice.
const inBash = `. /usr/share/bash-completion/bash_completion
. "$HOME/completion"
compopt() { :; }
COMP_LINE="dtally $*" COMP_POINT=$((${#COMP_LINE} + 0)) COMP_WORDS=(dtally "$@") COMP_CWORD=$# COMP_TYPE=63
__start_dtally
printf '%s\n' "${COMPREPLY[@]}"`

const inFish = `source "$HOME/completion"; complete -C "dtally $argv"`

// inZsh types a line and Tab in a terminal, and returns the screen.
const inZsh = `zmodload zsh/zpty
zpty -b t "TERM=dumb PS1='> ' zsh -f -i"
until_shown() { local n; for n in {1..100}; do
  while zpty -r -t t chunk; do out+=$chunk; done
  [[ $out == *$1* ]] && return; sleep 0.1; done }
out=; zpty -w t "fpath=($HOME/functions \$fpath); autoload -U compinit; compinit -u -D; bindkey '^I' complete-word; LISTMAX=1000; print REA''DY"
until_shown READY
out=; zpty -n -w t "dtally $*"$'\t'
until_shown "$WANTED"
print -r -- "$out"
zpty -d t`

// Completion works in the three shells, for fixed choices and for keys that the service has.
func TestCompletionInShells(t *testing.T) {
	t.Parallel()
	server := serve(t)
	home := t.TempDir()
	if err := os.Mkdir(filepath.Join(home, "functions"), 0o755); err != nil {
		t.Fatal(err)
	}
	for shell, run := range map[string][]string{
		"bash": {"bash", "--norc", "--noprofile", "-c", inBash, "bash"}, "fish": {"fish", "--no-config", "-c", inFish}, "zsh": {"zsh", "-f", "-c", inZsh, "zsh"},
	} {
		t.Run(shell, func(t *testing.T) {
			script, err := exec.Command(filepath.Join(bin, "dtally"), "completion", shell).Output()
			if err != nil {
				t.Fatal(err)
			}
			for _, file := range []string{"completion", "functions/_dtally"} {
				if err := os.WriteFile(filepath.Join(home, file), script, 0o644); err != nil {
					t.Fatal(err)
				}
			}
			for _, c := range []struct{ line, want string }{
				{"rank --output t", "table"},                   // a fixed choice
				{"steadiness --vary rea", "readings"},          // another
				{"checklist exp", "export"},                    // a command
				{"rank --audience pens", "pensioner"},          // a key of the service
				{"edition show gullhaven/5.2/h", "hearthside"}, // and one with slashes
				{"checklist export work", "workshop@"},         // and one with its versions
			} {
				cmd := exec.CommandContext(
					t.Context(),
					run[0],
					append(run[1:len(run):len(run)], strings.Fields(c.line)...)...)
				cmd.WaitDelay = time.Second
				cmd.Env = append(
					os.Environ(),
					"HOME="+home,
					"XDG_CONFIG_HOME="+home,
					"PATH="+bin+":"+os.Getenv("PATH"),
					"DTALLY_SERVER="+server,
					"DTALLY_TOKEN=",
					"WANTED="+c.want,
				)
				out, err := cmd.CombinedOutput()
				if err != nil || !strings.Contains(string(out), c.want) {
					t.Errorf("dtally %s and Tab: %v, offers\n%s", c.line, err, out)
				}
			}
		})
	}
}
