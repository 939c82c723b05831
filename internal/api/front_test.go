package api_test

import (
	"encoding/json"
	"encoding/xml"
	"image/png"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"

	"dappertally/internal/api"
	"dappertally/internal/contract"
	"dappertally/internal/service"
)

const consolePage = `<!doctype html><html lang="en"><head><title>Dapper Tally</title></head><body><div id="root"></div></body></html>`

// consoled is a service with a console of one page, on the demo's records.
func consoled(t *testing.T, svc *service.Service, o api.Options) *httptest.Server {
	t.Helper()
	o.Log = slog.New(slog.DiscardHandler)
	o.Console = fstest.MapFS{
		"index.html":        {Data: []byte(consolePage)},
		"assets/app.js":     {Data: []byte(strings.Repeat("code ", 100))},
		"assets/app.js.br":  {Data: []byte("brotli")},
		"assets/app.js.gz":  {Data: []byte("gzip")},
		"assets/face.woff2": {Data: []byte("letters")},
	}
	handler, err := api.New(svc, o)
	if err != nil {
		t.Fatal(err)
	}
	server := httptest.NewServer(handler)
	t.Cleanup(server.Close)
	return server
}

func fetch(t *testing.T, address string, headers ...string) (*http.Response, string) {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, address, nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Accept-Encoding", "identity")
	for i := 0; i+1 < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	res, err := http.DefaultTransport.RoundTrip(r)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	if err != nil {
		t.Fatal(err)
	}
	return res, string(body)
}

var (
	knownRanking   = regexp.MustCompile(`<script type="application/json" id="ranking-data">(.*?)</script>`)
	structuredData = regexp.MustCompile(`<script type="application/ld\+json">(.*?)</script>`)
)

// TestFirstView reads pages as a browser without scripts and a search engine do.
func TestFirstView(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	server := consoled(t, w.svc, api.Options{})
	res, page := fetch(t, server.URL+"/")
	if res.StatusCode != 200 || !strings.Contains(page, "Gullhaven") ||
		!strings.Contains(page, "<title>Ranking · Dapper Tally</title>") ||
		!strings.Contains(page, `<link rel="canonical" href="`+server.URL+`/">`) {
		t.Fatalf("the front page: %d %.600s", res.StatusCode, page)
	}
	var known, asked contract.Ranking
	found := knownRanking.FindStringSubmatch(page)
	if found == nil {
		t.Fatalf("the front page brings no ranking along: %.600s", page)
	}
	if err := json.Unmarshal([]byte(found[1]), &known); err != nil {
		t.Fatal(err)
	}
	_, text := fetch(t, server.URL+"/api/v1/ranking?ranges=true&limit=100")
	if err := json.Unmarshal([]byte(text), &asked); err != nil {
		t.Fatal(err)
	}
	if len(known.Ranking) == 0 || known.Ranking[0].RankLow != asked.Ranking[0].RankLow || known.Counts != asked.Counts {
		t.Errorf("what comes along is not what the console would fetch")
	}
	var list struct {
		Type  string `json:"@type"`
		Items []struct {
			Position  int
			Name, URL string
		} `json:"itemListElement"`
	}
	if err := json.Unmarshal([]byte(structuredData.FindStringSubmatch(page)[1]), &list); err != nil ||
		list.Type != "ItemList" ||
		len(list.Items) == 0 || list.Items[0].URL != server.URL+"/edition/"+asked.Ranking[0].Edition {
		t.Errorf("structured data: %+v, %v", list, err)
	}
	if again, _ := fetch(t, server.URL+"/", "If-None-Match", res.Header.Get("ETag")); again.StatusCode != 304 {
		t.Errorf("the same page again: %d", again.StatusCode)
	}

	_, page = fetch(t, server.URL+"/edition/gullhaven/5.2/hearthside")
	var review struct {
		Type   string                        `json:"@type"`
		Rating struct{ RatingValue float64 } `json:"reviewRating"`
	}
	if err := json.Unmarshal([]byte(structuredData.FindStringSubmatch(page)[1]), &review); err != nil ||
		review.Type != "Review" ||
		review.Rating.RatingValue < 50 || !strings.Contains(page, "Gullhaven 5.2 <em>Hearthside") {
		t.Errorf("a scorecard: %+v, %v, %.400s", review, err, page)
	}
	// Every other request gets the console's page without a first view.
	for _, path := range []string{"/edition/no/such/one", "/edition/gullhaven/5.2", "/?audience=pensioner", "/work",
		"/edition/a/b/c/d"} {
		if _, page := fetch(t, server.URL+path); page != consolePage {
			t.Errorf("%s: %.300s", path, page)
		}
	}
}

// TestPictures draws the pictures of link previews, and reads the list of pages.
func TestPictures(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	server := consoled(t, w.svc, api.Options{})
	_, text := fetch(t, server.URL+"/sitemap.xml")
	var site struct {
		URL []struct {
			Loc string `xml:"loc"`
		} `xml:"url"`
	}
	if err := xml.Unmarshal([]byte(text), &site); err != nil || len(site.URL) < 20 {
		t.Errorf("the map: %v, %.300s", err, text)
	}
	if _, text := fetch(t, server.URL+"/robots.txt"); !strings.Contains(text, "Sitemap: "+server.URL+"/sitemap.xml") {
		t.Errorf("robots.txt: %s", text)
	}
	for _, path := range []string{"/previews/ranking.png", "/previews/edition/gullhaven/5.2/hearthside.png"} {
		_, body := fetch(t, server.URL+path)
		if picture, err := png.Decode(strings.NewReader(body)); err != nil || picture.Bounds().Dx() != 1200 ||
			picture.Bounds().Dy() != 630 {
			t.Errorf("%s: %v", path, err)
		}
	}
	if res, _ := fetch(t, server.URL+"/previews/edition/no/such/one.png"); res.StatusCode != 404 {
		t.Errorf("the picture of nothing: %d", res.StatusCode)
	}
}

// TestCompressed sends the console's code as compressed when it was built, if the browser accepts that.
func TestCompressed(t *testing.T) {
	t.Parallel()
	w := newWorld(t, false)
	server := consoled(t, w.svc, api.Options{})
	for accepted, want := range map[string]string{"gzip, br": "br", "gzip": "gzip", "br;q=0, gzip;q=0.5": "gzip",
		"identity": "", "br;q=0": ""} {
		res, body := fetch(t, server.URL+"/assets/app.js", "Accept-Encoding", accepted)
		if res.Header.Get("Content-Encoding") != want || !strings.HasPrefix(res.Header.Get("Content-Type"),
			"text/javascript") ||
			len(body) == 0 || res.Header.Get("Vary") != "Accept-Encoding" {
			t.Errorf("code for %q: %v", accepted, res.Header)
		}
	}
	if res, _ := fetch(t, server.URL+"/assets/face.woff2", "Accept-Encoding", "br, gzip"); res.StatusCode != 200 ||
		res.Header.Get("Content-Encoding") != "" {
		t.Errorf("letters: %d %v", res.StatusCode, res.Header)
	}
}

// TestFrames shows a ranking and a scorecard inside the pages that the administrator allows, and no others.
func TestFrames(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	closed := consoled(t, w.svc, api.Options{})
	open := consoled(t, w.svc, api.Options{Frames: []string{"https://paper.example", "https://radio.example"}})
	for _, path := range []string{"/frames/ranking?audience=pensioner", "/frames/edition/gullhaven/5.2/hearthside"} {
		if res, _ := fetch(t, closed.URL+path); res.StatusCode != 403 ||
			!strings.Contains(res.Header.Get("Content-Security-Policy"), "frame-ancestors 'none'") {
			t.Errorf("%s without leave: %d %v", path, res.StatusCode, res.Header)
		}
		res, page := fetch(t, open.URL+path)
		policy := res.Header.Get("Content-Security-Policy")
		if res.StatusCode != 200 || strings.Contains(page, "<script") || !strings.Contains(page, "Gullhaven") ||
			!strings.HasSuffix(policy, "frame-ancestors https://paper.example https://radio.example") ||
			!strings.Contains(policy, "default-src 'none'") {
			t.Errorf("%s: %d %s %.300s", path, res.StatusCode, policy, page)
		}
	}
	for path, status := range map[string]int{"/frames/edition/no/such/one": 404, "/frames/ranking?audience=nobody": 404,
		"/frames/ranking?at=soon": 422} {
		if res, _ := fetch(t, open.URL+path); res.StatusCode != status {
			t.Errorf("%s: %d, want %d", path, res.StatusCode, status)
		}
	}
}

// TestClosedFront: without an account, nothing of a closed service's figures can be read.
func TestClosedFront(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	server := consoled(t, w.svc, api.Options{Closed: true, Frames: []string{"*"}})
	for _, path := range []string{
		"/", "/edition/gullhaven/5.2/hearthside", "/previews/ranking.png", "/previews/edition/gullhaven/5.2/hearthside.png",
		"/frames/ranking", "/frames/edition/gullhaven/5.2/hearthside", "/sitemap.xml", "/robots.txt",
		"/api/v1/search?find=gull", "/api/v1/attributes",
	} {
		res, body := fetch(t, server.URL+path)
		if strings.Contains(strings.ToLower(body), "gullhaven") || res.Header.Get("Content-Type") == "image/png" {
			t.Errorf("%s tells a stranger: %d %.300s", path, res.StatusCode, body)
		}
	}
}
