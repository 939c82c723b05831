package measure

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/frames"
)

// mostPrinted is how much of the end of the output is searched.
const mostPrinted = 16 << 20

var numberLike = regexp.MustCompile(`[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?`)

// printed returns the figure in a run's output.
func printed(r *checklist.Read, text []byte) (float64, error) {
	switch r.Figure {
	case checklist.LastNumber:
		all := numberLike.FindAll(text, -1)
		if len(all) == 0 {
			return 0, errors.New("no number was printed")
		}
		return asNumber(string(all[len(all)-1]))
	case checklist.ByPattern:
		pattern, err := regexp.Compile(r.Pattern)
		if err != nil {
			return 0, err
		}
		all := pattern.FindAllSubmatch(text, -1)
		if len(all) == 0 || len(all[len(all)-1]) < 2 {
			return 0, fmt.Errorf("no output matches %s", r.Pattern)
		}
		return asNumber(string(all[len(all)-1][1]))
	case checklist.ByPointer:
		var document any
		if err := json.Unmarshal(text, &document); err != nil {
			return 0, fmt.Errorf("the output is not JSON: %w", err)
		}
		return pointed(document, r.Pointer)
	case checklist.WallTime, checklist.UserTime, checklist.SystemTime, checklist.PeakMemory, checklist.Energy,
		checklist.FromSurvey, checklist.FromFrames, checklist.WindowTime:
	}
	return 0, fmt.Errorf("%s is not printed", r.Figure)
}

func asNumber(text string) (float64, error) {
	x, err := strconv.ParseFloat(strings.ReplaceAll(strings.TrimSpace(text), ",", "."), 64)
	if err != nil || math.IsInf(x, 0) || math.IsNaN(x) {
		return 0, fmt.Errorf("%.40q is not a number", text)
	}
	return x, nil
}

// pointed returns the number at a JSON pointer (RFC 6901).
func pointed(document any, pointer string) (float64, error) {
	for part := range strings.SplitSeq(strings.TrimPrefix(pointer, "/"), "/") {
		part = strings.NewReplacer("~1", "/", "~0", "~").Replace(part)
		switch x := document.(type) {
		case map[string]any:
			document = x[part]
		case []any:
			i, err := strconv.Atoi(part)
			if err != nil || i < 0 || i >= len(x) {
				return 0, fmt.Errorf("there is nothing at %s in the output", pointer)
			}
			document = x[i]
		default:
			return 0, fmt.Errorf("there is nothing at %s in the output", pointer)
		}
	}
	switch x := document.(type) {
	case float64:
		return x, nil
	case string:
		return asNumber(x)
	}
	return 0, fmt.Errorf("there is no number at %s in the output", pointer)
}

// frameRate returns a statistic of the frame log that a run has written.
func frameRate(r *checklist.Read, folder string, out *os.File) (float64, error) {
	f, done, err := written(r, folder, out)
	if err != nil {
		return 0, err
	}
	defer done()
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return 0, err
	}
	log, err := frames.Read(f, frames.Form{Column: r.Column})
	if err != nil {
		return 0, fmt.Errorf("the log of frame times: %w", err)
	}
	defer log.Close()
	sum, err := reading.SumFrames(log.Times())
	if err := errors.Join(err, log.Err()); err != nil {
		return 0, fmt.Errorf("the log of frame times: %w", err)
	}
	return sum.Statistic(r.Frames), nil
}

// written opens the file from which a figure is read: the run's output, or a file in its folder. done closes it.
func written(r *checklist.Read, folder string, out *os.File) (f *os.File, done func(), err error) {
	if r.File == "" {
		return out, func() {}, nil
	}
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, nil, err
	}
	defer root.Close()
	if f, err = root.Open(filepath.FromSlash(r.File)); err != nil {
		return nil, nil, fmt.Errorf("the file with the result: %w", err)
	}
	return f, func() { _ = f.Close() }, nil
}

// output returns the end of a run's output, or of the file from which its figure is read.
func output(r *checklist.Read, folder string, out *os.File) ([]byte, error) {
	f, done, err := written(r, folder, out)
	if err != nil {
		return nil, err
	}
	defer done()
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	text := make([]byte, min(info.Size(), mostPrinted))
	_, err = f.ReadAt(text, info.Size()-int64(len(text)))
	return text, err
}
