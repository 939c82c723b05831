package report

import (
	"fmt"
	"slices"
	"strings"
)

var plain = strings.NewReplacer("|", `\|`, "<", "&lt;", "*", `\*`, "_", `\_`, "`", "\\`", "[", `\[`)

// writeMarkdown writes the report as Markdown, with its figures and pictures as separate files.
func writeMarkdown(d *Document, sections []Section, seal string) []byte {
	var out strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&out, format+"\n\n", args...) }
	say("# %s", plain.Replace(d.Spec.Title))
	by := pageOf{Document: d}
	if d.Series != nil {
		say("%s, number %d", plain.Replace(d.Series.Title), d.Series.Number)
	}
	say("%s", plain.Replace(by.About()))
	if seal != "" {
		say(
			"By %s · %s · published %s · revision %d",
			plain.Replace(by.By()),
			plain.Replace(d.Team),
			day(d.Published),
			d.Revision,
		)
	}
	for _, e := range d.Errata {
		say("**Corrected in revision %d.** %s %s", e.Revision, plain.Replace(e.What), plain.Replace(e.Why))
	}
	for _, s := range sections {
		say("## %s", plain.Replace(s.Title))
		for _, b := range s.Blocks {
			writeBlock(&out, say, d, &b)
		}
	}
	if seal != "" {
		say("---")
		say("SHA-256 of the report's JSON: `%s`", seal)
	}
	return []byte(out.String())
}

func writeBlock(out *strings.Builder, say func(string, ...any), d *Document, b *Block) {
	switch {
	case b.Prose != "":
		say("%s", b.Prose)
	case b.Heading != "":
		say("### %s", plain.Replace(b.Heading))
	case b.Note != "":
		say("%s", plain.Replace(b.Note))
	case b.List != nil:
		for _, x := range b.List {
			fmt.Fprintf(out, "- **%s**: %s\n", plain.Replace(x.Name), plain.Replace(x.Text))
		}
		out.WriteString("\n")
	case b.Figure != nil:
		say("![%s](%s)", plain.Replace(b.Figure.Alt), figureFile(b.Figure.Key))
	case b.Table != nil:
		tableMarkdown(out, b.Table)
	}
	for _, s := range b.Shots {
		if i := slices.IndexFunc(d.Pictures, func(p Picture) bool { return p.SHA256 == s.SHA256 }); i >= 0 {
			say(
				"![%s](%s)",
				plain.Replace(strings.TrimSuffix(s.Title+": "+s.Caption, ": ")),
				pictureFile(d.Pictures[i]),
			)
		}
	}
}

func tableMarkdown(out *strings.Builder, t *Table) {
	line := func(cells []string) { out.WriteString("| " + strings.Join(cells, " | ") + " |\n") }
	head, rule := make([]string, len(t.Columns)), make([]string, len(t.Columns))
	for i, c := range t.Columns {
		head[i], rule[i] = withSmall(c.Title, c.Small), "---:"
		if c.Left || i == 0 {
			rule[i] = "---"
		}
	}
	line(head)
	line(rule)
	for _, r := range t.Rows {
		cells := make([]string, len(r.Cells))
		for i, c := range r.Cells {
			cells[i] = withSmall(c.Text, c.Small)
			if c.Best {
				cells[i] = "◆ " + cells[i]
			}
		}
		line(cells)
	}
	out.WriteString("\n")
}

func withSmall(text, small string) string {
	s := plain.Replace(text)
	if small != "" {
		s = strings.TrimSpace(s + " (" + plain.Replace(small) + ")")
	}
	return strings.ReplaceAll(s, "\n", " ")
}
