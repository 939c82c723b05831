package api_test

import (
	"archive/tar"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"
	"slices"
	"strings"
	"testing"

	"dappertally/internal/intake"
)

// forge returns an archive in which the first file with that name of a report is altered, also its media type unless
// that is empty, and all hashes fit.
func forge(t *testing.T, archive []byte, name, mediaType string, alter func([]byte) []byte) []byte {
	t.Helper()
	var index intake.ArchiveIndex
	files, order := map[string][]byte{}, []string{}
	for in := tar.NewReader(bytes.NewReader(archive)); ; {
		h, err := in.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		body, err := io.ReadAll(in)
		if err != nil {
			t.Fatal(err)
		}
		files[h.Name] = body
		order = append(order, h.Name)
	}
	if err := json.Unmarshal(files[order[0]], &index); err != nil {
		t.Fatal(err)
	}
	of := &index.Reports[0].Revisions[0].Files
	i := slices.IndexFunc(*of, func(f intake.ArchivedOfReport) bool { return f.Name == name })
	old := (*of)[i].SHA256
	body := alter(files["frozen/"+old])
	sum := sha256.Sum256(body)
	now := hex.EncodeToString(sum[:])
	(*of)[i].SHA256 = now
	j := slices.IndexFunc(index.Frozen, func(f intake.ArchivedFile) bool { return f.SHA256 == old })
	index.Frozen[j].SHA256, index.Frozen[j].Size = now, int64(len(body))
	if mediaType != "" {
		index.Frozen[j].Type = mediaType
	}
	files["frozen/"+now] = body
	slices.SortFunc(index.Frozen, func(a, b intake.ArchivedFile) int { return strings.Compare(a.SHA256, b.SHA256) })
	text, err := json.Marshal(index)
	if err != nil {
		t.Fatal(err)
	}
	files[order[0]] = text
	order = order[:2]
	for _, f := range index.Frozen {
		order = append(order, "frozen/"+f.SHA256)
	}
	for _, f := range index.Files {
		order = append(order, "files/"+f.SHA256)
	}
	var out bytes.Buffer
	w := tar.NewWriter(&out)
	for _, name := range order {
		if err := w.WriteHeader(&tar.Header{Name: name, Mode: 0o644, Size: int64(len(files[name]))}); err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write(files[name]); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// forged imports archives that somebody altered: nothing in them runs, and differences are reported.
func forged(t *testing.T, archive []byte) {
	w := newWorld(t, false)
	same := func(b []byte) []byte { return b }
	w.must(
		422,
		"marit",
		"POST",
		"/api/v1/archive",
		string(forge(t, archive, "report.json", "text/html; charset=utf-8", same)),
	)
	script := func(b []byte) []byte {
		return bytes.Replace(b, []byte("</body>"), []byte("<script>alert(1)</script></body>"), 1)
	}
	var did struct {
		Reports   int
		Differing []string
	}
	w.must(201, "marit", "POST", "/api/v1/archive", string(forge(t, archive, "report.html", "", script))).into(t, &did)
	if len(did.Differing) != 1 || !strings.Contains(did.Differing[0], "revision 1") {
		t.Errorf("%d reports came, of which differ: %q", did.Reports, did.Differing)
	}
	var list struct {
		Reports []struct {
			Key       string
			Revisions []struct {
				Revision int
				Files    []struct{ Name, Address string }
			}
		}
	}
	w.must(200, "", "GET", "/api/v1/reports", nil).into(t, &list)
	sees := 0
	for _, r := range list.Reports {
		pages := []string{"/reports/" + r.Key}
		for _, v := range r.Revisions {
			for _, f := range v.Files {
				pages = append(pages, f.Address)
			}
		}
		for _, page := range pages {
			got := w.must(200, "", "GET", page, nil)
			policy := got.header.Get("Content-Security-Policy")
			if !strings.Contains(policy, "default-src 'none'") || !strings.Contains(policy, "sandbox") ||
				strings.Contains(policy, "script") {
				t.Errorf("%s may do: %s", page, policy)
			}
			if bytes.Contains(got.body, []byte("<script>alert")) {
				sees++
			}
		}
	}
	if sees == 0 {
		t.Error("the altered page was not among those looked at")
	}
}
