package api

import (
	"context"
	"net/http"

	ics "github.com/arran4/golang-ical"
	"github.com/gin-gonic/gin"

	"dappertally/internal/contract"
)

const calendarPath = "/calendar.ics"

func (h *handlers) OpenCalendar(ctx context.Context, _ OpenCalendarRequest) (*contract.CalendarAddress, error) {
	secret, err := h.people.OpenCalendar(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	return &contract.CalendarAddress{Path: calendarPath + "?key=" + secret}, nil
}

func (h *handlers) CloseCalendar(ctx context.Context, _ CloseCalendarRequest) error {
	if err := h.people.CloseCalendar(ctx, whoAsks(request(ctx))); err != nil {
		return err
	}
	return nil
}

// calendar answers with releases and due dates as iCalendar (RFC 5545). The secret is in the query, which is never
// logged.
func (h *handlers) calendar(c *gin.Context) {
	events, err := h.team.Calendar(c.Request.Context(), c.Query("key"))
	if err != nil {
		refuse(c, err)
		return
	}
	cal := ics.NewCalendar()
	cal.SetProductId("-//Dapper Tally//EN")
	cal.SetMethod(ics.MethodPublish)
	cal.SetName(h.ledger.Team() + ": releases and reviews")
	cal.SetRefreshInterval("PT1H")
	for _, e := range events {
		x := cal.AddEvent(e.ID + "@dapper-tally")
		x.SetDtStampTime(e.Day)
		x.SetAllDayStartAt(e.Day)
		x.SetAllDayEndAt(e.Day.AddDate(0, 0, 1))
		x.SetSummary(e.Summary)
		if e.Detail != "" {
			x.SetDescription(e.Detail)
		}
		x.SetTimeTransparency(ics.TransparencyTransparent)
	}
	c.Data(http.StatusOK, "text/calendar; charset=utf-8", []byte(cal.Serialize(ics.WithNewLineWindows)))
}
