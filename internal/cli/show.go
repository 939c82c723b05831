package cli

import (
	"github.com/spf13/cobra"

	"dappertally/internal/client"
)

// show prints the service's answer: show(s, cmd, sheets)(c.ShowRig(ctx, key)).
func show[T any](s *session, cmd *cobra.Command, sheets func(*T) []*sheet) func(client.Got[T], error) error {
	return func(got client.Got[T], err error) error {
		if err != nil {
			return err
		}
		return s.print(cmd, got.Value, sheets(&got.Value)...)
	}
}

// each shows one object in the table that lists several.
func each[T any](list func(...T) *sheet) func(*T) []*sheet {
	return func(one *T) []*sheet { return []*sheet{list(*one)} }
}

// alone shows an object as one table.
func alone[T any](table func(*T) *sheet) func(*T) []*sheet {
	return func(one *T) []*sheet { return []*sheet{table(one)} }
}
