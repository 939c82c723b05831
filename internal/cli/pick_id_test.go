package cli

import (
	"errors"
	"strings"
	"testing"
)

func TestPickID(t *testing.T) {
	const whole = "019e5447-0100-78fb-8a63-989f9f7edc4e"
	ids := []string{"019e5447-0100-78fb-8a63-989f9f7edc4e", "019e596d-5d00-7ba6-8262-971bfaea635c", "s1", "s10"}
	list := func() ([]string, error) { return ids, nil }
	for named, want := range map[string]string{whole: whole, "019e59": ids[1], "last": "s10", "s1": "s1"} {
		if got, err := pickID(named, "finding", list); err != nil || got != want {
			t.Errorf("%s is %s, %v, want %s", named, got, err, want)
		}
	}
	// A whole id is not looked up, so that one of another page is found too.
	if got, err := pickID("01a22404-9f48-7dc1-a658-1aff9179e90a", "finding", func() ([]string, error) { return nil, errors.New("asked") }); err != nil ||
		got[:8] != "01a22404" {
		t.Errorf("%s, %v", got, err)
	}
	for named, want := range map[string]string{"019e5": "2 findings", "019": "no finding 019", "ffff": "no finding ffff", "": "no finding"} {
		if got, err := pickID(named, "finding", list); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q is %s, %v, want %q", named, got, err, want)
		}
	}
	if _, err := pickID("last", "plan", func() ([]string, error) { return nil, nil }); !errors.Is(err, errNotFound) {
		t.Errorf("the last of none: %v", err)
	}
}
