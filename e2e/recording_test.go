package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"dappertally/e2e/browser"
)

// video makes a video of 30 frames a second in which a square turns white in frame 21 and another in frame 51. With
// sparse, only every third of the frames from the 40th on is there.
func video(t *testing.T, sparse bool) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "made.webm")
	draws := "drawbox=x=0:y=0:w=100:h=100:color=white:t=fill:enable='gte(n,21)'," +
		"drawbox=x=200:y=0:w=100:h=100:color=white:t=fill:enable='gte(n,51)'"
	if sparse {
		draws += ",select='if(lt(n,40),1,not(mod(n,3)))'"
	}
	made := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "color=black:s=320x240:r=30:d=3", "-vf", draws,
		"-fps_mode", "vfr", "-c:v", "libvpx", "-g", "40", "-deadline", "realtime", file)
	if says, err := made.CombinedOutput(); err != nil {
		t.Fatalf("making a video (on Debian: apt-get install ffmpeg): %v: %s", err, says)
	}
	return file
}

// bright returns how bright the square at a place of a clip's picture is, as it is shown.
func bright(clip, x int) string {
	return fmt.Sprintf(`(() => { const v = document.querySelectorAll("video")[%d], c = document.createElement("canvas");
		c.width = 320; c.height = 240; const p = c.getContext("2d"); p.drawImage(v, 0, 0);
		return p.getImageData(%d, 50, 1, 1).data[0]; })()`, clip, x)
}

// onFrame waits until a clip shows a frame.
func onFrame(clip, frame int) browser.Step {
	return browser.Until(
		fmt.Sprintf(`document.querySelectorAll("[data-frame]")[%d]?.dataset.frame === "%d"`, clip, frame),
	)
}

func chooseFile(clip int, file string) browser.Step {
	return chromedp.SetUploadFiles(
		chromedp.CSS(fmt.Sprintf("figure:nth-of-type(%d) input[type=file]", clip+1)), []string{file})
}

// tenOn goes ten frames forward.
var tenOn = keys(kb.ArrowRight, chromedp.KeyModifiers(kb.ModifierShift))

// TestRecording times a video to the frame: with an even rate, and with missing frames; the time is recorded with its
// method and the two pictures.
func TestRecording(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	review := openReview(t, ines)
	ctx := tab(t)
	do(
		t,
		ctx,
		browser.Look(1280, 900, "light"),
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(
			server+"/recording?review="+review+"&criterion=browser-start&rig=bench-old",
		),
		browser.Settled(),
		chooseFile(0, video(t, false)),
		onFrame(0, 0),
		browser.Until(`document.body.textContent.includes("of 90")`),
	)
	do(t, ctx, tenOn, onFrame(0, 10), tenOn, onFrame(0, 20), browser.Until(bright(0, 50)+" < 60"),
		keys(kb.ArrowRight), onFrame(0, 21), browser.Until(bright(0, 50)+" > 200"), keys("b"),
		tenOn, onFrame(0, 31), tenOn, onFrame(0, 41), tenOn, onFrame(0, 51), keys(kb.ArrowLeft), onFrame(0, 50),
		browser.Until(bright(0, 250)+" < 60"), keys(kb.ArrowRight), onFrame(0, 51),
		browser.Until(bright(0, 250)+" > 200"), keys("e"),
		browser.Until(`/21\s*51\s*1\.000\s*0\.033/.test(document.querySelector("table").innerText)`),
		press("Save the run"), says("table", "1.000"))
	// In the part with missing frames, the 43rd begins at second 1.7, and a frame lasts a tenth of a second.
	do(
		t,
		ctx,
		chooseFile(0, video(t, true)),
		browser.Until(`document.body.textContent.includes("of 56")`),
		onFrame(0, 0),
		tenOn,
		onFrame(0, 10),
		tenOn,
		onFrame(0, 20),
		keys(kb.ArrowRight),
		onFrame(0, 21),
		browser.Until(bright(0, 50)+" > 200"),
		keys("b"),
		tenOn,
		onFrame(0, 31),
		tenOn,
		onFrame(0, 41),
		keys(kb.ArrowRight),
		onFrame(0, 42),
		browser.Until(bright(0, 250)+" < 60"),
		keys(kb.ArrowRight),
		onFrame(0, 43),
		browser.Until(bright(0, 250)+" > 200"),
		keys("e"),
		browser.Until(`/21\s*43\s*1\.000\s*0\.100/.test(document.querySelector("table").innerText)`),
		chromedp.Evaluate[chromedp.Void](`{ window.played = new Set(); setInterval(() =>
			window.played.add(Number(document.querySelector("[data-frame]").dataset.frame)), 10) }`),
		press("Play from the start"), browser.Until(`[...window.played].filter((f) => f > 21 && f < 43).length > 1`),
		press("Save the run"),
		press("Record the time"),
		says("[role=status]", "Recorded in 1 review"),
	)
	recordedFrom(t, ines, review)
	do(t, ctx, chooseFile(0, notVideo(t)), says("[role=alert]", "cannot be read as a video"))
}

// recordedFrom checks the reading that was made from a recording.
func recordedFrom(t *testing.T, c *client, review string) {
	t.Helper()
	var got struct {
		Readings []struct {
			ID, Criterion, Rig, Note string
			Context                  struct{ Method string }
			Answer                   struct{ Runs []float64 }
		}
	}
	decode(t, string(c.get("/reviews/"+review+"/readings")), &got)
	id := ""
	for _, r := range got.Readings {
		if r.Context.Method == "recording" && r.Criterion == "browser-start" && r.Rig == "bench-old" &&
			fmt.Sprint(r.Answer.Runs) == "[1 1]" && strings.Contains(r.Note, "one frame lasts 100.0 ms") {
			id = r.ID
		}
	}
	if id == "" {
		t.Fatalf("no time from a recording among %+v", got.Readings)
	}
	var entries struct {
		Entries []struct {
			Entry struct {
				Evidence *struct{ Of, Caption, Type string }
			}
		}
	}
	decode(t, string(c.get("/reviews/"+review+"/entries")), &entries)
	var captions []string
	for _, e := range entries.Entries {
		if x := e.Entry.Evidence; x != nil && x.Of == id && x.Type == "image/png" {
			captions = append(captions, x.Caption)
		}
	}
	if len(captions) != 4 || !strings.Contains(strings.Join(captions, "\n"), "Run 2, end: frame 43 of made.webm") {
		t.Errorf("pictures: %q", captions)
	}
}

// openReview returns a review of the demo that is under way, or the first open one.
func openReview(t *testing.T, c *client) string {
	t.Helper()
	var reviews struct {
		Reviews []struct{ ID, State, Checklist string }
	}
	decode(t, c.must("review", "list", "--output", "json"), &reviews)
	for _, r := range reviews.Reviews {
		if r.State == "underway" && r.Checklist == "workshop@2" {
			return r.ID
		}
	}
	t.Fatal("no review is under way")
	return ""
}

// TestRecordingOfContenders times two contenders in one picture: they begin together, and their times and places are
// recorded together.
func TestRecordingOfContenders(t *testing.T) {
	t.Parallel()
	server := serve(t)
	odile := newClient(t, server).login("odile")
	session := openedBench(t, odile)
	ctx := tab(t)
	do(t, ctx, browser.Look(1280, 900, "light"), browser.SignIn(server, "odile", secret("odile")),
		chromedp.Navigate(server+"/recording?bench="+session+"&criterion=browser-start"), browser.Settled(),
		press("all in one picture"),
		chooseFile(0, video(t, false)), onFrame(0, 0))
	to := 0
	for _, mark := range []struct {
		frame int
		keys  string
	}{{10, "b"}, {30, "1e"}, {30, "2e"}, {40, "3e"}, {50, "4e"}} {
		for ; to < mark.frame; to += 10 {
			do(t, ctx, tenOn, onFrame(0, to+10))
		}
		for _, key := range mark.keys {
			do(t, ctx, keys(string(key)))
		}
		if strings.HasSuffix(mark.keys, "e") {
			do(t, ctx, browser.Until(fmt.Sprintf(
				`document.querySelectorAll("tbody tr")[%c - 1].innerText.includes("%d")`, mark.keys[0], mark.frame)))
		}
	}
	do(
		t,
		ctx,
		press("Save the run"),
		browser.Until(`/ = .* › .* › /.test(document.querySelector("p[role=status]")?.innerText)`),
		press("Record times and places"),
		says("[role=status]", "Recorded in"),
	)
	var shown struct {
		Placings []struct {
			Criterion string
			Order     [][]string
		}
	}
	decode(t, odile.must("bench", "show", session, "--output", "json"), &shown)
	if len(shown.Placings) == 0 || len(shown.Placings[len(shown.Placings)-1].Order) != 3 ||
		len(shown.Placings[len(shown.Placings)-1].Order[0]) != 2 {
		t.Errorf("placings: %+v", shown.Placings)
	}
}

// notVideo is a file that is not a video, although its name says so.
func notVideo(t *testing.T) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "odd.mp4")
	if err := os.WriteFile(file, []byte("no video at all"), 0o644); err != nil {
		t.Fatal(err)
	}
	return file
}

// openedBench opens a session of the demo's plan on the newer laptop.
func openedBench(t *testing.T, c *client) (id string) {
	t.Helper()
	var plans struct{ Plans []struct{ ID string } }
	decode(t, c.must("plan", "list", "--output", "json"), &plans)
	var bench struct{ Session struct{ ID string } }
	decode(t, c.must("bench", "add", plans.Plans[0].ID, "--rig", "bench-new", "--seed", "5", "--output", "json"), &bench)
	return bench.Session.ID
}
