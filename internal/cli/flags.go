package cli

import (
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// fields are the flags that set the fields of a record.
type fields[T any] struct {
	flags *pflag.FlagSet
	set   map[string]func(*T) // by the flag's name
}

// fieldsOf returns a command's flags for the fields of a record.
func fieldsOf[T any](cmd *cobra.Command, define func(*fields[T])) *fields[T] {
	s := &fields[T]{flags: cmd.Flags(), set: map[string]func(*T){}}
	define(s)
	return s
}

// apply applies the flags that the call sets, and only those.
func (s *fields[T]) apply(cmd *cobra.Command, to *T) {
	cmd.Flags().Visit(func(f *pflag.Flag) {
		if set := s.set[f.Name]; set != nil {
			set(to)
		}
	})
}

// taking sets a field from the flag's value.
func taking[T, V any](s *fields[T], name string, value *V, field func(*T) *V) {
	s.set[name] = func(to *T) { *field(to) = *value }
}

// text, lines, whole, long and yes define flags of their kind.
func (s *fields[T]) text(name, usage string, field func(*T) *string) {
	taking(s, name, s.flags.String(name, "", usage), field)
}

// choice defines a flag with a fixed set of values: its help and its completion list them.
func (s *fields[T]) choice(name, usage string, words []string, field func(*T) *string) {
	var value string
	choiceVar(s.flags, &value, name, "", usage, words)
	taking(s, name, &value, field)
}

// choiceVar is choice for a variable. With an empty usage the help shows only the values.
func choiceVar(f *pflag.FlagSet, p *string, name, value, usage string, words []string) {
	says := orWords(words)
	if usage != "" {
		says = usage + ": " + says
	}
	f.StringVar(p, name, value, says)
	_ = f.SetAnnotation(name, choicesOf, words) // the flag was defined in the line above
}

// choicesOf is the annotation of a flag that lists its values.
const choicesOf = "choices"

// orWords joins words for a sentence: a, b or c.
func orWords(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " or " + words[len(words)-1]
}

func (s *fields[T]) lines(name, usage string, field func(*T) *[]string) {
	value := s.flags.StringArray(name, nil, usage+"; repeatable; an empty value clears the list")
	s.set[name] = func(to *T) {
		lines := []string{}
		for _, l := range *value {
			if l != "" {
				lines = append(lines, l)
			}
		}
		*field(to) = lines
	}
}

func (s *fields[T]) whole(name, usage string, field func(*T) *int) {
	taking(s, name, s.flags.Int(name, 0, usage), field)
}

func (s *fields[T]) long(name, usage string, field func(*T) *int64) {
	taking(s, name, s.flags.Int64(name, 0, usage), field)
}

func (s *fields[T]) yes(name, usage string, field func(*T) *bool) {
	taking(s, name, s.flags.Bool(name, false, usage), field)
}

// retired defines the flag that retires a catalogue entry.
func (s *fields[T]) retired(field func(*T) *bool) {
	s.yes("retired", "kept and no longer offered; --retired=false brings it back", field)
}
