package reviewing_test

import (
	"strings"
	"testing"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/reviewing"
	"dappertally/internal/servicetest"
)

// TestMayReview checks the whole table of what each role can do with a review in each state.
func TestMayReview(t *testing.T) {
	for _, c := range []struct {
		state           string
		reviewer, lead  string
		reader, manager string
	}{
		{reading.Planned, "record write-entries assign revisit begin", "write-entries edit-others-entries assign revisit withdraw", "", ""},
		{reading.Underway, "record write-entries assign revisit submit", "write-entries edit-others-entries assign revisit submit withdraw", "", ""},
		{reading.Submitted, "record write-entries assign revisit give-back", "write-entries edit-others-entries assign revisit accept give-back withdraw", "", ""},
		{reading.Accepted, "record write-entries assign revisit", "write-entries edit-others-entries assign revisit reopen withdraw", "", ""},
		{reading.Withdrawn, "revisit", "revisit", "", ""},
	} {
		r := &reviewing.Review{}
		r.State = c.state
		for _, x := range []struct {
			who  *access.Actor
			want string
		}{{servicetest.Stranger, c.reader}, {servicetest.Reviewer, c.reviewer}, {servicetest.Lead, c.lead}, {servicetest.Administrator, c.manager}} {
			if got := strings.Join(reviewing.MayReview(x.who, r), " "); got != x.want {
				t.Errorf("%s with a review that is %s may %q, want %q", x.who.Name, c.state, got, x.want)
			}
		}
	}
}
