package reviewing

import (
	"strings"
	"testing"

	"dappertally/core/reading"
	"dappertally/internal/access"
)

var (
	stranger = &access.Actor{}
	ines     = &access.Actor{ID: "1", Name: "ines", Roles: []access.Role{access.Reviewer}}
	marit    = &access.Actor{ID: "2", Name: "marit", Roles: []access.Role{access.Lead}}
	perrin   = &access.Actor{ID: "3", Name: "perrin", Roles: []access.Role{access.Administrator}}
)

// TestMayReview is the whole table of what may be done with a review in each state.
func TestMayReview(t *testing.T) {
	for _, c := range []struct {
		state           string
		reviewer, lead  string
		reader, manager string
	}{
		{reading.Planned, "record write-entries assign revisit begin", "write-entries edit-others-entries assign revisit withdraw", "", ""},
		{reading.Underway, "record write-entries assign revisit hand-in", "write-entries edit-others-entries assign revisit hand-in withdraw", "", ""},
		{reading.HandedIn, "record write-entries assign revisit give-back", "write-entries edit-others-entries assign revisit accept give-back withdraw", "", ""},
		{reading.Accepted, "record write-entries assign revisit", "write-entries edit-others-entries assign revisit reopen withdraw", "", ""},
		{reading.Withdrawn, "revisit", "revisit", "", ""},
	} {
		r := &Review{}
		r.State = c.state
		for _, x := range []struct {
			who  *access.Actor
			want string
		}{{stranger, c.reader}, {ines, c.reviewer}, {marit, c.lead}, {perrin, c.manager}} {
			if got := strings.Join(MayReview(x.who, r), " "); got != x.want {
				t.Errorf("%s with a review that is %s may %q, want %q", x.who.Name, c.state, got, x.want)
			}
		}
	}
}
