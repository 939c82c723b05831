package demo

import (
	"bytes"
	"context"
	"crypto/sha256"
	"embed"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"time"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/imports"
	"dappertally/internal/ledger"
	"dappertally/internal/plainyaml"
	"dappertally/internal/reviewing"
	"dappertally/internal/service"
	"dappertally/internal/survey"
	"dappertally/internal/wholefile"
)

// Away is what the workshop wrote down outside the service: surveys, frame logs, an old spreadsheet and test results,
// a plan and a report.
//
//go:embed away
var Away embed.FS

// LayOut writes the files that the examples of the help and of the guides use into a folder: those of Away, the small
// test files, and a picture. Existing files stay as they are.
func LayOut(folder string) error {
	files := map[string][]byte{
		"bench-script.sh": benchScript,
		"menu-tasks.txt":  menuTasks,
		"menu.png":        picture(pictured[0].hue, 1),
	}
	for _, x := range shown {
		files["pictures/"+x.shot+".png"] = picture(pictured[0].hue, x.windows)
	}
	entries, err := Away.ReadDir("away")
	if err != nil {
		return err
	}
	for _, e := range entries {
		if files[e.Name()], err = Away.ReadFile("away/" + e.Name()); err != nil {
			return err
		}
	}
	if err := os.MkdirAll(filepath.Join(folder, "pictures"), 0o755); err != nil {
		return err
	}
	for name, content := range files {
		at := filepath.Join(folder, name)
		if _, err := os.Lstat(at); err == nil {
			continue
		}
		if err := wholefile.Write(at, func(w io.Writer) error { _, err := w.Write(content); return err }); err != nil {
			return err
		}
	}
	return nil
}

func surveyed(name string) (survey.Survey, error) {
	var v survey.Survey
	data, err := Away.ReadFile("away/" + name)
	if err != nil {
		return v, err
	}
	return v, json.Unmarshal(data, &v)
}

// surveys adds the facts of the older survey to the state of its review.
func (w *world) surveys() error {
	v, err := surveyed("quaymark-22.0.json")
	if err != nil {
		return err
	}
	r, err := w.newest("quaymark/22.0/latchwork")
	if err != nil {
		return err
	}
	r.States[0].Facts = v.Values()
	return nil
}

// clocked adds the measurements of the criterion that is on trial to reviews with measurements of the school folder.
// Its own random numbers keep the rest of the demo unchanged.
func (w *world) clocked() {
	dice := rand.New(rand.NewPCG(2026, 11))
	c, _ := w.list.Criterion(onTrial)
	done := 0
	for i := range w.bundle.Reviews {
		r := &w.bundle.Reviews[i]
		if r.Checklist != w.list.Name() || r.Accepted == nil || done == 9 {
			continue
		}
		var timed []reading.Reading
		for _, x := range r.Readings {
			if x.Criterion != "copy-folder" || len(x.Answer.Runs) == 0 || x.Disturbance != "" {
				continue
			}
			runs := make([]float64, 5)
			for j := range runs {
				runs[j] = math.Round(1e3*(0.55+0.02*dice.NormFloat64())*x.Answer.Runs[0]) / 1e3
			}
			at := x.At.Add(25 * time.Minute)
			received := at.Add(2 * time.Hour) // submitted later
			timed = append(timed, reading.Reading{
				ID: w.id(
					at,
				), Criterion: c.Key, Reviewer: x.Reviewer, Rig: x.Rig, At: at, Received: &received, System: x.System, Context: c.Context, Answer: reading.Answer{Runs: runs},
				Note: "wall time of: tar xf school-folder.tar; 1 run discarded, caches dropped, 1s to settle; starting /bin/true and waiting for it takes 1.1 ms, which is in every run",
			})
		}
		if len(timed) > 0 {
			done++
			r.Readings = append(r.Readings, timed...)
			slices.SortStableFunc(r.Readings, func(a, b reading.Reading) int { return a.At.Compare(b.At) })
		}
	}
}

// away imports what was written down outside the service: the newer survey, a frame log, and the mappings of other
// files.
func away(ctx context.Context, s *service.Service, who map[string]*access.Actor) error {
	v, err := surveyed("quaymark-22.1.json")
	if err != nil {
		return err
	}
	review, err := underway(ctx, s, who["tomas"])
	if err != nil {
		return err
	}
	state := reading.System{
		Head:    reading.Head{ID: "s3", At: v.At},
		Rig:     "bench-old",
		Note:    "surveyed after all updates",
		Updated: []string{"kernel", "browser"},
		Facts:   v.Values(),
	}
	if _, err := s.Reviewing.PutEntry(ctx, who["tomas"], review.ID, 0, reading.Entry{System: &state}); err != nil {
		return err
	}
	if err := frameLog(ctx, s, who["tomas"], review.ID); err != nil {
		return err
	}
	for _, name := range []string{"old-sheet", "smoke"} {
		text, err := Away.ReadFile("away/" + name + ".yaml")
		if err != nil {
			return err
		}
		data, err := plainyaml.ToJSON(text)
		if err != nil {
			return err
		}
		var m imports.Mapping
		if err := json.Unmarshal(data, &m); err != nil {
			return err
		}
		if _, err := s.Intake.PutMapping(ctx, who["ines"], 0, m); err != nil {
			return err
		}
	}
	return nil
}

func underway(ctx context.Context, s *service.Service, who *access.Actor) (reviewing.Review, error) {
	all, err := s.Reviewing.Reviews(ctx, who)
	if err != nil {
		return reviewing.Review{}, err
	}
	i := slices.IndexFunc(all, func(r reviewing.Review) bool { return r.Edition == "quaymark/22.1/latchwork" })
	return all[i], nil
}

// frameLog adds the log of a figure as its evidence.
func frameLog(ctx context.Context, s *service.Service, who *access.Actor, review string) error {
	readings, _, err := s.Reviewing.Readings(ctx, who, review)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(
		readings, func(x reading.Reading) bool { return x.Criterion == "flight-average" && x.Rig == "bench-old" },
	)
	if i < 0 {
		return fmt.Errorf("the review under way has no reading of flight-average")
	}
	log, err := Away.ReadFile("away/harbour-flight-1.csv")
	if err != nil {
		return err
	}
	name := fmt.Sprintf("%x", sha256.Sum256(log))
	if _, err := s.Reviewing.PutFile(ctx, who, name, bytes.NewReader(log)); err != nil {
		return err
	}
	_, err = s.Reviewing.PutEntry(ctx, who, review, 0, reading.Entry{Evidence: &reading.Evidence{
		Head: reading.Head{
			ID: ledger.NewID(),
		}, Of: readings[i].ID, SHA256: name, Name: "harbour-flight-1.csv", Caption: "frame times of the first flight",
	}})
	return err
}
