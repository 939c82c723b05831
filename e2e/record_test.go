package e2e

import (
	"errors"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestRecordByClient writes a whole record with the built program, in the review that dtally at has set.
func TestRecordByClient(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	marit := newClient(t, server).login("marit")
	if out := ines.fails(2, "finding", "list"); !strings.Contains(out, "dtally at REVIEW") {
		t.Errorf("without a review: %s", out)
	}
	ines.fails(3, "at")
	var planned struct{ ID string }
	decode(t, ines.must("review", "add", "ivybeck/5.4/hearthside", "--output", "json"), &planned)
	ines.must("at", planned.ID, "--rig", "bench-old")
	if out := ines.must("state", "add", "fresh install", "--installed", "whole disk encrypted", "--installed", "extra drivers"); !strings.Contains(
		out,
		"whole disk encrypted; extra drivers",
	) ||
		!strings.Contains(out, "s1") {
		t.Errorf("the state: %s", out)
	}
	ines.must("at", "--system", "s1")
	ines.fails(4, "record", "cold-start", "26,4", "--system", "s9")
	ines.must("record", "cold-start", "26,4", "25.9", "26", "27", "25.8")
	var shown struct {
		Readings []struct{ Rig, System string }
	}
	decode(t, ines.must("review", "show", planned.ID, "--output", "json"), &shown)
	if len(shown.Readings) != 1 || shown.Readings[0].Rig != "bench-old" || shown.Readings[0].System != "s1" {
		t.Errorf("the reading went to %+v", shown.Readings)
	}

	ines.fails(4, "finding", "add", "No sound", "--sort", "weakness")
	ines.must(
		"finding",
		"add",
		"No",
		"sound",
		"--sort",
		"weakness",
		"--severity",
		"minor",
		"--workaround",
		"plug the speaker in again",
	)
	var list struct {
		Entries []struct {
			Entry struct {
				Finding struct{ ID, Title, Severity, Workaround string }
			}
			Revision int
		}
	}
	decode(t, ines.must("finding", "list", "--output", "json"), &list)
	f := list.Entries[0].Entry.Finding
	if f.Title != "No sound" {
		t.Errorf("the finding is called %q", f.Title)
	}
	ines.must("finding", "edit", f.ID, "--severity", "major")
	decode(t, ines.must("finding", "list", "--output", "json"), &list)
	if f := list.Entries[0].Entry.Finding; f.Severity != "major" || f.Workaround == "" ||
		list.Entries[0].Revision != 2 {
		t.Errorf("after a correction: %+v", list.Entries[0])
	}
	ines.must("change", "add", "kernel", "--was", "6.1", "--is", "6.12", "--source", "announced", "--effect", "better")
	ines.must(
		"claim",
		"add",
		"Starts",
		"twice",
		"as",
		"fast",
		"--by",
		"makers",
		"--source",
		"release notes",
		"--criterion",
		"cold-start",
	)
	ines.must("journal", "add", "Still quick", "--at", "2026-11-19")
	ines.fails(2, "journal", "add", "Still quick", "--at", "yesterday")
	ines.must("use", "add", "--days", "7")
	ines.must("experience", "add", "Never reinstalled", "--since", "two years")
	ines.must("verdict", "add", "Calm", "--audience", "pensioner", "--verdict", "recommended")
	ines.must("advice", "add", "Nothing is lost", "--advice", "upgrade")
	ines.must("disclosure", "add", "Knows one of its makers")
	picture := filepath.Join(t.TempDir(), "menu.png")
	drawn, err := os.Create(picture)
	if err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(png.Encode(drawn, image.NewGray(image.Rect(0, 0, 40, 30))), drawn.Close()); err != nil {
		t.Fatal(err)
	}
	if out := ines.must("evidence", "add", "The open menu", "--file", picture, "--screenshot", "menu-open"); !strings.Contains(
		out,
		"image/png",
	) {
		t.Errorf("the evidence: %s", out)
	}
	ines.must(
		"evidence",
		"add",
		"Where it stops",
		"--link",
		"https://example.org/recording",
		"--time-code",
		"12:40",
		"--of",
		f.ID,
	)
	out := ines.must("review", "open-items")
	if !strings.Contains(out, "Telemetry has no answer") || strings.Contains(out, "The open menu") {
		t.Errorf("open items: %s", out)
	}
	ines.must("finding", "remove", f.ID)
	ines.fails(3, "finding", "remove", f.ID)
	ines.fails(4, "review", "edit", planned.ID, "--state", "submitted")
	ines.must("review", "edit", planned.ID, "--state", "submitted", "--reason", "a first look only")

	// The team's side.
	marit.must("review", "edit", planned.ID, "--state", "accepted")
	if out := newClient(t, server).must("verdict", "list", planned.ID); !strings.Contains(out, "Calm") {
		t.Errorf("a reader does not see the verdict: %s", out)
	}
	ines.must("queue", "add", "mossgate/12/hearthside", "--reason", "the radio station asks")
	ines.fails(4, "queue", "order", "mossgate/12/hearthside")
	if out := marit.must("queue", "order", "mossgate/12/hearthside"); !strings.HasPrefix(
		strings.Split(out, "\n")[1], "1\tmossgate/12/hearthside",
	) {
		t.Errorf("the queue begins with %s", out)
	}
	marit.must("queue", "remove", "mossgate/12/hearthside", "--reason", "it was reviewed in summer")
	if out := marit.must("queue", "list"); strings.Contains(out, "the radio station") ||
		strings.Contains(out, "mossgate/12/hearthside") {
		t.Errorf("a declined request is in the queue: %s", out)
	}
	newClient(
		t, server,
	).must("suggestion", "add", "The image is 2.1 GB", "--sort", "correction", "--about", "gullhaven/5.2/hearthside")
	if out := marit.must("suggestion", "list", "--state", "held"); !strings.Contains(out, "The image is 2.1 GB") {
		t.Errorf("suggestions: %s", out)
	}
	ines.must(
		"known-issue",
		"add",
		"blurred-text",
		"Text is blurred",
		"--origin",
		"desktop",
		"--component",
		"Latchwork",
	)
	if out := ines.must("known-issue", "edit", "blurred-text", "--workaround", "unplug it once"); !strings.Contains(
		out, "unplug it once",
	) ||
		!strings.Contains(out, "Latchwork") {
		t.Errorf("known issue: %s", out)
	}
	if out := marit.must("policy", "edit", "--retest-days", "90"); !strings.Contains(out, "90") ||
		!strings.Contains(out, "advised") {
		t.Errorf("rules: %s", out)
	}
	if out := ines.must("calendar", "add"); !strings.Contains(out, server+"/calendar.ics?key=") {
		t.Errorf("calendar: %s", out)
	}
	// The catalogue is corrected, renamed and merged.
	ines.must("edition", "edit", "ivybeck/5.4/hearthside", "--memory", "2048")
	if out := ines.must("edition", "show", "ivybeck/5.4/hearthside"); !strings.Contains(out, "2048") ||
		!strings.Contains(out, "Hearthside") {
		t.Errorf("the edition: %s", out)
	}
	ines.fails(4, "distribution", "rename", "ivybeck", "ivybank")
	if out := marit.must("distribution", "rename", "ivybeck", "ivybank"); !strings.Contains(out, "ivybank") {
		t.Errorf("renamed: %s", out)
	}
	if out := ines.must("finding", "list", "ivybeck/5.4/hearthside"); strings.Contains(out, "No sound") {
		t.Errorf("an old key leads to %s", out)
	}
	ines.must("rig", "add", "old-bench", "--name", "The same again")
	marit.fails(4, "rig", "merge", "old-bench", "bench-old", "--dry-run")
	marit.fails(2, "distribution", "merge", "mossgate", "ivybank") // there is no terminal for the question
}
