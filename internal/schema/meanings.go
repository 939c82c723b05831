package schema

// meanings says what each field of a checklist file is, in a sentence without its full
// stop. The schema and the reference in the guide to the file are made from it.
var meanings = map[string]string{
	"Checklist.key":        "name of the checklist, the same in all its versions: lower-case letters, digits, point, hyphen and underscore, at most 64",
	"Checklist.version":    "1, 2, 3, …; import numbers the next draft by itself",
	"Checklist.title":      "what people read",
	"Checklist.state":      "draft, in-force or retired; import always makes a draft",
	"Checklist.maximum":    "points of a perfect total; 100 where it is left out",
	"Checklist.policy":     "how points become a ranking",
	"Checklist.vocabulary": "what contexts are chosen from, so that they are never typed",
	"Checklist.kit":        "files that the tests are done with, told apart by their SHA-256",
	"Checklist.shots":      "pictures that every edition should have",
	"Checklist.sections":   "the weighted sections with their criteria",
	"Checklist.audiences":  "readers for whom other weights or gates hold",

	"Policy.minCoverage":  "share of the weight, 0 to 1, that must be answered before an edition is ranked; 0.8 where it is left out",
	"Policy.deadHeat":     "how many points apart two editions still share a place; 0.5 where it is left out",
	"Policy.balance":      "exponent of the mean over sections, −10 to 1: at 1 a strong section makes up for a weak one, the lower the less; 1 where it is left out",
	"Policy.reviewers":    "how several reviewers' answers become one",
	"Policy.disagreement": "how far apart reviewers' grades may stand unremarked, 0 to 10; 3 where it is left out",
	"Policy.decisive":     "keys of the criteria that settle a dead heat, first things first",
	"Policy.rigs":         "what counts where editions were measured on different rigs: adjusted estimates those that an edition lacks, as-measured does not",

	"Vocabulary.methods": "ways of measuring",
	"Vocabulary.setups":  "states of the machine beside the system, such as the number of screens",
	"Vocabulary.phases":  "moments in a system's life, such as its first session",
	"Named.key":          "name in files and addresses",
	"Named.title":        "what people read",

	"KitFile.name":   "plain file name",
	"KitFile.size":   "bytes",
	"KitFile.sha256": "SHA-256 of the content, 64 hexadecimal digits",
	"KitFile.note":   "what it is for",

	"Section.key":      "name in files and addresses",
	"Section.title":    "what people read",
	"Section.weight":   "what the section weighs beside the others; 0 counts nothing",
	"Section.criteria": "its questions",

	"Criterion.key":              "name in files and addresses, once in the whole checklist",
	"Criterion.title":            "the question, as people read it",
	"Criterion.guidance":         "how it is to be tried and answered",
	"Criterion.kind":             "how it is answered: see the kinds",
	"Criterion.weight":           "what it weighs beside the section's others; 0 puts it on trial",
	"Criterion.unit":             "of a measure: s, MiB, fps, W, …",
	"Criterion.better":           "of a measure: whether a low or a high value is good",
	"Criterion.context":          "what a reading must have been taken with to count; an empty field accepts all",
	"Criterion.runs":             "of a measure: how it is repeated and summed up",
	"Criterion.plausible":        "of a measure: the values that are believable; one outside has to be confirmed with a note",
	"Criterion.curve":            "of a measure: how a value becomes points",
	"Criterion.workaroundPoints": "of a check: points where it works with a workaround; 60 where it is left out",
	"Criterion.workaroundShare":  "of a count: share of an item's weight that a workaround earns, 0 to 1; 0.6 where it is left out",
	"Criterion.items":            "of a count: what is tried; where it is left out, the answer is how many of how many",
	"Criterion.levels":           "of a level: the ordered levels, worst first",
	"Criterion.gate":             "least points, 0 to 100, without which an edition is barred from the ranking",
	"Criterion.needs":            "equipment without which it cannot be tried; a rig has it or not",
	"Criterion.across":           "worst: of readings in several contexts the worst counts; where it is left out, the latest",
	"Criterion.scope":            "what one reading holds for; the edition where it is left out",
	"Criterion.survey":           "the fact of dtally survey that answers it; dtally survey --keys lists them",

	"Context.method": "a method of the vocabulary",
	"Context.setup":  "a setup of the vocabulary",
	"Context.phase":  "a phase of the vocabulary",

	"Runs.expect":    "how many runs a reading should have",
	"Runs.summary":   "how runs become one value; median where it is left out",
	"Runs.tolerance": "scatter that is still steady, as a share of the value; 0.05 where it is left out",

	"Range.least": "the lowest believable value; the unit's own where it is left out",
	"Range.most":  "the highest believable value; the unit's own where it is left out",

	"Curve.shape":  "span and ratio go from poor to ideal, evenly by differences or by ratios; steps goes through given points; field gives 100 to the best of all editions",
	"Curve.poor":   "of span and ratio: the value that earns 0 points",
	"Curve.ideal":  "of span and ratio: the value that earns 100 points",
	"Curve.points": "of steps: value and points, by rising value, straight between them",

	"Item.key":    "name in files and addresses",
	"Item.title":  "what people read",
	"Item.weight": "what it weighs beside the others; 1 where it is left out",

	"Rung.key":    "name in files and addresses",
	"Rung.title":  "what people read",
	"Rung.points": "what it earns, 0 to 100",

	"Audience.key":      "name in files and addresses",
	"Audience.title":    "what people read after \"for\"",
	"Audience.sections": "weights of sections that are other than everybody's",
	"Audience.criteria": "weights of criteria that are other than everybody's",
	"Audience.gates":    "gates of criteria that are other than everybody's, 0 to 100",
}
