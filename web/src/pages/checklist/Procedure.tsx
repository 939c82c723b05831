import { useState } from "react";
import type { Schemas } from "../../api";
import type { Criterion } from "../../checklist";
import { Choice } from "../../components/Choice";
import { linesOf, NumberField, TextField } from "../../components/Fields";
import { ConditionsForm, ruleText } from "./Conditions";

type Procedure = Schemas["Procedure"];
type Step = Schemas["Step"];

const figures: { value: Procedure["read"]["figure"]; label: string }[] = [
  { value: "wall", label: "the elapsed time" },
  { value: "user", label: "processor time of the program" },
  { value: "system", label: "processor time of the kernel" },
  { value: "peak", label: "the peak memory" },
  { value: "energy", label: "energy of the processor" },
  { value: "last", label: "the last number printed" },
  { value: "pattern", label: "a number found by a pattern" },
  { value: "pointer", label: "a number in printed JSON" },
  { value: "fact", label: "a surveyed fact" },
  { value: "frames", label: "a log of frame times" },
  { value: "window", label: "the time until a window appears" },
];

const statistics: { value: NonNullable<Procedure["read"]["frames"]>; label: string }[] = [
  { value: "average", label: "average rate" },
  { value: "low-1-tail", label: "mean of the slowest 1 %" },
  { value: "low-1-percentile", label: "rate at the slowest 1 %" },
  { value: "low-0.1-tail", label: "mean of the slowest 0.1 %" },
  { value: "low-0.1-percentile", label: "rate at the slowest 0.1 %" },
];

const needs: { value: NonNullable<Procedure["needs"]>[number]; label: string }[] = [
  { value: "root", label: "root" },
  { value: "graphics", label: "a graphical session" },
  { value: "network", label: "a network" },
];

const printed = (figure: Procedure["read"]["figure"]) => ["last", "pattern", "pointer"].includes(figure);

/** Variables as lines, NAME=VALUE each. */
const variablesOf = (text: string): Record<string, string> =>
  Object.fromEntries(
    linesOf(text).map((l) => (l.includes("=") ? [l.slice(0, l.indexOf("=")), l.slice(l.indexOf("=") + 1)] : [l, ""])),
  );

/** A step as one line: a line for the shell, or a JSON list of a program and its arguments. */
const lineOf = (s: Step) => (s.shell ? s.shell : JSON.stringify(s.run ?? []));

/** What a line says; a list that is none is a line for the shell. */
function stepOf(line: string): Step {
  if (!line.startsWith("[")) return { shell: line };
  try {
    const run: unknown = JSON.parse(line);
    if (Array.isArray(run) && run.length > 0 && run.every((x) => typeof x === "string")) return { run };
  } catch {
    // It is a line for the shell then, such as a test in brackets.
  }
  return { shell: line };
}

/** How a client takes a measure by itself, for people who read the checklist. */
export function ProcedureText({ criterion: c }: { criterion: Criterion }) {
  const p = c.procedure;
  if (!p) return null;
  const s = p.sampling ?? {};
  const says = [
    `reads ${figures.find((f) => f.value === p.read.figure)?.label ?? p.read.figure}`,
    s.boots && s.boots > 1 ? `runs over ${s.boots} starts of the machine` : "",
    s.caches === "dropped" ? "file caches dropped before each run" : "",
    p.read.frames ? (statistics.find((x) => x.value === p.read.frames)?.label ?? "") : "",
    p.read.file ? `from ${p.read.file}` : "",
    p.kit?.length ? `with ${p.kit.join(", ")}` : "",
    p.needs?.length ? `needs ${p.needs.join(", ")}` : "",
  ].filter(Boolean);
  return (
    <details className="mt-1 text-[13px]">
      <summary className="cursor-pointer text-soft">dtally measure takes it automatically</summary>
      {(p.before ?? []).map((x, i) => (
        <span key={`before ${i}`} className="block text-soft">
          before each run: <code className="break-all whitespace-pre-wrap">{x.shell ?? x.run?.join(" ")}</code>
        </span>
      ))}
      {p.steps.map((x, i) => (
        <code key={`step ${i}`} className="block break-all whitespace-pre-wrap">
          {x.shell ?? x.run?.join(" ")}
        </code>
      ))}
      <span className="block text-soft">{says.join(" · ")}</span>
      {(p.conditions ?? []).map((r) => (
        <span key={r.when} className="block text-soft">
          {ruleText(r)}
        </span>
      ))}
    </details>
  );
}

type Props = { criterion: Criterion; kit: string[]; change: (make: (c: Criterion) => void) => void };

/** The procedure of a measure in the editor. */
export function ProcedureForm({ criterion, kit, change }: Props) {
  const p = criterion.procedure;
  const edit = (make: (p: Procedure) => void) => change((c) => void (c.procedure && make(c.procedure)));
  if (!p) {
    return (
      <button
        type="button"
        className="act justify-self-start"
        onClick={() => change((c) => void (c.procedure = { steps: [{ shell: "true" }], read: { figure: "wall" } }))}
      >
        Let dtally measure take it
      </button>
    );
  }
  const sample = (make: (s: NonNullable<Procedure["sampling"]>) => void) =>
    edit((p) => {
      p.sampling ??= {};
      make(p.sampling);
    });
  const percent = p.sampling?.precision === undefined ? undefined : 100 * p.sampling.precision;
  return (
    <fieldset className="grid grid-cols-[minmax(0,1fr)] gap-3 border border-rule p-3">
      <legend className="px-1 text-[13px] text-soft">dtally measure takes it automatically</legend>
      <Steps
        label="Measured commands, one per line"
        hint={'a line for the shell, or a JSON list such as ["tar", "-xf", "school-folder.tar"]'}
        steps={p.steps}
        change={(steps) => edit((p) => void (p.steps = steps))}
      />
      <Steps
        label="Commands before each run, not measured"
        steps={p.before ?? []}
        change={(steps) => edit((p) => void (p.before = steps.length ? steps : undefined))}
      />
      <div className="flex flex-wrap gap-x-6 gap-y-2">
        <Choice
          label="Reads"
          value={p.read.figure}
          options={figures}
          onChange={(x) =>
            edit((p) => {
              p.read = { figure: x as Procedure["read"]["figure"] };
              if (x === "frames") p.read.frames = "average";
            })
          }
        />
        <Choice
          label="File caches"
          value={p.sampling?.caches ?? "kept"}
          options={[
            { value: "kept", label: "kept" },
            { value: "dropped", label: "dropped before each run (needs root)" },
          ]}
          onChange={(x) => sample((s) => void (s.caches = x === "dropped" ? x : undefined))}
        />
      </div>
      {p.read.figure === "pattern" && (
        <TextField
          label="Pattern"
          hint="a regular expression with one group, which is the number"
          value={p.read.pattern}
          onChange={(x) => edit((p) => void (p.read.pattern = x || undefined))}
        />
      )}
      {p.read.figure === "fact" && (
        <TextField
          label="Fact"
          hint="a key from dtally survey --keys, such as start.total"
          value={p.read.fact}
          onChange={(x) => edit((p) => void (p.read.fact = x || undefined))}
        />
      )}
      {p.read.figure === "pointer" && (
        <TextField
          label="Pointer"
          hint="where the number is in the JSON, such as /summary/mean"
          value={p.read.pointer}
          onChange={(x) => edit((p) => void (p.read.pointer = x || undefined))}
        />
      )}
      {p.read.figure === "frames" && (
        <div className="grid gap-3 md:grid-cols-2">
          <Choice
            label="Statistic"
            value={p.read.frames ?? "average"}
            options={statistics}
            onChange={(x) => edit((p) => void (p.read.frames = x as "average"))}
          />
          <TextField
            label="Column of the log"
            hint="empty: the column of that name"
            value={p.read.column}
            onChange={(x) => edit((p) => void (p.read.column = x || undefined))}
          />
        </div>
      )}
      {(printed(p.read.figure) || p.read.figure === "frames") && (
        <div className="grid gap-3 md:grid-cols-2">
          <TextField
            label="File with the result"
            hint="in the folder of the run; empty: what is printed"
            value={p.read.file}
            onChange={(x) => edit((p) => void (p.read.file = x || undefined))}
          />
          {printed(p.read.figure) && (
            <TextField
              label="Unit of the number"
              hint="empty: the unit of the criterion"
              value={p.read.unit}
              onChange={(x) => edit((p) => void (p.read.unit = x || undefined))}
            />
          )}
        </div>
      )}
      <div className="grid gap-3 md:grid-cols-2">
        <Lines
          label="Environment variables, NAME=VALUE each"
          text={Object.entries(p.environment ?? {})
            .map(([name, value]) => `${name}=${value}`)
            .join("\n")}
          change={(text) => edit((p) => void (p.environment = linesOf(text).length ? variablesOf(text) : undefined))}
        />
        <div className="grid content-start gap-2">
          {kit.length > 0 && (
            <Ticks
              label="Test files"
              options={kit.map((name) => ({ value: name, label: name }))}
              chosen={p.kit ?? []}
              change={(x) => edit((p) => void (p.kit = x.length ? x : undefined))}
            />
          )}
          <Ticks
            label="Needs"
            options={needs}
            chosen={p.needs ?? []}
            change={(x) => edit((p) => void (p.needs = x.length ? (x as Procedure["needs"]) : undefined))}
          />
        </div>
      </div>
      <div className="grid grid-cols-2 gap-3 md:grid-cols-4">
        <NumberField
          label="Seconds that a run may take"
          hint="default: 3600"
          value={p.limit}
          onChange={(x) => edit((p) => void (p.limit = x))}
        />
        <NumberField
          label="Seconds to settle"
          hint="default: 1"
          value={p.sampling?.settle}
          onChange={(x) => sample((s) => void (s.settle = x))}
        />
        <NumberField
          label="Runs to discard"
          value={p.sampling?.discard}
          onChange={(x) => sample((s) => void (s.discard = x))}
        />
      </div>
      <div className="grid grid-cols-2 gap-3 md:grid-cols-4">
        <NumberField
          label="Minimum runs"
          value={p.sampling?.least}
          onChange={(x) => sample((s) => void (s.least = x))}
        />
        <NumberField label="Maximum runs" value={p.sampling?.most} onChange={(x) => sample((s) => void (s.most = x))} />
        <NumberField
          label="Precision in %"
          value={percent}
          onChange={(x) => sample((s) => void (s.precision = x === undefined ? undefined : x / 100))}
        />
        <NumberField
          label="Starts of the machine"
          value={p.sampling?.boots}
          onChange={(x) => sample((s) => void (s.boots = x))}
        />
      </div>
      <label className="inline-flex items-baseline gap-1">
        <input
          type="checkbox"
          checked={!!criterion.reference}
          onChange={(e) =>
            change((c) => {
              c.reference = e.target.checked || undefined;
              if (e.target.checked) {
                c.weight = undefined;
                c.curve = undefined;
                c.gate = undefined;
              }
            })
          }
        />
        it is the reference for the rigs: never scored, measured first in every session, to show whether a rig changed
      </label>
      <ConditionsForm
        label="Rules for the machine's condition, instead of the checklist's rules"
        rules={p.conditions ?? []}
        change={(rules) => edit((p) => void (p.conditions = rules))}
      />
      <button
        type="button"
        className="act justify-self-start"
        onClick={() => change((c) => void (c.procedure = undefined))}
      >
        Measure by hand
      </button>
    </fieldset>
  );
}

/** Some of a few, each with a box to tick. */
function Ticks({
  label,
  options,
  chosen,
  change,
}: {
  label: string;
  options: { value: string; label: string }[];
  chosen: string[];
  change: (chosen: string[]) => void;
}) {
  return (
    <fieldset>
      <legend className="text-[13px] text-soft">{label}</legend>
      <div className="flex flex-wrap gap-x-4 gap-y-1">
        {options.map((o) => (
          <label key={o.value} className="inline-flex items-baseline gap-1">
            <input
              type="checkbox"
              checked={chosen.includes(o.value)}
              onChange={(e) => change(e.target.checked ? [...chosen, o.value] : chosen.filter((x) => x !== o.value))}
            />
            {o.label}
          </label>
        ))}
      </div>
    </fieldset>
  );
}

/** Lines of text; what is typed stays as it is typed. */
function Lines({
  label,
  hint,
  text: first,
  change,
}: {
  label: string;
  hint?: string;
  text: string;
  change: (text: string) => void;
}) {
  const [text, setText] = useState(first);
  return (
    <TextField
      label={label}
      hint={hint}
      rows={3}
      value={text}
      onChange={(x) => {
        setText(x);
        change(x);
      }}
    />
  );
}

/** Steps as lines. */
function Steps({
  label,
  hint,
  steps,
  change,
}: {
  label: string;
  hint?: string;
  steps: Step[];
  change: (steps: Step[]) => void;
}) {
  return (
    <Lines
      label={label}
      hint={hint}
      text={steps.map(lineOf).join("\n")}
      change={(text) => change(linesOf(text).map(stepOf))}
    />
  );
}
