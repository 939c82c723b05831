package e2e

import (
	"os"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

func TestZZLook(t *testing.T) {
	server := "http://127.0.0.1:8398"
	ctx := tab(t)
	pic := func(name string) {
		time.Sleep(400 * time.Millisecond)
		picture, _ := chromedp.Run(ctx, chromedp.CaptureScreenshot())
		os.WriteFile("/tmp/shots/l"+name+".png", picture, 0o644)
	}
	do(t, ctx, browser.Look(390, 800, "light"), chromedp.Navigate(server+"/edition/gullhaven/5.2/hearthside"), browser.Settled())
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`scrollTo(0, 500)`))
	pic("card390")
	do(t, ctx, chromedp.Navigate(server+"/fits?memoryMiB=4096&cores=2"), browser.Settled())
	pic("fits390")
	do(t, ctx, browser.Paper(900), chromedp.Navigate(server+"/"), browser.Settled())
	pic("printrank")
	do(t, ctx, browser.Paper(900), chromedp.Navigate(server+"/edition/gullhaven/5.2/hearthside"), browser.Settled())
	pic("printcard")
	do(t, ctx, chromedp.Navigate(server+"/how-sure"), browser.Settled())
	pic("printsure")
	do(t, ctx, browser.Look(600, 440, "light"), chromedp.Navigate(server+"/frames/ranking"))
	pic("frame")
}
