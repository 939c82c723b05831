package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
)

// got is the service's answer about one record.
type got[T any] = client.Got[T]

// kept is a kind of record that has a key and can be shown, added and corrected: T is the record in the API.
type kept[T any] struct {
	noun   string
	usage  string                       // format of the key, such as DISTRIBUTION/RELEASE
	fields func(*fields[T])             // defines a flag for each field that can be set
	blank  func(key string) (T, error)  // a new record with that key
	words  func(record *T, text string) // stores the words after the key; nil: there are none
	sheet  func(...T) *sheet
	get    func(c *client.Client, ctx context.Context, key string) (got[T], error)
	add    func(c *client.Client, ctx context.Context, record T) (got[T], error)
	edit   func(c *client.Client, ctx context.Context, ifMatch string, record T) (got[T], error)
}

// arguments returns the arguments of a command: the key, and words if the kind has them.
func (k *kept[T]) arguments(words string) (usage string, check cobra.PositionalArgs) {
	if k.words == nil {
		return k.usage, args(1, 1)
	}
	least := 1
	if !strings.HasPrefix(words, "[") {
		least = 2
	}
	return k.usage + " " + words, args(least, -1)
}

func (k *kept[T]) showVerb(s *session, example string) *cobra.Command {
	return &cobra.Command{
		Use:     "show " + k.usage,
		Short:   "Show " + withArticle(k.noun),
		Example: example,
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			return show(s, cmd, each(k.sheet))(k.get(c, cmd.Context(), a[0]))
		}),
	}
}

func (k *kept[T]) addVerb(s *session, example string) *cobra.Command {
	usage, check := k.arguments("TITLE")
	cmd := &cobra.Command{Use: "add " + usage, Short: "Add " + withArticle(k.noun), Example: example, Args: check}
	set := fieldsOf(cmd, k.fields)
	cmd.RunE = s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
		record, err := k.blank(a[0])
		if err != nil {
			return err
		}
		k.fill(cmd, set, a[1:], &record)
		return show(s, cmd, each(k.sheet))(k.add(c, cmd.Context(), record))
	})
	return cmd
}

// editVerb corrects the named record; more is added to its help.
func (k *kept[T]) editVerb(s *session, more, example string) *cobra.Command {
	usage, check := k.arguments("[TITLE]")
	cmd := &cobra.Command{
		Use:     "edit " + usage,
		Short:   "Correct " + withArticle(k.noun) + more,
		Example: example,
		Args:    check,
	}
	set := fieldsOf(cmd, k.fields)
	cmd.RunE = s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
		old, err := k.get(c, cmd.Context(), a[0])
		if err != nil {
			return err
		}
		k.fill(cmd, set, a[1:], &old.Value)
		return show(s, cmd, each(k.sheet))(k.edit(c, cmd.Context(), old.ETag, old.Value))
	})
	return cmd
}

func (k *kept[T]) fill(cmd *cobra.Command, set *fields[T], words []string, record *T) {
	if len(words) > 0 {
		k.words(record, strings.Join(words, " "))
	}
	set.apply(cmd, record)
}

// withArticle adds a or an before a noun.
func withArticle(noun string) string {
	if strings.ContainsAny(noun[:1], "aeiou") {
		return "an " + noun
	}
	return "a " + noun
}
