package main

import (
	"cmp"
	"fmt"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// commands lists every command of a program with its flags. Flags of all commands are listed once, and settings on
// their own page.
func commands(root *cobra.Command, title, about string, settings *pflag.FlagSet) string {
	var out strings.Builder
	fmt.Fprintf(&out, "# %s\n\n%s\n\n%s\n", title, about, generated)
	if shared := flagTable(root.PersistentFlags(), nil); shared != "" {
		fmt.Fprintf(&out, "\n## Flags of all commands\n\n%s", shared)
	}
	each(root, func(cmd *cobra.Command) { out.WriteString(section(cmd, settings)) })
	return out.String()
}

const generated = "This page is generated from the definitions in the program."

// each calls visit with the commands that do something, ordered by name.
func each(cmd *cobra.Command, visit func(*cobra.Command)) {
	for _, c := range cmd.Commands() {
		if !c.IsAvailableCommand() || c.Name() == "help" {
			continue
		}
		if c.Runnable() && (!c.HasSubCommands() || c.Example != "") {
			visit(c)
		}
		each(c, visit)
	}
}

func section(cmd *cobra.Command, settings *pflag.FlagSet) string {
	var out strings.Builder
	fmt.Fprintf(&out, "\n## %s\n", cmd.CommandPath())
	if !strings.HasPrefix(cmd.Long, cmd.Short) {
		fmt.Fprintf(&out, "\n%s.\n", strings.TrimSuffix(cmd.Short, "."))
	}
	fmt.Fprintf(&out, "\n```\n%s\n```\n", cmd.UseLine())
	if long := strings.TrimSpace(cmd.Long); long != "" {
		fmt.Fprintf(&out, "\n%s\n", prose(long))
	}
	if example := strings.Trim(cmd.Example, "\n"); example != "" {
		fmt.Fprintf(&out, "\nFor example:\n\n```\n%s\n```\n", unindented(example))
	}
	if table := flagTable(cmd.NonInheritedFlags(), settings); table != "" {
		fmt.Fprintf(&out, "\n%s", table)
	}
	if settings != nil && cmd.Flags().Lookup("database") != nil {
		out.WriteString("\nIt also takes the [settings](settings.md) as flags.\n")
	}
	return out.String()
}

// prose formats a help text as Markdown: indented text is kept as it is.
func prose(text string) string {
	var out []string
	set := false
	for line := range strings.SplitSeq(text, "\n") {
		indented := strings.HasPrefix(line, "  ")
		switch {
		case indented && !set:
			out = append(out, "", "```")
		case !indented && set && line != "":
			out = append(out, "```", "")
		}
		if indented {
			line = strings.TrimPrefix(line, "  ")
		} else if line != "" {
			line = escaped.Replace(line)
		}
		set = indented || set && line == ""
		out = append(out, line)
	}
	if set {
		out = append(out, "```")
	}
	return strings.Join(out, "\n")
}

var escaped = strings.NewReplacer("*", `\*`, "_", `\_`, "<", `\<`, "|", `\|`)

func unindented(text string) string {
	lines := strings.Split(text, "\n")
	for i, line := range lines {
		lines[i] = strings.TrimPrefix(line, "  ")
	}
	return strings.Join(lines, "\n")
}

// flagTable lists flags, except some, with their purpose; empty if there are none.
func flagTable(flags, without *pflag.FlagSet) string {
	var out strings.Builder
	flags.VisitAll(func(f *pflag.Flag) {
		if f.Hidden || f.Name == "help" || f.Name == "version" || without != nil && without.Lookup(f.Name) != nil {
			return
		}
		name := "--" + f.Name
		if f.Shorthand != "" {
			name = "-" + f.Shorthand + ", " + name
		}
		kind, usage := pflag.UnquoteUsage(f)
		if list, found := strings.CutSuffix(kind, "Array"); found {
			kind = list + ", several"
		}
		standard := ""
		if f.DefValue != "" && f.DefValue != "false" && f.DefValue != "[]" && f.DefValue != "0" && f.DefValue != "0s" {
			standard = "`" + f.DefValue + "`"
		}
		fmt.Fprintf(&out, "| `%s` | %s | %s | %s |\n", name, cmp.Or(kind, "switch"), standard, escaped.Replace(usage))
	})
	if out.Len() == 0 {
		return ""
	}
	return "| flag | value | default | what it does |\n| --- | --- | --- | --- |\n" + out.String()
}
