package cli

import (
	"dappertally/core/reading"
	"dappertally/internal/tables"
)

type noted = reading.Entry

// parts lists the kinds of entry; the system state comes first.
var parts = []part{
	{
		noun: "state", name: "system", short: "States of the system under review", main: "[NOTE]",
		examples: [2]string{
			"dtally state add 'fresh install' --installed 'full disk encrypted' --installed 'proprietary drivers' --review quaymark/22.1/latchwork",
			"dtally state add 'after the first updates' --updated kernel --rig bench-old --review quaymark/22.1/latchwork",
		},
		empty: func() noted { return noted{System: &reading.System{}} },
		words: func(e *noted, w string) { e.System.Note = w },
		define: func(s *fields[noted]) {
			s.text("rig", "the rig with this state", func(e *noted) *string { return &e.System.Rig })
			s.lines("installed", "chosen at installation", func(e *noted) *[]string { return &e.System.Installed })
			s.lines("changed", "changed by hand", func(e *noted) *[]string { return &e.System.Changed })
			s.lines("updated", "updated", func(e *noted) *[]string { return &e.System.Updated })
		},
		table: entries("states",
			tables.Text("rig", "Rig", ""),
			tables.Text("note", "Note", ""),
			tables.List("installed", "Installed", ""),
			tables.List("changed", "Changed", ""),
			tables.List("updated", "Updated", ""),
			tables.Integer("facts", "Facts", ""),
		),
		row: func(e *noted) []any {
			x := e.System
			return []any{
				x.Rig,
				x.Note,
				x.Installed,
				x.Changed,
				x.Updated,
				len(x.Facts),
			}
		},
	},
	{
		noun: "finding", name: "finding", short: "Strengths, weaknesses and quirks", main: "TITLE",
		examples: [2]string{
			"dtally finding add 'Wireless is gone after suspend' --sort weakness --severity major --seen sometimes --workaround 'reload the driver' --review quaymark/22.1/latchwork",
			"dtally finding add 'Wireless comes back by itself' --sort strength --follows 019e5447-0100-78fb-8a63-989f9f7edc4e --fate fixed --review quaymark/22.1/latchwork",
		},
		empty: func() noted { return noted{Finding: &reading.Finding{}} },
		words: func(e *noted, w string) { e.Finding.Title = w },
		define: func(s *fields[noted]) {
			x := func(field func(*reading.Finding) *string) func(*noted) *string {
				return func(e *noted) *string { return field(e.Finding) }
			}
			s.choice("sort", "", reading.FindingSorts, x(func(y *reading.Finding) *string { return &y.Sort }))
			s.text("text", "details", x(func(y *reading.Finding) *string { return &y.Text }))
			s.choice("severity", "", reading.Severities, x(func(y *reading.Finding) *string { return &y.Severity }))
			s.choice("nature", "", reading.Natures, x(func(y *reading.Finding) *string { return &y.Nature }))
			s.choice("seen", "", reading.SeenWords, x(func(y *reading.Finding) *string { return &y.Seen }))
			s.choice("sure", "", reading.SureWords, x(func(y *reading.Finding) *string { return &y.Sure }))
			s.text("criterion", "the criterion that it belongs to",
				x(func(y *reading.Finding) *string { return &y.Criterion }))
			s.text("rig", "the rig that it was seen on", x(func(y *reading.Finding) *string { return &y.Rig }))
			s.text("system", "the state that it was seen in", x(func(y *reading.Finding) *string { return &y.System }))
			s.text("workaround", "workaround", x(func(y *reading.Finding) *string { return &y.Workaround }))
			s.lines("reported", "address of a report",
				func(e *noted) *[]string { return &e.Finding.Reported })
			s.text("outcome", "outcome of the report", x(func(y *reading.Finding) *string { return &y.Outcome }))
			s.text("known-issue", "key of the known issue that it is a case of",
				x(func(y *reading.Finding) *string { return &y.KnownIssue }))
			s.text("follows", "id of the finding of an earlier release that it checks",
				x(func(y *reading.Finding) *string { return &y.Follows }))
			s.choice("fate", "what happened to that finding", reading.Fates,
				x(func(y *reading.Finding) *string { return &y.Fate }))
		},
		table: entries("reviewFindings",
			tables.Text("title", "Finding", ""),
			tables.Text("sort", "Sort", ""),
			tables.Text("severity", "Severity", ""),
			tables.Text("seen", "Seen", ""),
			tables.Text("sure", "Sure", ""),
			tables.Text("workaround", "Workaround", ""),
			tables.Text("knownIssue", "Known issue", ""),
			tables.Text("fate", "Fate", ""),
		),
		row: func(e *noted) []any {
			x := e.Finding
			return []any{x.Title, x.Sort, x.Severity, x.Seen, x.Sure, x.Workaround, x.KnownIssue, x.Fate}
		},
	},
	{
		noun: "change", name: "change", short: "Differences from the release before", main: "COMPONENT",
		examples: [2]string{
			"dtally change add kernel --was 6.1 --is 6.12 --source announced --effect better --review quaymark/22.1/latchwork",
			"dtally change add 'radio player' --was included --source found --effect worse --whom 'the radio studio' --review quaymark/22.1/latchwork",
		},
		empty: func() noted { return noted{Change: &reading.Change{}} },
		words: func(e *noted, w string) { e.Change.Component = w },
		define: func(s *fields[noted]) {
			s.text("was", "before; left out: not present", func(e *noted) *string { return &e.Change.Was })
			s.text("is", "now; left out: removed", func(e *noted) *string { return &e.Change.Is })
			s.choice("source", "", reading.Sources, func(e *noted) *string { return &e.Change.Source })
			s.choice("effect", "", reading.Effects, func(e *noted) *string { return &e.Change.Effect })
			s.text("whom", "for whom", func(e *noted) *string { return &e.Change.Whom })
			s.text("link", "source address", func(e *noted) *string { return &e.Change.Link })
			s.text("note", "a remark", func(e *noted) *string { return &e.Change.Note })
		},
		table: entries("reviewChanges",
			tables.Text("component", "Component", ""),
			tables.Text("was", "Was", ""),
			tables.Text("is", "Is", ""),
			tables.Text("source", "Source", ""),
			tables.Text("effect", "Effect", ""),
			tables.Text("whom", "For whom", ""),
		),
		row: func(e *noted) []any {
			x := e.Change
			return []any{x.Component, x.Was, x.Is, x.Source, x.Effect, x.Whom}
		},
	},
	{
		noun: "claim", name: "claim", short: "Statements of makers, users or folklore, upheld or refuted", main: "STATEMENT",
		examples: [2]string{
			"dtally claim add 'Starts twice as fast' --by makers --source 'release notes of 22.1' --state open --criterion cold-start --review quaymark/22.1/latchwork",
			"dtally claim edit last --state refuted --reason 'it starts 3 % faster, within the scatter' --review quaymark/22.1/latchwork",
		},
		empty: func() noted { return noted{Claim: &reading.Claim{State: "open"}} },
		words: func(e *noted, w string) { e.Claim.Text = w },
		define: func(s *fields[noted]) {
			s.choice("by", "", reading.ClaimBy, func(e *noted) *string { return &e.Claim.By })
			s.text("source", "source", func(e *noted) *string { return &e.Claim.Source })
			s.choice("state", "", reading.ClaimStates, func(e *noted) *string { return &e.Claim.State })
			s.text("reason", "why it is upheld or refuted", func(e *noted) *string { return &e.Claim.Reason })
			s.lines("criterion", "a criterion that tests it",
				func(e *noted) *[]string { return &e.Claim.Criteria })
		},
		table: entries("claims",
			tables.Text("text", "Claim", ""),
			tables.Text("saidBy", "By", ""),
			tables.Text("source", "Source", ""),
			tables.Text("state", "State", ""),
			tables.Text("reason", "Reason", ""),
		),
		row: func(e *noted) []any {
			x := e.Claim
			return []any{x.Text, x.By, x.Source, x.State, x.Reason}
		},
	},
	{
		noun: "journal", name: "journal", short: "Dated entries on daily use of the system", main: "TEXT",
		examples: [2]string{
			"dtally journal add 'The second update broke the sound; a restart mended it' --at 2026-11-19 --review quaymark/22.1/latchwork",
			"dtally journal add 'Still quick after a week' --rig bench-old --review quaymark/22.1/latchwork",
		},
		empty: func() noted { return noted{Journal: &reading.Journal{}} },
		words: func(e *noted, w string) { e.Journal.Text = w },
		define: func(s *fields[noted]) {
			s.text("rig", "the rig in use", func(e *noted) *string { return &e.Journal.Rig })
		},
		table: entries("journal",
			tables.Text("text", "Entry", ""),
			tables.Text("rig", "Rig", ""),
		),
		row: func(e *noted) []any { return []any{e.Journal.Text, e.Journal.Rig} },
	},
	{
		noun: "experience", name: "experience", short: "A reviewer's longer use outside the review; never scored", main: "TEXT",
		examples: [2]string{
			"dtally experience add 'Never had to reinstall' --since 'two years, daily' --review quaymark/22.1/latchwork",
			"dtally experience add 'Upgrades went well three times' --review quaymark/22.1/latchwork",
		},
		empty: func() noted { return noted{Experience: &reading.Experience{}} },
		words: func(e *noted, w string) { e.Experience.Text = w },
		define: func(s *fields[noted]) {
			s.text("since", "how long and how often", func(e *noted) *string { return &e.Experience.Since })
		},
		table: entries("experience",
			tables.Text("text", "Experience", ""),
			tables.Text("since", "Since", ""),
		),
		row: func(e *noted) []any { return []any{e.Experience.Text, e.Experience.Since} },
	},
	{
		noun: "verdict", name: "verdict", short: "For one audience: recommended or not, and why", main: "REASON",
		examples: [2]string{
			"dtally verdict add 'Nothing surprises, everything is where one looks' --audience pensioner --verdict recommended --review quaymark/22.1/latchwork",
			"dtally verdict add 'Fast and current' --audience tinkerer --verdict conditional --conditions 'a spare kernel is kept' --alternative gullhaven/5.2/hearthside --review quaymark/22.1/latchwork",
		},
		empty: func() noted { return noted{Verdict: &reading.Verdict{}} },
		words: func(e *noted, w string) { e.Verdict.Reason = w },
		define: func(s *fields[noted]) {
			s.text("audience", "key of the audience", func(e *noted) *string { return &e.Verdict.Audience })
			s.choice("verdict", "", reading.VerdictWords, func(e *noted) *string { return &e.Verdict.Verdict })
			s.text("conditions", "conditions of the recommendation",
				func(e *noted) *string { return &e.Verdict.Conditions })
			s.lines("alternative", "an edition to consider instead",
				func(e *noted) *[]string { return &e.Verdict.Alternatives })
		},
		table: entries("verdicts",
			tables.Text("audience", "Audience", ""),
			tables.Text("verdict", "Verdict", ""),
			tables.Text("conditions", "Conditions", ""),
			tables.Text("reason", "Reason", ""),
			tables.List("alternatives", "Alternatives", ""),
		),
		row: func(e *noted) []any {
			x := e.Verdict
			return []any{x.Audience, x.Verdict, x.Conditions, x.Reason, x.Alternatives}
		},
	},
	{
		noun: "advice", name: "advice", short: "For users of the release before: upgrade, wait or stay", main: "REASON",
		examples: [2]string{
			"dtally advice add 'The printer problem is gone' --advice upgrade --review quaymark/22.1/latchwork",
			"dtally advice add 'Wait for the first point release' --advice wait --review quaymark/22.1/latchwork",
		},
		empty: func() noted { return noted{Advice: &reading.Advice{}} },
		words: func(e *noted, w string) { e.Advice.Reason = w },
		define: func(s *fields[noted]) {
			s.choice("advice", "", reading.AdviceWords, func(e *noted) *string { return &e.Advice.Advice })
		},
		table: entries("upgradeAdvice",
			tables.Text("advice", "Advice", ""),
			tables.Text("reason", "Reason", ""),
		),
		row: func(e *noted) []any { return []any{e.Advice.Advice, e.Advice.Reason} },
	},
	{
		noun: "use", name: "use", short: "Days of use, and on which rig", main: "[NOTE]",
		examples: [2]string{
			"dtally use add 'office work and radio' --days 9 --rig bench-old --review quaymark/22.1/latchwork",
			"dtally use add --days 3 --rig bench-new --review quaymark/22.1/latchwork",
		},
		empty: func() noted { return noted{Use: &reading.Use{}} },
		words: func(e *noted, w string) { e.Use.Note = w },
		define: func(s *fields[noted]) {
			s.whole("days", "number of days", func(e *noted) *int { return &e.Use.Days })
			s.text("rig", "the rig", func(e *noted) *string { return &e.Use.Rig })
		},
		table: entries("use",
			tables.Integer("days", "Days", ""),
			tables.Text("rig", "Rig", ""),
			tables.Text("note", "Note", ""),
		),
		row: func(e *noted) []any { return []any{e.Use.Days, e.Use.Rig, e.Use.Note} },
	},
	{
		noun: "disclosure", name: "disclosure", short: "What readers should know about a reviewer", main: "TEXT",
		examples: [2]string{
			"dtally disclosure add 'Helped to translate its installer in 2024' --review quaymark/22.1/latchwork",
			"dtally disclosure add 'Knows one of its makers' --review quaymark/22.1/latchwork",
		},
		empty:  func() noted { return noted{Disclosure: &reading.Disclosure{}} },
		words:  func(e *noted, w string) { e.Disclosure.Text = w },
		define: func(*fields[noted]) {},
		table: entries("disclosures",
			tables.Text("text", "Disclosure", ""),
		),
		row: func(e *noted) []any { return []any{e.Disclosure.Text} },
	},
}
