package handbook

import (
	"bytes"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"dappertally"
)

func open(t *testing.T) *Book {
	t.Helper()
	b, err := Open(dappertally.Documents)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// TestEveryPage: each Markdown file of the documentation is listed on the start page.
func TestEveryPage(t *testing.T) {
	b := open(t)
	count := 0
	err := fs.WalkDir(dappertally.Documents, ".", func(name string, _ fs.DirEntry, err error) error {
		if err == nil && strings.HasSuffix(name, ".md") {
			if count++; b.Page(addressOf(name)) == nil {
				t.Errorf("%s is on no page; list it in %s", name, start)
			}
		}
		return err
	})
	if err != nil || count < 20 {
		t.Errorf("%d pages, %v", count, err)
	}
}

var (
	aLink   = regexp.MustCompile(`(?:href|src)="([^"]*)"`)
	anID    = regexp.MustCompile(` id="([^"]*)"`)
	without = regexp.MustCompile(`^(https?:|/api/|/docs/(deploy|screenshots|search|print|style|explanation/worked))`)
)

// TestLinks checks that every link of every page leads to an existing page and heading.
func TestLinks(t *testing.T) {
	b := open(t)
	ids := map[string][]string{}
	pages := map[string]string{}
	for address, p := range b.pages {
		var out bytes.Buffer
		if err := b.Write(&out, p, "Second Wind"); err != nil {
			t.Fatal(err)
		}
		pages[address] = out.String()
		for _, id := range anID.FindAllStringSubmatch(out.String(), -1) {
			ids[address] = append(ids[address], id[1])
		}
	}
	leads := func(from, to string) {
		t.Helper()
		page, id, _ := strings.Cut(to, "#")
		if page == "" {
			page = from
		}
		if pages[page] == "" || id != "" && !slices.Contains(ids[page], id) {
			t.Errorf("%s leads to %s, which is not there", from, to)
		}
	}
	followed := 0
	for address, text := range pages {
		for _, link := range aLink.FindAllStringSubmatch(text, -1) {
			if to := link[1]; to != "/" && to != "/tally.svg" && !without.MatchString(to) {
				followed++
				leads(address, to)
			}
		}
	}
	if followed < 500 {
		t.Errorf("only %d links", followed)
	}
	for console, page := range help {
		leads("the help of "+console, Root+page)
	}
}

// TestHelpOfEveryPage: each address of the console has a page that explains it.
func TestHelpOfEveryPage(t *testing.T) {
	routes, err := os.ReadFile("../../web/src/routes.tsx")
	if err != nil {
		t.Fatal(err)
	}
	found := regexp.MustCompile(`page\("([^"]+)"`).FindAllStringSubmatch(string(routes), -1)
	if len(found) < 40 {
		t.Fatalf("only %d routes", len(found))
	}
	for _, route := range found {
		if route[1] != "*" && For("/"+route[1]) == Root {
			t.Errorf("/%s has no help", route[1])
		}
	}
	for console, want := range map[string]string{
		"": Root + help["/"], "/": Root + help["/"], "/desk/some-id": Root + help["/desk"], "/nowhere": Root,
		"/team/people/ines/": Root + help["/team/people"],
	} {
		if got := For(console); got != want {
			t.Errorf("%q is explained by %s, want %s", console, got, want)
		}
	}
}

func TestSearch(t *testing.T) {
	b := open(t)
	for asked, want := range map[string]string{
		"restore point in time": "/docs/guides/administrators#restore-to-a-point-in-time",
		"dtally rank":           "/docs/reference/commands#dtally-rank",
		"dead heat":             "/docs/",
		"BACKUP-DAYS":           "/docs/guides/administrators#",
		"mann–whitney":          "/docs/explanation/comparability#too-close-to-call",
	} {
		found := b.Search(asked)
		if len(found) == 0 || !strings.HasPrefix(found[0].Address, want) {
			t.Errorf("%q finds %+v first, want %s", asked, first(found), want)
		}
		for _, f := range found {
			if !slices.ContainsFunc(f.Excerpt, func(x Excerpt) bool { return x.Text != "" }) && f.Title == "" {
				t.Errorf("%q: %+v shows nothing", asked, f)
			}
		}
	}
	for _, nothing := range []string{"", "   ", "xyzzyquux", strings.Repeat("a", 100_000)} {
		if found := b.Search(nothing); len(found) > 0 {
			t.Errorf("%.20q finds %d places", nothing, len(found))
		}
	}
	if found := b.Search("the"); len(found) != mostFound {
		t.Errorf("a word of every page finds %d places", len(found))
	}
}

func first(found []Found) string {
	if len(found) == 0 {
		return "nothing"
	}
	return found[0].Address
}

// TestEscapes: search terms are text, even if they look like markup.
func TestEscapes(t *testing.T) {
	b := open(t)
	for _, write := range []func(*bytes.Buffer, string) error{
		func(out *bytes.Buffer, words string) error { return b.WriteFound(out, words, "<i>Team</i>") },
		func(out *bytes.Buffer, words string) error { return b.WriteMissing(out, words, "<i>Team</i>") },
	} {
		var out bytes.Buffer
		if err := write(&out, `"><script>alert(1)</script>`); err != nil {
			t.Fatal(err)
		}
		if text := out.String(); strings.Contains(text, "<script") || strings.Contains(text, "<i>") {
			t.Errorf("markup is not escaped:\n%s", text)
		}
	}
}

// TestBrokenBooks: an error names a page that is missing, has no title or has a broken link.
func TestBrokenBooks(t *testing.T) {
	file := func(text string) *fstest.MapFile { return &fstest.MapFile{Data: []byte(text)} }
	index := file("# Start\n\n## Guides\n\n- [One](one.md)\n")
	for want, files := range map[string]fstest.MapFS{
		"docs/index.md":                    {},
		"docs/one.md":                      {"docs/index.md": index},
		"docs/one.md has no title":         {"docs/index.md": index, "docs/one.md": file("no heading")},
		"docs/one.md leads to docs/two.md": {"docs/index.md": index, "docs/one.md": file("# One\n\n[Two](two.md)\n")},
		"a second page has the address /docs/o": {
			"docs/index.md": file("# S\n\n## G\n\n[A](o.md) [B](o.md)\n"), "docs/o.md": file("# O\n"),
		},
	} {
		if _, err := Open(files); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %s", err, want)
		}
	}
}

// aName matches the name of a page, a button or a heading, as the documentation writes it.
var aName = regexp.MustCompile(`(?:^|[^*\pL])\*(\p{Lu}[^*\n]*)\*(?:[^*]|$)`)

// TestNamesOfTheConsole: the names in the tutorial and the guides are those of the console.
func TestNamesOfTheConsole(t *testing.T) {
	var console strings.Builder
	err := filepath.WalkDir("../../web/src", func(name string, _ fs.DirEntry, err error) error {
		if err == nil && strings.HasSuffix(name, ".tsx") {
			text, failed := os.ReadFile(name)
			console.Write(text)
			return failed
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	elsewhere := []string{"What the radio station should run", "Quaymark 22.1", "Why … is ahead", "Caveats and disclosures"}
	names := 0
	for _, pattern := range []string{"docs/tutorial/*.md", "docs/guides/*.md"} {
		files, _ := fs.Glob(dappertally.Documents, pattern)
		for _, file := range files {
			text, err := fs.ReadFile(dappertally.Documents, file)
			if err != nil {
				t.Fatal(err)
			}
			for _, found := range aName.FindAllStringSubmatch(string(text), -1) {
				for part := range strings.SplitSeq(found[1], " → ") {
					names++
					if !strings.Contains(console.String(), part) && !slices.Contains(elsewhere, part) {
						t.Errorf("%s names %q, which the console does not have", file, part)
					}
				}
			}
		}
	}
	if names < 50 {
		t.Errorf("only %d names were found", names)
	}
}
