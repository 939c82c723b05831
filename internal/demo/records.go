package demo

import (
	"bytes"
	_ "embed"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"slices"
	"time"

	"dappertally/core/reading"
)

//go:embed records.yaml
var recordsYAML []byte

// told is what a review holds besides its readings.
type told struct {
	Edition string
	Entries []struct {
		Ago int
		reading.Entry
	}
}

// records adds the content of records.yaml to reviews. It comes last, so that no random number changes because of it.
func (w *world) records() error {
	var all []told
	if err := readYAML(recordsYAML, &all); err != nil {
		return err
	}
	ids := map[string]string{} // findings, by their name in the file
	for _, t := range all {
		r, err := w.newest(t.Edition)
		if err != nil {
			return err
		}
		end := Day
		if r.Accepted != nil {
			end = *r.Accepted
		}
		var entries []reading.Entry
		for _, x := range t.Entries {
			e := x.Entry
			part, head := e.Part()
			if head == nil {
				return fmt.Errorf("records of %s: an entry is empty", t.Edition)
			}
			head.At = end.AddDate(0, 0, -x.Ago).Truncate(24 * time.Hour).Add(10 * time.Hour)
			if part != "system" {
				name := head.ID
				head.ID = w.id(head.At)
				ids[name] = head.ID
			}
			if f := e.Finding; f != nil && f.Follows != "" {
				if ids[f.Follows] == "" {
					return fmt.Errorf("records of %s: no finding before it is called %s", t.Edition, f.Follows)
				}
				follows := *f
				follows.Follows = ids[f.Follows]
				e.Finding = &follows
			}
			entries = append(entries, e)
		}
		r.Take(entries)
		w.inhabit(r)
	}
	return nil
}

// newest returns the newest review of an edition on the checklist in force.
func (w *world) newest(edition string) (*reading.Review, error) {
	for i := range w.bundle.Reviews {
		if r := &w.bundle.Reviews[i]; r.Edition == edition && r.Checklist == "workshop@2" {
			return r, nil
		}
	}
	return w.find(edition)
}

// inhabit sets for each reading in which of the review's states it was made: the latest before it on its rig.
func (w *world) inhabit(r *reading.Review) {
	for i := range r.Readings {
		x := &r.Readings[i]
		for _, s := range r.States {
			if x.System == "" || !s.At.After(x.At) {
				if s.Rig == "" || s.Rig == x.Rig {
					x.System = s.ID
				}
			}
		}
	}
	slices.SortStableFunc(r.Readings, func(a, b reading.Reading) int { return a.At.Compare(b.At) })
}

// picture draws a made-up desktop, so that reviews have pictures.
func picture(hue color.RGBA, windows int) []byte {
	const width, height = 640, 400
	m := image.NewRGBA(image.Rect(0, 0, width, height))
	fill := func(r image.Rectangle, c color.Color) {
		for y := r.Min.Y; y < r.Max.Y; y++ {
			for x := r.Min.X; x < r.Max.X; x++ {
				m.Set(x, y, c)
			}
		}
	}
	fill(m.Bounds(), hue)
	fill(image.Rect(0, height-28, width, height), color.RGBA{30, 36, 33, 255})
	fill(image.Rect(6, height-22, 60, height-6), color.RGBA{220, 226, 221, 255})
	for i := range windows {
		at := image.Pt(60+70*i, 40+45*i)
		fill(image.Rectangle{at, at.Add(image.Pt(300, 190))}, color.RGBA{244, 246, 243, 255})
		fill(image.Rectangle{at, at.Add(image.Pt(300, 22))}, color.RGBA{82, 100, 90, 255})
	}
	var out bytes.Buffer
	if err := png.Encode(&out, m); err != nil {
		panic(err) // an image in memory can always be encoded
	}
	return out.Bytes()
}
