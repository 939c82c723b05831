package handbook

import "strings"

// help maps pages of the console to the page that explains them, by the beginning of the console's address. The
// longest match counts.
var help = map[string]string{
	"/":                  "/guides/readers#read-the-ranking",
	"/edition":           "/guides/readers#see-where-a-point-comes-from",
	"/compare":           "/guides/readers#compare-editions",
	"/weights":           "/guides/readers#see-how-steady-a-place-is",
	"/steadiness":        "/explanation/steadiness",
	"/explain":           "/explanation/scores#7-why-one-is-ahead",
	"/fits":              "/guides/readers#find-what-fits-your-machine",
	"/groups":            "/explanation/comparability",
	"/lines":             "/explanation/comparability#versions-of-the-checklist",
	"/records":           "/reference/glossary#results",
	"/reports":           "/guides/readers#check-a-published-report",
	"/reports/new":       "/guides/leads#write-a-report",
	"/catalogue":         "/guides/reviewers#a-new-system-in-the-catalogue",
	"/checklist":         "/guides/leads#the-checklist",
	"/checklist/edit":    "/reference/checklist-file",
	"/checklist/propose": "/reference/checklist-file",
	"/data-quality":      "/reference/glossary#data-quality",
	"/work":              "/guides/reviewers#the-desk",
	"/start":             "/tutorial/first-ranking",
	"/unsent":            "/guides/reviewers#the-desk",
	"/notices":           "/guides/administrators#mails-and-other-programs",
	"/desk":              "/guides/reviewers#the-desk",
	"/rigs":              "/explanation/comparability#the-rig",
	"/known-issues":      "/reference/glossary#reviews",
	"/suggest":           "/guides/readers#suggest-a-correction",
	"/team":              "/guides/leads#the-queue",
	"/team/settings":     "/guides/leads#accept-a-review",
	"/team/hooks":        "/guides/administrators#mails-and-other-programs",
	"/team/people":       "/guides/administrators#accounts",
	"/team/audit":        "/guides/administrators#who-did-what",
	"/team/operations":   "/guides/administrators#monitoring",
	"/team/import":       "/guides/reviewers#tables-from-elsewhere",
	"/bench":             "/reference/glossary#work-of-the-team",
	"/team/plans":        "/reference/glossary#work-of-the-team",
	"/account":           "/guides/administrators#accounts",
	"/welcome":           "/guides/administrators#accounts",
	"/recording":         "/guides/reviewers#times-from-a-recording",
	"/client":            "/guides/reviewers#the-client-on-a-fresh-machine",
	"/machine":           "/guides/reviewers#the-client-on-a-fresh-machine",
	"/set-up":            "/tutorial/first-ranking#2-set-up-the-team",
	"/sign-in":           "/guides/administrators#accounts",
}

// For returns the address that explains a page of the console; the start page if no other does.
func For(console string) string {
	for at := strings.TrimSuffix(console, "/"); at != ""; at = at[:strings.LastIndexByte(at, '/')] {
		if page, ok := help[at]; ok {
			return Root + page
		}
	}
	if strings.Trim(console, "/") == "" {
		return Root + help["/"]
	}
	return Root
}
