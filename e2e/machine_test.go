package e2e

import (
	"bufio"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

// TestMachineSignsIn signs a machine under review in: the client shows a code, a reviewer approves it in the console on
// another machine, and the machine can record in that review only, until its access is ended.
func TestMachineSignsIn(t *testing.T) {
	t.Parallel()
	server := serve(t)
	review := planned(t, newClient(t, server).login("ines"), "ivybeck/5.4/hearthside")
	machine := newClient(t, server)
	cmd := exec.CommandContext(t.Context(), filepath.Join(bin, "dtally"), "login", "--review", review)
	cmd.Env = append(os.Environ(), "XDG_CONFIG_HOME="+machine.home, "DTALLY_SERVER="+server, "DTALLY_TOKEN=")
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	lines, said := bufio.NewScanner(out), ""
	code := ""
	for code == "" && lines.Scan() {
		said += lines.Text() + "\n"
		code = regexp.MustCompile(`^ {4}([A-Z]{4}-[A-Z]{4})$`).FindString(lines.Text())
	}
	if code = strings.TrimSpace(code); code == "" || !strings.Contains(said, server+"/machine ") {
		t.Fatalf("the client says:\n%s", said)
	}
	ctx := tab(t)
	do(
		t,
		ctx,
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(server+"/machine"),
		browser.Settled(),
		typeIn("Code", "BBBB-CCCC"),
		press("Find the machine"),
		says("[role=alert]", "No machine is waiting"),
		chromedp.Navigate(server+"/machine#"+code),
		browser.Settled(),
		says("#page", "asks since"),
		browser.Until(
			`document.querySelector("input[type=radio]:checked")?.closest("label").textContent.includes("Ivybeck")`,
		),
		press("Approve"),
		says("[role=status]", "signed in"),
	)
	for lines.Scan() {
		said += lines.Text() + "\n"
	}
	if err := cmd.Wait(); err != nil || !strings.Contains(said, "as ines") ||
		!strings.Contains(said, "at ivybeck/5.4/hearthside") {
		t.Fatalf("%v\n%s", err, said)
	}
	machine.must("record", "week-of-use", "7") // in the review that it was approved for
	machine.must("rank")
	if errs := machine.fails(4, "review", "edit", review, "--state", "submitted", "--reason", "x"); !strings.Contains(
		errs,
		"can only record in",
	) {
		t.Errorf("submitting: %s", errs)
	}
	do(t, ctx,
		chromedp.Navigate(server+"/account"), browser.Settled(), says("#page", "can record in one review only"),
		chromedp.Click(`//li[contains(., "can record in one review only")]//button`),
		browser.Until(`!document.querySelector("#page").textContent.includes("can record in one review only")`),
	)
	machine.fails(4, "record", "week-of-use", "8")
}
