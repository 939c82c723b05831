import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Schemas } from "../../api";
import { Choice } from "../../components/Choice";
import { TextField, linesOf } from "../../components/Fields";
import { Refused } from "../../components/States";
import { fields, type Glance, type Mapping } from "../../imports";
import { outdated } from "../../keys";

/** A mapping that says nothing yet. */
export const blank = (form: string): Mapping => ({
  name: "",
  form: form as Mapping["form"],
  fields: {},
  answers: [],
  tests: [],
});

const titles: Record<(typeof fields)[number], string> = {
  edition: "Edition",
  review: "Review",
  criterion: "Criterion",
  answer: "Answer",
  unit: "Unit",
  rig: "Rig",
  at: "Measured at",
  reviewer: "Reviewer",
  method: "Method",
  setup: "Setup",
  phase: "Phase",
  system: "System state",
  notTested: "Not tested: why",
  notApplicable: "Not applicable: why",
  adjustment: "Known offset",
  adjustmentReason: "Why it is subtracted",
  bound: "Bound",
  disturbance: "Disturbance",
  repeat: "After a restart",
  note: "Note",
  id: "Id",
  replaces: "Replaces",
  boots: "Starts of the machine",
};

// Fields whose words are ours to know, rather than free.
const worded = ["edition", "criterion", "rig", "reviewer", "method", "setup", "phase", "bound", "unit", "repeat"];
const shown = ["edition", "criterion", "answer", "rig", "at", "phase", "note"];

/** Says which column holds what, by the columns that the file shows. */
export function MappingEditor({
  mapping,
  glance,
  onChange,
}: {
  mapping: Mapping;
  glance?: Glance;
  onChange: (m: Mapping) => void;
}) {
  return (
    <section className="mt-5 border-l border-accent pl-4" aria-label="A new mapping">
      <h2>Meaning of the file's {mapping.form === "tap" ? "tests" : "columns"}</h2>
      {mapping.form === "tap" ? (
        <Tests mapping={mapping} glance={glance} onChange={onChange} />
      ) : (
        <Columns mapping={mapping} glance={glance} onChange={onChange} />
      )}
      <Save mapping={mapping} />
    </section>
  );
}

function Columns({ mapping, glance, onChange }: { mapping: Mapping; glance?: Glance; onChange: (m: Mapping) => void }) {
  const columns = glance?.columns ?? [];
  const used = Object.keys(mapping.fields ?? {});
  const visible = fields.filter((f) => shown.includes(f) || used.includes(f));
  const set = (name: string, change: Partial<Schemas["MappedField"]> | undefined) => {
    const next = { ...mapping.fields };
    if (!change) delete next[name];
    else next[name] = { ...next[name], ...change };
    onChange({ ...mapping, fields: next });
  };
  if (columns.length === 0)
    return <p className="mt-1 text-[13px] text-soft">Choose the file first: its columns are read from it.</p>;
  return (
    <>
      <First glance={glance!} />
      <div className="mt-3 grid gap-x-8 gap-y-3 md:grid-cols-2">
        {visible.map((name) => {
          const f = mapping.fields?.[name];
          return (
            <div key={name} className="min-w-0 border-b border-rule pb-2">
              <Choice
                label={titles[name]}
                value={f?.column ?? ""}
                options={[{ value: "", label: "–" }, ...columns.map((c) => ({ value: c, label: c }))]}
                onChange={(column) => set(name, column ? { column, value: undefined } : undefined)}
              />
              {f?.column && worded.includes(name) && (
                <Meanings values={f.values} onChange={(values) => set(name, { values })} />
              )}
            </div>
          );
        })}
      </div>
      <p className="mt-2">
        <Choice
          label="Another field"
          value=""
          options={[
            { value: "", label: "–" },
            ...fields.filter((f) => !visible.includes(f)).map((f) => ({ value: f, label: titles[f] })),
          ]}
          onChange={(f) => f && set(f, { column: columns[0] })}
        />
      </p>
      <Wide mapping={mapping} columns={columns} onChange={onChange} />
      <div className="mt-3 grid max-w-3xl gap-x-6 gap-y-2 sm:grid-cols-3">
        <TextField
          label="Format of times"
          hint="such as DD.MM.YYYY hh:mm"
          value={mapping.times}
          onChange={(times) => onChange({ ...mapping, times })}
        />
        <TextField
          label="Time zone"
          hint="such as Europe/Oslo; default: UTC"
          value={mapping.zone}
          onChange={(zone) => onChange({ ...mapping, zone })}
        />
        <label className="flex items-end gap-2">
          <input
            type="checkbox"
            className="accent-(--accent)"
            checked={mapping.decimal === "comma"}
            onChange={(e) => onChange({ ...mapping, decimal: e.target.checked ? "comma" : "" })}
          />{" "}
          Decimal commas
        </label>
      </div>
    </>
  );
}

/** What the words of a column mean, one pair a line. What is typed stays as typed. */
function Meanings({
  values,
  onChange,
}: {
  values: Record<string, string> | undefined;
  onChange: (values: Record<string, string>) => void;
}) {
  const [text, setText] = useState(() =>
    Object.entries(values ?? {})
      .map(([theirs, ours]) => `${theirs} = ${ours}`)
      .join("\n"),
  );
  const type = (next: string) => {
    setText(next);
    const pairs = linesOf(next).map((l) => l.split("=").map((word) => word.trim()));
    onChange(Object.fromEntries(pairs.filter((p) => p.length === 2 && p[1])));
  };
  return (
    <TextField label="Translated words" hint="one per line: theirs = ours" rows={2} value={text} onChange={type} />
  );
}

function First({ glance }: { glance: Glance }) {
  return (
    <div className="scroll-x mt-2" tabIndex={0} role="region" aria-label="First rows of the file">
      <table className="ledger">
        <thead>
          <tr>
            {glance.columns.map((c) => (
              <th key={c}>{c}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {glance.rows.slice(0, 3).map((r, i) => (
            <tr key={i}>
              {r.map((cell, j) => (
                <td key={j}>{cell}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** Columns of a table that has one for each criterion. */
function Wide({ mapping, columns, onChange }: { mapping: Mapping; columns: string[]; onChange: (m: Mapping) => void }) {
  const answers = mapping.answers ?? [];
  const set = (i: number, change: Partial<Schemas["MappedAnswer"]>) =>
    onChange({ ...mapping, answers: answers.map((a, j) => (i === j ? { ...a, ...change } : a)) });
  return (
    <fieldset className="mt-4">
      <legend className="font-serif font-semibold">A column for each criterion</legend>
      {answers.map((a, i) => (
        <div key={i} className="mt-1 grid items-end gap-x-4 gap-y-1 sm:grid-cols-[2fr_1fr_1fr_1fr_auto]">
          <TextField
            label="Columns"
            hint="one run each, separated by commas"
            value={a.columns.join(", ")}
            onChange={(t) => set(i, { columns: t.split(",").map((c) => c.trim()) })}
          />
          <TextField label="Criterion" value={a.criterion} onChange={(criterion) => set(i, { criterion })} />
          <TextField label="Unit" value={a.unit} onChange={(unit) => set(i, { unit })} />
          <TextField label="Phase" value={a.phase} onChange={(phase) => set(i, { phase })} />
          <button
            type="button"
            className="act"
            onClick={() => onChange({ ...mapping, answers: answers.filter((_, j) => j !== i) })}
          >
            Remove
          </button>
        </div>
      ))}
      <button
        type="button"
        className="act mt-1"
        onClick={() =>
          onChange({ ...mapping, answers: [...answers, { columns: [columns[columns.length - 1]], criterion: "" }] })
        }
      >
        Add a column
      </button>
    </fieldset>
  );
}

function Tests({ mapping, glance, onChange }: { mapping: Mapping; glance?: Glance; onChange: (m: Mapping) => void }) {
  const names = glance?.tests ?? [];
  const tests = mapping.tests ?? [];
  if (names.length === 0)
    return <p className="mt-1 text-[13px] text-soft">Choose the file first: its tests are read from it.</p>;
  const set = (name: string, is: string) =>
    onChange({
      ...mapping,
      tests: [...tests.filter((t) => t.name !== name), ...linesOf(is).map((x) => ({ name, is: x }))],
    });
  return (
    <>
      <p className="mt-1 text-[13px] text-soft">
        The key of a criterion, criterion/item for an item of a count, or - to skip a test.
      </p>
      <div className="mt-2 grid max-w-3xl gap-x-6 gap-y-2 sm:grid-cols-2">
        {names.map((n) => (
          <TextField key={n} label={n} value={tests.find((t) => t.name === n)?.is} onChange={(is) => set(n, is)} />
        ))}
      </div>
    </>
  );
}

function Save({ mapping }: { mapping: Mapping }) {
  const queries = useQueryClient();
  const save = useMutation({
    mutationFn: (m: Mapping) =>
      take(api.PUT("/mappings/{mapping}", { params: { path: { mapping: m.name } }, body: m })),
    onSuccess: () => outdated(queries, "mappings"),
  });
  return (
    <form
      className="mt-4 flex max-w-3xl flex-wrap items-end gap-x-4 gap-y-2"
      onSubmit={(e) => {
        e.preventDefault();
        const data = new FormData(e.currentTarget);
        save.mutate({ ...mapping, name: String(data.get("name")), title: String(data.get("title")) });
      }}
    >
      <label>
        <span className="block text-[13px] text-soft">Save it under the name (such as old-sheet)</span>
        <input className="field" name="name" />
      </label>
      <label>
        <span className="block text-[13px] text-soft">What it is for</span>
        <input className="field" name="title" />
      </label>
      <button type="submit" className="act" disabled={save.isPending}>
        Save the mapping
      </button>
      {save.isSuccess && <span role="status">Saved.</span>}
      <Refused error={save.error} className="basis-full" />
    </form>
  );
}
