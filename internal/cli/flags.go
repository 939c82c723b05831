package cli

import (
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// setters take what flags say over to a value, by the flag's name.
type setters[T any] map[string]func(*T)

// apply takes over the flags that the call sets, and only those.
func (s setters[T]) apply(cmd *cobra.Command, to *T) {
	cmd.Flags().Visit(func(f *pflag.Flag) {
		if set := s[f.Name]; set != nil {
			set(to)
		}
	})
}

// text, lines, whole and yes define flags of their kind.
func (s setters[T]) text(f *pflag.FlagSet, name, usage string, field func(*T) *string) {
	value := f.String(name, "", usage)
	s[name] = func(to *T) { *field(to) = *value }
}

// choice defines a flag that takes one of some words: its help and its completion name them.
func (s setters[T]) choice(f *pflag.FlagSet, name, usage string, words []string, field func(*T) *string) {
	var value string
	choiceVar(f, &value, name, "", usage, words)
	s[name] = func(to *T) { *field(to) = value }
}

// choiceVar is choice for a variable. An empty usage leaves the words alone in the help.
func choiceVar(f *pflag.FlagSet, p *string, name, value, usage string, words []string) {
	says := orWords(words)
	if usage != "" {
		says = usage + ": " + says
	}
	f.StringVar(p, name, value, says)
	_ = f.SetAnnotation(name, choicesOf, words) // the flag was defined a line above
}

// choicesOf is the annotation of a flag that lists what it takes.
const choicesOf = "choices"

// orWords lists words as a sentence does: a, b or c.
func orWords(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " or " + words[len(words)-1]
}

func (s setters[T]) lines(f *pflag.FlagSet, name, usage string, field func(*T) *[]string) {
	value := f.StringArray(name, nil, usage+"; may be given several times, an empty one clears the list")
	s[name] = func(to *T) {
		lines := []string{}
		for _, l := range *value {
			if l != "" {
				lines = append(lines, l)
			}
		}
		*field(to) = lines
	}
}

func (s setters[T]) whole(f *pflag.FlagSet, name, usage string, field func(*T) *int) {
	value := f.Int(name, 0, usage)
	s[name] = func(to *T) { *field(to) = *value }
}

func (s setters[T]) long(f *pflag.FlagSet, name, usage string, field func(*T) *int64) {
	value := f.Int64(name, 0, usage)
	s[name] = func(to *T) { *field(to) = *value }
}

func (s setters[T]) yes(f *pflag.FlagSet, name, usage string, field func(*T) *bool) {
	value := f.Bool(name, false, usage)
	s[name] = func(to *T) { *field(to) = *value }
}
