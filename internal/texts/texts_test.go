package texts_test

import (
	"regexp"
	"strings"
	"testing"

	"dappertally/internal/texts"
)

// instead lists phrases that readers stumble over, each with its replacement.
var instead = map[string]string{
	`carr(y|ied|ies) (it |them |everything )?away`: "export, download",
	`\b(is|was|are|were|be) taken in\b`:            "imported, accepted",
	`\bhand(ed|s|ing)? in\b`:                       "submit",
	`\bweigh(s|ed)? anew\b|re-weighted`:            "change the weight",
	`\ba must\b|\bmusts\b`:                         "required, gates",
	`what earns points`:                            "scoring rule",
	`\bwishes\b|\bwished for\b|\bvoices\b`:         "requests, requested",
	`\bloose ends?\b`:                              "open items",
	`\bto look into\b|there is to look into`:       "data quality, needs attention",
	`the team's rules`:                             "settings",
	`\bin the making\b`:                            "draft",
	`editions that stand\b|\bstands with\b`:        "accepted editions, current review",
	`through the eyes of`:                          "weighted for",
	`\bshaken\b`:                                   "varied at random",
	`how sure is`:                                  "how steady is",
	`try other weights|weights of your own`:        "change the weights, custom weights",
	`narrow the (field|group)`:                     "filter",
	`the first three now|known so far`:             "current top three, reference values",
	`\b(is|are|was|were) told\b`:                   "is shown, reported",
	`nothing is said of`:                           "has no answer",
	`was not taken; the errors`:                    "rejected",
	`the old one leads on`:                         "the old key redirects",
	`nobody is there to answer`:                    "no terminal: pass --yes",
	`a new look`:                                   "review due",
	`asked for by`:                                 "requested by",
	`\bthe kit\b|\bkit's\b|\bin kit\b`:             "test files",
	`\bthe shots\b|\bshots of\b`:                   "standard screenshots",
	`\btroubles\b|\b(a|the) trouble\b`:             "known issues",
	`\bdoubts\b`:                                   "data quality",
	`\blet in\b|\btake in\b|\btakes in\b`:          "accept, import",
	`\bis meant\b|\bare meant\b`:                   "say what is due or required",
	`\bdid well for\b|\bis behind in\b`:            "ahead, behind, difference",
	`\bshakes\b|\bshaking\b`:                       "vary, varied",
	`keeps? (the|your|my) (weights|rule|draft)\b`:  "save",
}

// former reports whether a text names what earlier versions had.
func former(x texts.Text) bool { return x.File == "CHANGELOG.md" && strings.HasPrefix(x.Text, "|") }

// TestPlainWords looks for such phrases in every text that people can read.
func TestPlainWords(t *testing.T) {
	all, err := texts.All("../..")
	if err != nil {
		t.Fatal(err)
	}
	files := map[string]bool{}
	for _, x := range all {
		files[strings.SplitN(x.File, "/", 2)[0]] = true
	}
	if len(all) < 7000 || !files["core"] || !files["internal"] || !files["web"] {
		t.Errorf("only %d texts are found, in %v", len(all), files)
	}
	for phrase, better := range instead {
		found := regexp.MustCompile(`(?i)` + phrase)
		for _, x := range all {
			if at := found.FindString(x.Text); at != "" && !former(x) {
				t.Errorf("%s:%d has %q; write: %s\n\t%s", x.File, x.Line, at, better, x.Text)
			}
		}
	}
}
