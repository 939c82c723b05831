package survey

import (
	"fmt"

	"dappertally/core/advice"
	"dappertally/core/checklist"
)

// Sort is the kind of advice about surveyed facts.
const Sort = "survey"

// Advise checks the facts that a checklist's criteria name: a fact that no survey reads, or that surveys read by
// another method than the rule requires, would never be answered.
func Advise(list *checklist.Checklist) []advice.Advice {
	var found []advice.Advice
	for i := range list.Sections {
		for j := range list.Sections[i].Criteria {
			c := &list.Sections[i].Criteria[j]
			says := ""
			switch method := Method(c.Survey); {
			case c.Survey == "":
			case method == "":
				says = fmt.Sprintf(
					"there is no surveyed fact %q; dtally survey --output json lists the facts", c.Survey,
				)
			case c.Context.Method != "" && c.Context.Method != method:
				says = fmt.Sprintf(
					"surveys read %s by the method %s, and the criterion needs %s: a survey can never answer it",
					c.Survey,
					method,
					c.Context.Method,
				)
			case c.Kind == checklist.Grade:
				says = "a survey cannot answer a grade"
			}
			if says != "" {
				found = append(
					found,
					advice.Advice{
						Pointer: fmt.Sprintf("/sections/%d/criteria/%d", i, j),
						Sort:    Sort,
						Text:    titled(c) + ": " + says,
					},
				)
			}
		}
	}
	return found
}

func titled(c *checklist.Criterion) string {
	if c.Title != "" {
		return c.Title
	}
	return c.Key
}
