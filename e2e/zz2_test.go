package e2e

import (
	"os"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

func TestZZLook(t *testing.T) {
	server := "http://127.0.0.1:8399"
	ctx := tab(t)
	n := 0
	pic := func(name string) {
		time.Sleep(500 * time.Millisecond)
		picture, _ := chromedp.Run(ctx, chromedp.CaptureScreenshot())
		os.WriteFile("/tmp/shots/l"+name+".png", picture, 0o644)
		n++
	}
	do(t, ctx, browser.Look(1280, 800, "light"), browser.SignIn(server, "marit", secret("marit")))
	do(t, ctx, chromedp.Navigate(server+"/"), browser.Settled())
	do(t, ctx, chromedp.Click(chromedp.CSS(`button[aria-label="Find anything"]`)), chromedp.WaitVisible(chromedp.CSS(`[role=dialog] input`)))
	do(t, ctx, chromedp.SendKeys(chromedp.CSS(`[role=dialog] input`), "cold"))
	time.Sleep(time.Second)
	pic("palette")
	do(t, ctx, chromedp.Navigate(server+"/team"), browser.Settled())
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`[...document.querySelectorAll("tbody input[type=checkbox]")].slice(0,3).forEach(e => e.click())`))
	pic("queue")
	do(t, ctx, chromedp.Navigate(server+"/reports/radio-winter/edit"), browser.Settled())
	pic("editor")
	do(t, ctx, browser.Look(390, 800, "dark"), chromedp.Navigate(server+"/how-sure?newest=true"), browser.Settled())
	pic("sure390")
	do(t, ctx, chromedp.Navigate(server+"/look-into"), browser.Settled())
	pic("look390")
}
