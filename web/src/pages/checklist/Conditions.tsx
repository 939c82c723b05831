import type { Schemas } from "../../api";
import { Choice } from "../../components/Choice";
import { NumberField } from "../../components/Fields";
import { Rows } from "./CriterionForm";

type Rule = Schemas["ConditionRule"];

/** The conditions of a machine: what they are called, the unit of their limit, and whether waiting helps. */
const conditions: { value: Rule["when"]; label: string; unit?: string; passes?: boolean }[] = [
  { value: "battery", label: "the machine runs on its battery" },
  { value: "heat", label: "the hottest sensor is above", unit: "°C", passes: true },
  { value: "throttled", label: "slowed down by heat more often than", unit: "times" },
  { value: "capped", label: "the highest frequency allowed is below", unit: "of the highest possible" },
  { value: "governor", label: "the governor of the frequency changed" },
  { value: "load", label: "other programs keep busy more than", unit: "processors", passes: true },
  { value: "stalled", label: "tasks wait for memory more than", unit: "of the time", passes: true },
  { value: "swapped", label: "memory read back from swap is more than", unit: "pages", passes: true },
  { value: "memory", label: "memory available is below", unit: "MiB", passes: true },
  { value: "disk", label: "free disk space is below", unit: "MiB" },
  { value: "recorder", label: "a screen recorder runs", passes: true },
  { value: "installer", label: "software is installed or updated", passes: true },
  { value: "clock", label: "the clock was set by more than", unit: "s" },
  { value: "screen", label: "the size or refresh rate of the screen changed" },
];

const responses: { value: Rule["do"]; label: string }[] = [
  { value: "stop", label: "stop measuring" },
  { value: "wait", label: "wait until it is over" },
  { value: "repeat", label: "repeat the run" },
  { value: "note", label: "count the run and note it" },
];

const of = (when: Rule["when"]) => conditions.find((c) => c.value === when);

/** A rule in words. */
export function ruleText(r: Rule): string {
  const c = of(r.when);
  const limit = c?.unit ? ` ${r.limit === undefined ? "the usual limit" : `${r.limit} ${c.unit}`}` : "";
  const wait = r.do === "wait" ? `, at most ${r.wait || 120} s` : "";
  return `${c?.label ?? r.when}${limit}: ${responses.find((x) => x.value === r.do)?.label ?? r.do}${wait}`;
}

/** Rules for conditions of the machine. */
export function ConditionsForm({
  label,
  rules,
  change,
}: {
  label: string;
  rules: Rule[];
  change: (rules: Rule[] | undefined) => void;
}) {
  const set = (next: Rule[]) => change(next.length ? next : undefined);
  const free = conditions.filter((c) => !rules.some((r) => r.when === c.value));
  return (
    <Rows
      label={label}
      rows={rules}
      add={() => free.length > 0 && set([...rules, { when: free[0].value, do: "repeat" }])}
      remove={(i) => set(rules.filter((_, n) => n !== i))}
      row={(r, i) => (
        <span className="flex min-w-0 flex-1 flex-wrap items-baseline gap-x-3 gap-y-1">
          <Choice
            quiet
            label={`condition ${i + 1}`}
            value={r.when}
            options={conditions.filter((c) => c.value === r.when || free.includes(c))}
            onChange={(when) => set(rules.with(i, { when: when as Rule["when"], do: "repeat" }))}
          />
          {of(r.when)?.unit && (
            <span className="whitespace-nowrap">
              <NumberField
                bare
                label={`limit of condition ${i + 1}`}
                value={r.limit}
                onChange={(limit) => set(rules.with(i, { ...r, limit }))}
              />{" "}
              <span className="text-[13px] text-soft">{of(r.when)?.unit}</span>
            </span>
          )}
          <Choice
            quiet
            label={`action for condition ${i + 1}`}
            value={r.do}
            options={responses.filter((x) => x.value !== "wait" || of(r.when)?.passes)}
            onChange={(x) => set(rules.with(i, { ...r, do: x as Rule["do"], wait: undefined }))}
          />
          {r.do === "wait" && (
            <span className="whitespace-nowrap">
              <NumberField
                bare
                label={`seconds to wait for condition ${i + 1}`}
                value={r.wait}
                onChange={(wait) => set(rules.with(i, { ...r, wait }))}
              />{" "}
              <span className="text-[13px] text-soft">s at most</span>
            </span>
          )}
        </span>
      )}
    />
  );
}
