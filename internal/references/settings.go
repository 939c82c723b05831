package main

import (
	"fmt"
	"strings"

	"github.com/spf13/pflag"
)

// settings lists the settings of the service, which are flags of its commands.
func settings(flags *pflag.FlagSet) string {
	var out strings.Builder
	out.WriteString("# Settings\n\nA setting can be given in three ways. The first one that is given counts:\n\n" +
		"1. as a flag, such as `--listen 0.0.0.0:8310`;\n" +
		"2. in the environment, as `DTALLY_` and its name in capitals with underscores, such as `DTALLY_LISTEN`;\n" +
		"3. in a YAML file that `--config` names, such as `listen: 0.0.0.0:8310`.\n\n" +
		"`dtallyd settings` shows every setting with its value and where it comes from, and `dtallyd check` tries them.\n\n" +
		generated + "\n\n| setting | default | what it is |\n| --- | --- | --- |\n")
	flags.VisitAll(func(f *pflag.Flag) {
		if f.Name == "config" || f.Name == "help" {
			return
		}
		standard := ""
		if f.DefValue != "" {
			standard = "`" + f.DefValue + "`"
		}
		fmt.Fprintf(&out, "| `%s` | %s | %s |\n", f.Name, standard, escaped.Replace(f.Usage))
	})
	return out.String()
}
