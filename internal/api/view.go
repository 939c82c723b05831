package api

import (
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dappertally/core/catalogue"
	"dappertally/internal/answers"
	"dappertally/internal/problem"
)

// view reads the parameters that every result has: audience and weights, moment, rigs and filter.
func (h *handlers) view(c *gin.Context) (answers.Query, error) {
	v := c.Request.URL.Query()
	q := answers.Query{
		Checklist: v.Get("checklist"),
		Audience:  v.Get("audience"),
		Rigs:      v["rig"],
		Classes:   v["rigClass"],
	}
	var err error
	if q.After, err = h.after(c); err != nil {
		return q, err
	}
	if q.At, err = moment(v, "at"); err != nil {
		return q, err
	}
	for _, b := range []struct {
		name string
		into *bool
	}{{"commonRigs", &q.CommonRigs}, {"ground", &q.Ground}, {"newest", &q.Group.Newest}} {
		if *b.into, err = flag(v, b.name); err != nil {
			return q, err
		}
	}
	for _, w := range []struct {
		name string
		into *map[string]float64
	}{{"rigWeight", &q.RigWeights}, {"sectionWeight", &q.Weights.Sections}, {"criterionWeight", &q.Weights.Criteria}} {
		if *w.into, err = weights(v, w.name); err != nil {
			return q, err
		}
	}
	q.Group.Editions, q.Group.Distributions, q.Group.Families = v["only"], v["distribution"], v["family"]
	q.Group.From, q.Group.To = v.Get("releasedFrom"), v.Get("releasedTo")
	for _, a := range catalogue.Attributes {
		if len(v[a]) > 0 {
			if q.Group.Attributes == nil {
				q.Group.Attributes = map[string][]string{}
			}
			q.Group.Attributes[a] = v[a]
		}
	}
	return q, nil
}

func refusedParameter(name, value, wants string) error {
	return problem.New(problem.Invalid, "%s %s is not %s", name, strconv.Quote(value), wants)
}

func moment(v url.Values, name string) (*time.Time, error) {
	text := v.Get(name)
	if text == "" {
		return nil, nil
	}
	at, err := time.Parse(time.RFC3339, text)
	if err != nil {
		return nil, refusedParameter(name, text, "a time such as 2026-11-20T09:30:00Z")
	}
	return &at, nil
}

func flag(v url.Values, name string) (bool, error) {
	text := v.Get(name)
	if text == "" {
		return false, nil
	}
	b, err := strconv.ParseBool(text)
	if err != nil {
		return false, refusedParameter(name, text, "true or false")
	}
	return b, nil
}

// heaviest is the highest weight.
const heaviest = 1e6

func weights(v url.Values, name string) (map[string]float64, error) {
	var all map[string]float64
	for _, pair := range v[name] {
		key, text, _ := strings.Cut(pair, "=")
		w, err := strconv.ParseFloat(text, 64)
		if err != nil || !(w >= 0 && w <= heaviest) {
			return nil, refusedParameter(name, pair, "KEY=N with N between 0 and a million")
		}
		if all == nil {
			all = map[string]float64{}
		}
		all[key] = w
	}
	return all, nil
}
