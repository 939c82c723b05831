package checklist

import (
	"slices"
)

// Condition is a state of the machine that may disturb a run.
type Condition string

// The conditions.
const (
	OnBattery   Condition = "battery"   // the machine runs on its battery
	HotMachine  Condition = "heat"      // °C of the hottest sensor
	Throttled   Condition = "throttled" // how often the processor was slowed down by its heat
	Capped      Condition = "capped"    // the highest frequency allowed, as a share of the highest possible
	Governed    Condition = "governor"  // the frequency governor changed
	OthersLoad  Condition = "load"      // number of processors kept busy by other programs
	Stalled     Condition = "stalled"   // the share of the time in which tasks waited for memory
	Swapped     Condition = "swapped"   // pages brought back from swap
	LittleFree  Condition = "memory"    // MiB of memory available
	LittleDisk  Condition = "disk"      // MiB free in the folder of the run
	Recorder    Condition = "recorder"  // a program that records the screen runs
	Installer   Condition = "installer" // a program that installs or updates software runs
	ClockStep   Condition = "clock"     // seconds by which the wall clock was adjusted
	ScreenOther Condition = "screen"    // the size or the refresh rate of the screen changed
)

// Response is what happens when a rule is broken.
type Response string

// The responses.
const (
	Stop   Response = "stop"   // the bench stops; the current run does not count
	Await  Response = "wait"   // runs wait until it has passed; a run during which it occurs is repeated
	Redo   Response = "repeat" // a run during which it occurs is repeated
	Notice Response = "note"   // recorded with the run, which counts
)

// Responses lists all responses, the strictest first.
var Responses = []Response{Stop, Await, Redo, Notice}

// Rule says what a condition leads to.
type Rule struct {
	When  Condition `json:"when"`
	Limit *float64  `json:"limit,omitempty"` // the limit beyond which it is broken; nil: the condition's default
	Do    Response  `json:"do"`
	Wait  float64   `json:"wait,omitempty"` // seconds to wait at most; 0: two minutes
}

// ConditionKind describes a condition.
type ConditionKind struct {
	Condition Condition
	Title     string
	Unit      string  // unit of the limit; empty if there is none
	Limit     float64 // default limit
	Below     bool    // broken below its limit, not above
	Do        Response
	Passes    bool // whether waiting can help
}

// Limited reports whether the condition has a limit.
func (k *ConditionKind) Limited() bool { return k.Unit != "" }

// ConditionKinds lists all conditions, with the rule that applies by default.
var ConditionKinds = []ConditionKind{
	{Condition: OnBattery, Title: "the machine runs on its battery", Do: Stop},
	{Condition: HotMachine, Title: "the hottest sensor", Unit: "°C", Limit: 85, Do: Notice, Passes: true},
	{Condition: Throttled, Title: "slowed down by heat", Unit: "times", Limit: 0, Do: Redo},
	{
		Condition: Capped, Title: "the highest frequency allowed", Unit: "of the highest possible", Limit: 1, Below: true,
		Do: Notice,
	},
	{Condition: Governed, Title: "the governor of the frequency changed", Do: Redo},
	{
		Condition: OthersLoad, Title: "other programs keep busy", Unit: "processors", Limit: 0.15, Do: Await,
		Passes: true,
	},
	{
		Condition: Stalled, Title: "tasks wait for memory", Unit: "of the time", Limit: 0.05, Do: Await, Passes: true,
	},
	{Condition: Swapped, Title: "brought back from swap", Unit: "pages", Limit: 256, Do: Await, Passes: true},
	{
		Condition: LittleFree, Title: "memory available", Unit: "MiB", Limit: 128, Below: true, Do: Notice, Passes: true,
	},
	{Condition: LittleDisk, Title: "disk free", Unit: "MiB", Limit: 256, Below: true, Do: Stop},
	{Condition: Recorder, Title: "a screen recorder runs", Do: Await, Passes: true},
	{Condition: Installer, Title: "software is installed or updated", Do: Await, Passes: true},
	{Condition: ClockStep, Title: "the clock was set", Unit: "s", Limit: 0.1, Do: Redo},
	{Condition: ScreenOther, Title: "the size or refresh rate of the screen changed", Do: Redo},
}

// Of returns the description of a condition; nil if there is no such condition.
func (c Condition) Of() *ConditionKind {
	i := slices.IndexFunc(ConditionKinds, func(k ConditionKind) bool { return k.Condition == c })
	if i < 0 {
		return nil
	}
	return &ConditionKinds[i]
}

// Bound returns the limit of a rule: its own, or the condition's default.
func (r *Rule) Bound() float64 { return or(r.Limit, r.When.Of().Limit) }

// Patience returns how many seconds a run waits at most for a condition to pass.
func (r *Rule) Patience() float64 {
	if r.Wait > 0 {
		return r.Wait
	}
	return usualPatience
}

const usualPatience = 120 // seconds

// Measuring is how the procedures of a checklist are run.
type Measuring struct {
	Conditions []Rule `json:"conditions,omitempty"` // for all procedures
}

// ReferenceCriterion returns the criterion that shows whether a rig has changed; nil if the checklist has none.
func (c *Checklist) ReferenceCriterion() *Criterion {
	for i := range c.Sections {
		for j := range c.Sections[i].Criteria {
			if one := &c.Sections[i].Criteria[j]; one.Reference && one.Procedure != nil {
				return one
			}
		}
	}
	return nil
}

func (v *validator) measuring() {
	v.In("conditions", func() { v.rules(v.list.Measuring.Conditions) })
}

// reference reports the faults of a criterion that shows whether rigs have changed.
func (v *validator) reference(c *Criterion) {
	if !c.Reference {
		return
	}
	if c.Procedure == nil {
		v.Field("reference", "needs a procedure, which is run first in every session")
	}
	if c.Weight != 0 || c.Gate != nil || c.Curve != nil {
		v.Field("reference", "is never scored: remove its weight, gate and curve")
	}
	if first := v.list.ReferenceCriterion(); first != nil && first.Key != c.Key {
		v.Field("reference", "%s is already the reference; a checklist has one", first.Key)
	}
}

// Rules returns the rule for every condition, in the order of ConditionKinds: the procedure's own rule, else the
// checklist's, else the default.
func (c *Checklist) Rules(p *Procedure) []Rule {
	rules := make([]Rule, len(ConditionKinds))
	for i, k := range ConditionKinds {
		rules[i] = Rule{When: k.Condition, Do: k.Do}
		for _, own := range [][]Rule{c.Measuring.Conditions, p.Conditions} {
			if j := slices.IndexFunc(own, func(r Rule) bool { return r.When == k.Condition }); j >= 0 {
				rules[i] = own[j]
			}
		}
	}
	return rules
}

// rules reports the faults of rules for conditions.
func (v *validator) rules(rules []Rule) {
	seen := map[Condition]bool{}
	for i, r := range rules {
		v.In(i, func() {
			k := r.When.Of()
			if k == nil {
				v.Field("when", "must be one of %s, not %.70q", oneOf(Conditions()), r.When)
				return
			}
			if seen[r.When] {
				v.Field("when", "%s already has a rule", r.When)
			}
			seen[r.When] = true
			if !slices.Contains(Responses, r.Do) {
				v.Field("do", "must be %s, not %.70q", oneOf(Responses), r.Do)
			}
			switch {
			case r.Limit != nil && !k.Limited():
				v.Field("limit", "%s has no limit: it is either true or false", r.When)
			case r.Limit != nil && !(*r.Limit >= 0 && *r.Limit <= mostOfLimit):
				v.Field("limit", "must be between 0 and %v, not %v", mostOfLimit, *r.Limit)
			}
			if r.Do == Await && !k.Passes {
				v.Field("do", "%s does not end by waiting; use stop, repeat or note", r.When)
			}
			switch {
			case r.Wait != 0 && r.Do != Await:
				v.Field("wait", "is only for do: wait")
			case !(r.Wait >= 0 && r.Wait <= longestRun):
				v.Field("wait", "must be between 0 and %d seconds, not %v", longestRun, r.Wait)
			}
		})
	}
}

// mostOfLimit bounds a rule's limit.
const mostOfLimit = 1e9

// Conditions lists the conditions that a rule may ask about, in the order of ConditionKinds.
func Conditions() []Condition {
	all := make([]Condition, len(ConditionKinds))
	for i, k := range ConditionKinds {
		all[i] = k.Condition
	}
	return all
}

// String is the rule in words.
func (r *Rule) String() string {
	k := r.When.Of()
	text := string(r.When)
	if k.Limited() {
		word := " above "
		if k.Below {
			word = " below "
		}
		text += word + written(r.Bound()) + " " + k.Unit
	}
	text += ": " + string(r.Do)
	if r.Do == Await {
		text += " " + inSeconds(r.Patience())
	}
	return text
}
