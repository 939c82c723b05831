package cli

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/reading"
	"dappertally/internal/numerals"
)

func (s *session) framesCommand() *cobra.Command {
	var column, unit string
	cmd := &cobra.Command{
		Use:     "frames FILE",
		Short:   "Sum up a log of frame times: average rate and lows",
		Long:    "Sum up a log of frame times, one frame a line, in a file or (-) standard input. The tail mean and the percentile are two methods; their figures do not compare.",
		Example: "  dtally frames harbour-flight.csv --column ms --unit ms\n  dtally frames - --column 2 --unit s --output json < harbour-flight.tsv",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			perUnit, ok := map[string]float64{"ms": 1, "s": 1000}[unit]
			if !ok {
				return wrongUsage("--unit must be ms or s, not %q", unit)
			}
			var in io.Reader = cmd.InOrStdin()
			if a[0] != "-" {
				f, err := os.Open(a[0])
				if err != nil {
					return err
				}
				defer f.Close()
				in = f
			}
			times, err := frameTimes(in, column, perUnit)
			if err != nil {
				return fmt.Errorf("%s: %w", a[0], err)
			}
			frames, err := reading.SumFrames(times)
			if err != nil {
				return fmt.Errorf("%s: %w", a[0], err)
			}
			t := &sheet{columns: []string{"Figure", "Method", ">Frames/s"}, heading: fmt.Sprintf("%d frames", len(times))}
			t.add("average", "", numerals.Rounded(frames.Average, 1))
			for _, l := range frames.Lows {
				name := strconv.FormatFloat(l.Percent, 'f', -1, 64) + " % low"
				t.add(name, "tail mean", numerals.Rounded(l.TailMean, 1))
				t.add(name, "percentile", numerals.Rounded(l.Percentile, 1))
			}
			return s.print(cmd, frames, t)
		},
	}
	cmd.Flags().StringVar(&column, "column", "1", "name of the column, or its number from 1")
	cmd.Flags().StringVar(&unit, "unit", "ms", "ms or s")
	return cmd
}

// frameTimes reads a column of a log, in milliseconds. The delimiter is the first
// of tab, semicolon and comma that the first line has.
func frameTimes(in io.Reader, column string, perUnit float64) ([]float64, error) {
	buffered := bufio.NewReader(in)
	head, err := buffered.Peek(4096)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	first, _, _ := strings.Cut(string(head), "\n")
	log := csv.NewReader(buffered)
	log.ReuseRecord = true
	if i := strings.IndexAny(first, "\t;"); i >= 0 {
		log.Comma = rune(first[i])
	}
	row, err := log.Read()
	if err != nil {
		return nil, fmt.Errorf("there is no first line: %w", err)
	}
	at := slices.IndexFunc(row, func(name string) bool { return strings.EqualFold(strings.TrimSpace(name), column) })
	headed := at >= 0
	if !headed {
		n, err := strconv.Atoi(column)
		if err != nil || n < 1 || n > len(row) {
			return nil, fmt.Errorf("there is no column %q; the first line has %s", column, list(row))
		}
		at = n - 1
		_, err = strconv.ParseFloat(strings.TrimSpace(row[at]), 64)
		headed = err != nil
	}
	var times []float64
	for {
		if headed {
			headed = false
		} else {
			text := strings.TrimSpace(row[at])
			t, err := strconv.ParseFloat(text, 64)
			if err != nil || !(t > 0) || t > 1e9 {
				line, _ := log.FieldPos(at)
				return nil, fmt.Errorf("line %d: %q is not a frame time above 0", line, text)
			}
			times = append(times, t*perUnit)
		}
		if row, err = log.Read(); errors.Is(err, io.EOF) {
			return times, nil
		} else if err != nil {
			return nil, err
		}
	}
}
