package api

import (
	"context"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/internal/contract"
	"dappertally/internal/problem"
)

func (h *handlers) ListRules(ctx context.Context, r ListRulesRequest) (*contract.RuleList, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	list, err := findChecklist(ctx, st, r.Checklist, r.Version)
	if err != nil {
		return nil, err
	}
	out := contract.RuleList{Rules: []contract.Rule{}}
	for i := range list.Sections {
		for j := range list.Sections[i].Criteria {
			out.Rules = append(out.Rules, rule(&list.Sections[i].Criteria[j]))
		}
	}
	return &out, nil
}

// TryRule draws a rule that somebody is writing. A rule that gives no points yet is refused.
func (h *handlers) TryRule(_ context.Context, r TryRuleRequest) (*contract.Rule, error) {
	var book fault.Book
	if checklist.ValidateRule(r.Body, &book); len(book.List()) > 0 {
		return nil, &problem.Error{Kind: problem.Invalid, Message: "The rule is incomplete", Faults: book.List()}
	}
	return new(rule(r.Body)), nil
}

func rule(c *checklist.Criterion) contract.Rule {
	return contract.Rule{
		Criterion: c.Key,
		Words:     c.Rule(),
		Choices:   append([]checklist.Choice{}, c.Choices()...),
		Line:      corners(c.Line()),
		Relative:  c.Relative(),
	}
}

func corners(line [][2]float64) [][]float64 {
	out := make([][]float64, len(line))
	for i := range line {
		out[i] = line[i][:]
	}
	return out
}

func (h *handlers) ListKinds(context.Context, ListKindsRequest) (*contract.KindList, error) {
	var out contract.KindList
	for _, k := range checklist.Kinds {
		of := k.Of()
		out.Kinds = append(out.Kinds, struct {
			Fields []string `json:"fields"`
			Key    string   `json:"key"`
			Scored bool     `json:"scored"`
			Title  string   `json:"title"`
		}{append([]string{}, of.Fields...), string(k), of.Scored, of.Title})
	}
	for _, key := range checklist.Shapes {
		of := (&checklist.Curve{Shape: key}).Of()
		out.Shapes = append(out.Shapes, struct {
			Ends  bool   `json:"ends"`
			Key   string `json:"key"`
			Title string `json:"title"`
		}{of.Ends, key, of.Title})
	}
	return &out, nil
}
