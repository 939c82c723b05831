import type { ReactNode } from "react";
import type { Checklist, Criterion } from "../../checklist";
import { listed } from "../../listed";
import { titleOf } from "../../checklist";
import { Choice } from "../../components/Choice";
import { Curve, type Tick } from "../../components/Curve";
import { NumberField, TextField } from "../../components/Fields";
import { useKinds, useRule } from "../../rules";
import { ProcedureForm } from "./Procedure";

type Props = {
  criterion: Criterion;
  list: Checklist;
  index: number;
  ticks: Tick[];
  change: (make: (c: Criterion) => void) => void;
};

/** Everything about one criterion: how it is asked, and how answers become points. */
export function CriterionForm({ criterion: c, list, index, ticks, change }: Props) {
  const rule = useRule(c);
  const { kinds } = useKinds();
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      {c.kind !== "fact" && <Curve rule={rule} criterion={c} ticks={ticks} index={index} />}
      <div className="grid grid-cols-2 gap-3">
        <TextField label="Title" value={c.title} onChange={(x) => change((c) => void (c.title = x || undefined))} />
        <NumberField
          label="Weight in its section"
          value={c.kind === "fact" ? undefined : (c.weight ?? 0)}
          onChange={(x) => change((c) => void (c.weight = x || undefined))}
        />
      </div>
      <TextField
        label="Guidance"
        hint="how to check it, so that two people do it the same way"
        rows={3}
        value={c.guidance}
        onChange={(x) => change((c) => void (c.guidance = x || undefined))}
      />
      <div className="flex flex-wrap gap-x-6 gap-y-2">
        <Choice
          label="Kind"
          value={c.kind}
          options={kinds.map((k) => ({ value: k.key, label: `${k.key}: ${k.title}` }))}
          onChange={(k) =>
            change((c) =>
              become(
                c,
                k as Criterion["kind"],
                kinds.flatMap((x) => x.fields),
              ),
            )
          }
        />
        <Choice
          label="Applies to"
          value={c.scope ?? ""}
          options={[
            { value: "", label: "the edition" },
            { value: "release", label: "the whole release" },
            { value: "distribution", label: "the whole distribution" },
          ]}
          onChange={(x) => change((c) => void (c.scope = (x || undefined) as Criterion["scope"]))}
        />
        {c.kind !== "fact" && (
          <Choice
            label="Over several contexts"
            value={c.across ?? ""}
            options={[
              { value: "", label: "the newest counts" },
              { value: "worst", label: "the worst counts" },
            ]}
            onChange={(x) => change((c) => void (c.across = (x || undefined) as Criterion["across"]))}
          />
        )}
      </div>
      <Context criterion={c} list={list} change={change} />
      {c.kind === "measure" && <Measure criterion={c} change={change} />}
      {c.kind === "measure" && (
        <ProcedureForm key={c.key} criterion={c} kit={(list.kit ?? []).map((f) => f.name)} change={change} />
      )}
      {c.kind === "check" && (
        <NumberField
          label="Points for a workaround"
          hint="default: 60"
          value={c.workaroundPoints}
          onChange={(x) => change((c) => void (c.workaroundPoints = x))}
        />
      )}
      {c.kind === "count" && <Items criterion={c} change={change} />}
      {c.kind === "level" && <Levels criterion={c} change={change} />}
      {c.kind !== "fact" && (
        <div className="grid grid-cols-2 gap-3">
          <NumberField
            label="Gate"
            hint="the least points required; empty: none"
            value={c.gate}
            onChange={(x) => change((c) => void (c.gate = x))}
          />
          <TextField
            label="Needs"
            hint="equipment or sort of rig, separated by commas"
            value={(c.needs ?? []).join(", ")}
            onChange={(x) => change((c) => void (c.needs = words(x)))}
          />
        </div>
      )}
      <TextField
        label="Surveyed fact that answers it"
        value={c.survey}
        onChange={(x) => change((c) => void (c.survey = x || undefined))}
      />
    </div>
  );
}

const words = (text: string) => {
  const list = listed(text, ",");
  return list.length ? list : undefined;
};

/** Changes a bound of the plausible range; without any, the unit's own range holds. */
function setPlausible(c: Criterion, bound: { least?: number; most?: number }) {
  const range = { ...c.plausible, ...bound };
  c.plausible = range.least === undefined && range.most === undefined ? undefined : range;
}

/** Another kind takes other rules: those of the old kind go, the new one begins with sound ones. */
function become(c: Criterion, kind: Criterion["kind"], fields: string[]) {
  for (const field of fields) delete c[field as keyof Criterion];
  c.kind = kind;
  if (kind === "measure")
    Object.assign(c, {
      unit: "s",
      better: "lower",
      runs: { expect: 5 },
      curve: { shape: "ratio", poor: 100, ideal: 10 },
    });
  if (kind === "level")
    c.levels = [
      { key: "none", title: "None", points: 0 },
      { key: "full", title: "Full", points: 100 },
    ];
  if (kind === "fact") {
    delete c.weight;
    delete c.gate;
  } else c.weight ??= 1;
}

function Context({ criterion: c, list, change }: Pick<Props, "criterion" | "list" | "change">) {
  const v = list.vocabulary;
  return (
    <div className="flex flex-wrap gap-x-6 gap-y-2">
      {(
        [
          ["method", "Method", v?.methods],
          ["setup", "Setup", v?.setups],
          ["phase", "Phase", v?.phases],
        ] as const
      ).map(([field, label, named]) => (
        <Choice
          key={field}
          label={label}
          value={c.context?.[field] ?? ""}
          options={[{ value: "", label: "any" }, ...(named ?? []).map((n) => ({ value: n.key, label: titleOf(n) }))]}
          onChange={(x) =>
            change((c) => {
              const next = { ...c.context, [field]: x || undefined };
              c.context = Object.values(next).some(Boolean) ? next : undefined;
            })
          }
        />
      ))}
    </div>
  );
}

function Measure({ criterion: c, change }: Pick<Props, "criterion" | "change">) {
  const shape = c.curve?.shape ?? "ratio";
  const { shapes } = useKinds();
  const ends = (key: string) => !!shapes.find((s) => s.key === key)?.ends;
  return (
    <>
      <div className="flex flex-wrap gap-x-6 gap-y-2">
        <Choice
          label="Better is"
          value={c.better ?? "lower"}
          options={[
            { value: "lower", label: "lower" },
            { value: "higher", label: "higher" },
          ]}
          onChange={(x) => change((c) => void (c.better = x as Criterion["better"]))}
        />
        <Choice
          label="Curve"
          value={shape}
          options={shapes.map((s) => ({ value: s.key, label: s.title }))}
          onChange={(x) =>
            change((c) => {
              const { poor = 100, ideal = 10 } = c.curve ?? {};
              c.curve =
                x === "steps"
                  ? {
                      shape: x,
                      points:
                        c.better === "lower"
                          ? [
                              [ideal || 10, 100],
                              [poor || 100, 0],
                            ]
                          : [
                              [poor || 10, 0],
                              [ideal || 100, 100],
                            ],
                    }
                  : ends(x)
                    ? { shape: x as "span", poor, ideal }
                    : { shape: x as "field" };
            })
          }
        />
        <Choice
          label="Runs are combined by"
          value={c.runs?.summary ?? "median"}
          options={["median", "mean", "best"].map((x) => ({ value: x, label: x }))}
          onChange={(x) => change((c) => void (c.runs = { ...c.runs, summary: x as "median" }))}
        />
      </div>
      <div className="grid grid-cols-3 gap-3">
        <TextField label="Unit" value={c.unit} onChange={(x) => change((c) => void (c.unit = x || undefined))} />
        <NumberField
          label="Runs expected"
          value={c.runs?.expect}
          onChange={(x) => change((c) => void (c.runs = { ...c.runs, expect: x }))}
        />
        <NumberField
          label="Plausible from"
          hint="a value below needs a confirming note"
          value={c.plausible?.least}
          onChange={(x) => change((c) => void setPlausible(c, { least: x }))}
        />
        <NumberField
          label="Plausible to"
          hint="a value above needs a confirming note"
          value={c.plausible?.most}
          onChange={(x) => change((c) => void setPlausible(c, { most: x }))}
        />
        <NumberField
          label="Tolerance"
          hint="0.05 is 5 %"
          value={c.runs?.tolerance}
          onChange={(x) => change((c) => void (c.runs = { ...c.runs, tolerance: x }))}
        />
        {ends(shape) && (
          <>
            <NumberField
              label="Poor: 0 points at"
              value={c.curve?.poor ?? 0}
              onChange={(x) => change((c) => void (c.curve!.poor = x ?? 0))}
            />
            <NumberField
              label="Ideal: 100 points at"
              value={c.curve?.ideal ?? 0}
              onChange={(x) => change((c) => void (c.curve!.ideal = x ?? 0))}
            />
          </>
        )}
      </div>
      {shape === "steps" && (
        <Rows
          label="Steps"
          rows={c.curve?.points ?? []}
          add={() =>
            change(
              (c) =>
                void c.curve!.points!.push([(c.curve!.points!.at(-1)?.[0] ?? 0) + 1, c.better === "lower" ? 0 : 100]),
            )
          }
          remove={(i) => change((c) => void c.curve!.points!.splice(i, 1))}
          row={(p, i) => (
            <>
              <NumberField
                bare
                label={`value of step ${i + 1}`}
                value={p[0]}
                onChange={(x) => x !== undefined && change((c) => void (c.curve!.points![i][0] = x))}
              />{" "}
              {c.unit} has{" "}
              <NumberField
                bare
                label={`points of step ${i + 1}`}
                value={p[1]}
                onChange={(x) => x !== undefined && change((c) => void (c.curve!.points![i][1] = x))}
              />{" "}
              points
            </>
          )}
        />
      )}
    </>
  );
}

function Items({ criterion: c, change }: Pick<Props, "criterion" | "change">) {
  return (
    <>
      <NumberField
        label="Share for a workaround"
        hint="default: 0.6"
        value={c.workaroundShare}
        onChange={(x) => change((c) => void (c.workaroundShare = x))}
      />
      <Rows
        label="Items"
        rows={c.items ?? []}
        add={() =>
          change(
            (c) =>
              void (c.items = [
                ...(c.items ?? []),
                {
                  key: fresh(
                    "item",
                    (c.items ?? []).map((x) => x.key),
                  ),
                },
              ]),
          )
        }
        remove={(i) =>
          change((c) => void (c.items = c.items!.length > 1 ? c.items!.filter((_, n) => n !== i) : undefined))
        }
        row={(it, i) => (
          <>
            <Cell
              label={`key of item ${i + 1}`}
              value={it.key}
              onChange={(x) => change((c) => void (c.items![i].key = x))}
            />
            <Cell
              label={`title of item ${i + 1}`}
              value={it.title}
              wide
              onChange={(x) => change((c) => void (c.items![i].title = x || undefined))}
            />
            <NumberField
              bare
              label={`weight of item ${i + 1}`}
              value={it.weight}
              onChange={(x) => change((c) => void (c.items![i].weight = x))}
            />
          </>
        )}
      />
    </>
  );
}

function Levels({ criterion: c, change }: Pick<Props, "criterion" | "change">) {
  return (
    <Rows
      label="Levels, lowest first"
      rows={c.levels ?? []}
      add={() =>
        change(
          (c) =>
            void (c.levels = [
              ...(c.levels ?? []),
              {
                key: fresh(
                  "level",
                  (c.levels ?? []).map((x) => x.key),
                ),
                points: 100,
              },
            ]),
        )
      }
      remove={(i) => change((c) => void c.levels!.splice(i, 1))}
      row={(l, i) => (
        <>
          <Cell
            label={`key of level ${i + 1}`}
            value={l.key}
            onChange={(x) => change((c) => void (c.levels![i].key = x))}
          />
          <Cell
            label={`title of level ${i + 1}`}
            value={l.title}
            wide
            onChange={(x) => change((c) => void (c.levels![i].title = x || undefined))}
          />
          <NumberField
            bare
            label={`points of level ${i + 1}`}
            value={l.points}
            onChange={(x) => x !== undefined && change((c) => void (c.levels![i].points = x))}
          />
        </>
      )}
    />
  );
}

/** A key that none of those has. */
export function fresh(stem: string, keys: string[]): string {
  for (let n = keys.length + 1; ; n++) if (!keys.includes(`${stem}-${n}`)) return `${stem}-${n}`;
}

export function Cell({
  label,
  value,
  onChange,
  wide = false,
}: {
  label: string;
  value: string | undefined;
  onChange: (x: string) => void;
  wide?: boolean;
}) {
  return (
    <input
      aria-label={label}
      className={`field py-0 ${wide ? "min-w-0 flex-1" : "w-32"}`}
      value={value ?? ""}
      onChange={(e) => onChange(e.target.value)}
    />
  );
}

/** A short list whose entries can be added and removed. */
export function Rows<T>({
  label,
  rows,
  row,
  add,
  remove,
}: {
  label: string;
  rows: T[];
  row: (x: T, i: number) => ReactNode;
  add: () => void;
  remove: (i: number) => void;
}) {
  return (
    <fieldset>
      <legend className="text-[13px] text-soft">{label}</legend>
      {rows.map((x, i) => (
        <div key={i} className="flex flex-wrap items-center gap-2 border-b border-rule py-1 text-[13px]">
          {row(x, i)}
          <button
            type="button"
            className="act ml-auto"
            aria-label={`Remove entry ${i + 1} of ${label}`}
            onClick={() => remove(i)}
          >
            Remove
          </button>
        </div>
      ))}
      <button type="button" className="act mt-1" onClick={add}>
        Add
      </button>
    </fieldset>
  );
}
