package e2e

import (
	"io"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

// TestNoticesPage notifies a reviewer of new work, and another program of changes.
func TestNoticesPage(t *testing.T) {
	t.Parallel()
	server := serve(t)
	told := make(chan string, 100)
	listening := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		told <- string(body)
	}))
	defer listening.Close()
	marit, ines := tab(t), tab(t)
	do(t, marit, browser.SignIn(server, "marit", secret("marit")), chromedp.Navigate(server+"/team/hooks"),
		browser.Settled(),
		typeIn("Address", listening.URL), chromedp.Click(labelledBox("review")), press("Add"), says("[role=status]", "dth_"),
		says("h2", listening.URL))
	do(t, ines, browser.SignIn(server, "ines", secret("ines")))
	c := newClient(t, server).login("marit")
	c.must("review", "add", "ivybeck/5.4/hearthside", "--assigned", "ines", "--due", "2026-11-24")
	// The count in the head changes by itself.
	do(t, ines, browser.Until(`document.querySelector("header a[href='/notices']")?.textContent.trim() > "0"`),
		chromedp.Click(chromedp.CSS("header a[href='/notices']")), says("li", "Ivybeck 5.4 Hearthside"),
		says("li", "Overdue"))
	do(t, marit, press("Deliveries"), says("td", "delivered, 200"),
		chromedp.Click(chromedp.CSS(`button[aria-label^="Send change"]`)))
	for range 2 { // twice
		<-told
	}
}

func labelledBox(label string) chromedp.Search {
	return chromedp.Search(`//label[normalize-space(.)="` + label + `"]/input`)
}
