package cli

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/measure"
	"dappertally/internal/numerals"
	"dappertally/internal/slip"
	"dappertally/internal/wholefile"
)

func (s *session) packCommand() *cobra.Command {
	var review, kit string
	cmd := &cobra.Command{
		Use:   "pack FILE",
		Short: "Write a run sheet for a machine without a network",
		Long: "Write the checklist, the review and the test files into one file for a USB stick. On the " +
			"machine under review, dtally measure --sheet FILE runs it without a network.",
		Example: "  dtally measure pack quaymark.sheet --review quaymark/22.1/latchwork\n" +
			"  dtally measure pack stick/quaymark.sheet --review quaymark/22.1/latchwork --test-files stick/test-files",
		Args: args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			sheet, _, err := s.onlineSheet(cmd, review, kit)
			if err != nil {
				return err
			}
			if err := wholefile.Write(a[0], func(w io.Writer) error { return sheet.Write(w, kit) }); err != nil {
				return err
			}
			criteria, err := sheet.Criteria(nil, "")
			if err != nil {
				return err
			}
			fmt.Fprintf(
				cmd.ErrOrStderr(),
				"wrote %s: %s of %s, %s\n",
				a[0],
				numerals.Count(
					len(criteria),
					"procedure",
				),
				sheet.Edition,
				numerals.Count(len(sheet.Kit()), "test file"),
			)
			return nil
		},
	}
	reviewVar(cmd.Flags(), &review)
	cmd.Flags().StringVar(&kit, "test-files", "test-files", "folder for the test files, which are downloaded and verified")
	return cmd
}

// onlineSheet asks the service what to measure, and downloads the test files.
func (s *session) onlineSheet(cmd *cobra.Command, review, kit string) (*measure.Sheet, bearings, error) {
	c, err := s.connect()
	if err != nil {
		return nil, bearings{}, err
	}
	r, at, err := s.atReview(cmd, c, review)
	if err != nil {
		return nil, at, err
	}
	list, err := s.fetchChecklist(cmd, c, r.Value.Checklist)
	if err != nil {
		return nil, at, err
	}
	readings, err := c.ListReadings(cmd.Context(), r.Value.Id)
	if err != nil {
		return nil, at, err
	}
	sheet := &measure.Sheet{Review: r.Value.Id, Edition: r.Value.Edition, List: list.Value}
	for _, x := range readings.Value.Readings {
		if len(x.Answer.Runs) > 0 && x.Disturbance == "" {
			sheet.Measured = append(sheet.Measured, measure.Measured{Criterion: x.Criterion, Rig: x.Rig})
		}
	}
	if err := knownTimes(cmd, c, sheet); err != nil {
		return nil, at, err
	}
	return sheet, at, s.fetchTestFiles(cmd, c, sheet, kit)
}

// knownTimes adds to a run sheet how long runs take at least, from the records of criteria that are times.
func knownTimes(cmd *cobra.Command, c *client.Client, sheet *measure.Sheet) error {
	book, err := c.ListRecords(cmd.Context(), contract.ListRecordsParams{})
	if err != nil {
		return err
	}
	for i := range book.Value.Records {
		r := &book.Value.Records[i]
		of, ok := sheet.List.Criterion(r.Criterion)
		if !ok || of.Procedure == nil || r.Unit == "" || r.Better != "lower" || of.Procedure.UnitOf(of) != r.Unit ||
			(checklist.Context{Method: r.Method, Setup: r.Setup, Phase: r.Phase}) != of.Context {
			continue
		}
		seconds, err := slip.Convert([]float64{r.Newest().Value}, r.Unit, "s")
		if err != nil {
			continue // it is not a time
		}
		sheet.Known = append(
			sheet.Known, measure.KnownTime{Criterion: r.Criterion, Rig: r.Rig, Seconds: seconds[0]})
	}
	return nil
}

func (s *session) fetchTestFiles(cmd *cobra.Command, c *client.Client, sheet *measure.Sheet, kit string) error {
	files := sheet.Kit()
	if len(files) == 0 {
		return nil
	}
	root, err := below(kit)
	if err != nil {
		return err
	}
	defer root.Close()
	for _, f := range files {
		state, err := fetchFile(cmd, c, root, f)
		if err != nil {
			return fmt.Errorf("%s: %w", f.Name, err)
		}
		if state != kitFetched && state != kitThere {
			fmt.Fprintf(cmd.ErrOrStderr(), "%s %s\n", f.Name, state)
		}
	}
	return nil
}
