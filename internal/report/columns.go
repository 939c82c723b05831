package report

import "dappertally/internal/tables"

// The tables that only reports have.
var (
	aboutReport = tables.Define("aboutReport", "the properties of a report in its spreadsheet",
		tables.Text("what", "", ""),
		tables.Text("says", "", ""),
	)
	caveats = tables.Define("caveats", "a remark on a figure",
		tables.Text("sort", "", "adjusted, disturbed, bound, not tested, estimated …"),
		tables.Text("edition", "", "its key"),
		tables.Text("criterion", "", "its key"),
		tables.Text("rig", "", "its key"),
		tables.Text("says", "", "description"),
	)
	upgrades = tables.Define("upgrades", "advice for users of a release about the next",
		tables.Text("edition", "", "key of the newer release's edition"),
		tables.Text("previous", "", "key of the earlier one's"),
		tables.Text("advice", "", "upgrade, wait or stay"),
		tables.Truth("decided", "", "by the team; else suggested by the rules"),
		tables.Text("reasons", "", ""),
	)
	findingRecords = tables.Define("findingRecords", "a finding or a tested claim",
		tables.Text("edition", "", "its key"),
		tables.Text("sort", "", "strength, weakness, quirk or claim"),
		tables.Text("severity", "", ""),
		tables.Text("title", "", ""),
		tables.Text("text", "", ""),
		tables.Text("workaround", "", ""),
		tables.Text("fate", "", "what happened to the finding that it follows"),
		tables.Text("outcome", "", "outcome of reporting it; for a claim, its state"),
	)
	verdicts = tables.Define("reportVerdicts", "a verdict for an audience",
		tables.Text("audience", "", "its key"),
		tables.Text("edition", "", "its key"),
		tables.Text("verdict", "", ""),
		tables.Text("conditions", "", ""),
		tables.Text("reason", "", ""),
		tables.List("alternatives", "", "keys of editions"),
	)
	contenders = tables.Define("reportContenders", "an edition that a report is about",
		tables.Text("edition", "", "its key"),
		tables.Text("name", "", ""),
		tables.Text("family", "", "what it is based on"),
		tables.Text("model", "", "fixed, rolling or semi-rolling"),
		tables.Day("released", "", ""),
		tables.Day("endOfSupport", "", ""),
		tables.Text("desktop", "", ""),
		tables.Text("architecture", "", ""),
		tables.Integer("memoryMiB", "", "required").In("MiB"),
		tables.Integer("diskGiB", "", "required").In("GiB"),
		tables.Text("aim", "", ""),
		tables.Text("why", "", "reason for including it"),
	)
)
