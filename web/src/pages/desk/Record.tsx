import { useState, type FormEvent } from "react";
import { Ends } from "../../components/Ends";
import { linesOf, TextField } from "../../components/Fields";
import { Choice } from "../../components/Choice";
import { titleOf, type Checklist } from "../../checklist";
import type { Schemas } from "../../api";
import { counted, day } from "../../numbers";
import { useEvidence } from "../../evidence";
import { ChooseFiles, Drop, EvidenceList } from "./Pictures";
import { nextState, of, useRemoving, useWriting, type Entry, type EntryView, type Part } from "./entries";
import { Surveyed } from "../../components/Surveyed";
import { useDraft } from "../../drafts";
import { newID } from "../../ids";

type Fact = Record<string, unknown>;
type Field = {
  name: string;
  label: string;
  kind: "line" | "text" | "lines" | "number" | "choice";
  options?: { value: string; label: string }[];
  hint?: string;
};

const choice = (name: string, label: string, ...words: string[]): Field => ({
  name,
  label,
  kind: "choice",
  options: [{ value: "", label: "–" }, ...words.map((w) => ({ value: w, label: w.replaceAll("-", " ") }))],
});
const line = (name: string, label: string, hint?: string): Field => ({ name, label, kind: "line", hint });
const text = (name: string, label: string, hint?: string): Field => ({ name, label, kind: "text", hint });
const lines = (name: string, label: string, hint = "one per line"): Field => ({ name, label, kind: "lines", hint });

export type PartForm = {
  part: Part;
  title: string;
  one: string;
  main: string;
  fields: (list: Checklist, rigs: Schemas["Rig"][], issues: Schemas["KnownIssueView"][]) => Field[];
  says: (x: Fact) => string;
};

const onRig = (rigs: Schemas["Rig"][]): Field => ({
  name: "rig",
  label: "On rig",
  kind: "choice",
  options: [{ value: "", label: "–" }, ...rigs.map((r) => ({ value: r.key, label: r.name || r.key }))],
});
const words = (...parts: unknown[]) => parts.filter(Boolean).join(" · ").replaceAll("-", " ");

/** The parts of a review's record, as they are written and read on the desk. */
export const partForms: PartForm[] = [
  {
    part: "finding",
    title: "Findings",
    one: "finding",
    main: "title",
    fields: (list, rigs, issues) => [
      line("title", "What was found"),
      choice("sort", "Kind", "strength", "weakness", "quirk"),
      choice("severity", "Severity", "minor", "major", "blocking"),
      choice("nature", "Defect or preference", "defect", "taste"),
      choice("seen", "How often", "always", "sometimes", "once"),
      choice("sure", "Certainty", "certain", "likely", "unsure"),
      {
        name: "criterion",
        label: "Criterion",
        kind: "choice",
        options: [
          { value: "", label: "–" },
          ...list.sections.flatMap((s) => s.criteria).map((c) => ({ value: c.key, label: titleOf(c) })),
        ],
      },
      onRig(rigs),
      {
        name: "trouble",
        label: "Case of",
        kind: "choice",
        options: [{ value: "", label: "–" }, ...issues.map((t) => ({ value: t.issue.key, label: t.issue.title }))],
      },
      text("text", "Details"),
      text("workaround", "Workaround"),
      lines("reported", "Reported at", "addresses, one per line"),
      line("outcome", "Outcome"),
    ],
    says: (x) =>
      words(
        x.sort,
        x.severity,
        x.nature,
        x.seen && `seen ${x.seen}`,
        x.sure,
        x.fate && `outcome of an earlier finding: ${x.fate}`,
        x.workaround && `workaround: ${x.workaround}`,
        x.trouble && `case of ${x.trouble}`,
        x.outcome,
      ),
  },
  {
    part: "change",
    title: "Changes",
    one: "change",
    main: "component",
    fields: () => [
      line("component", "Component"),
      line("was", "Before", "empty: not present before"),
      line("is", "Now", "empty: removed"),
      choice("source", "Announced or found", "announced", "found", "both"),
      choice("effect", "Better or worse", "better", "worse", "neutral"),
      line("whom", "For whom"),
      line("link", "Source address"),
      text("note", "Note"),
    ],
    says: (x) =>
      words(`${x.was || "nothing"} → ${x.is || "removed"}`, x.source, x.effect, x.whom && `for ${x.whom}`, x.note),
  },
  {
    part: "claim",
    title: "Claims",
    one: "claim",
    main: "text",
    fields: () => [
      line("text", "Claim"),
      choice("by", "Made by", "makers", "users", "folklore"),
      line("source", "Source"),
      choice("state", "Verdict", "open", "upheld", "refuted"),
      text("reason", "Why it is upheld or refuted"),
    ],
    says: (x) => words(x.state, x.by, x.source, x.reason),
  },
  {
    part: "journal",
    title: "Journal",
    one: "entry",
    main: "text",
    fields: (_, rigs) => [text("text", "What happened"), onRig(rigs)],
    says: (x) => words(x.rig),
  },
  {
    part: "use",
    title: "Days in use",
    one: "period of use",
    main: "note",
    fields: (_, rigs) => [{ name: "days", label: "Days", kind: "number" }, onRig(rigs), line("note", "Purpose")],
    says: (x) => words(counted(Number(x.days), "day"), x.rig),
  },
  {
    part: "experience",
    title: "Experience",
    one: "experience",
    main: "text",
    fields: () => [
      text("text", "From longer use outside this review, never scored"),
      line("since", "How long and how often"),
    ],
    says: (x) => words(x.since),
  },
  {
    part: "verdict",
    title: "Verdicts",
    one: "verdict",
    main: "reason",
    fields: (list) => [
      {
        name: "audience",
        label: "For",
        kind: "choice",
        options: [
          { value: "", label: "–" },
          ...(list.audiences ?? []).map((a) => ({ value: a.key, label: titleOf(a) })),
        ],
      },
      choice("verdict", "Verdict", "recommended", "conditional", "not-recommended"),
      text("reason", "Why"),
      text("conditions", "Conditions"),
      lines("alternatives", "Consider instead", "editions, one per line"),
    ],
    says: (x) =>
      words(
        x.audience,
        x.verdict,
        x.conditions && `if ${x.conditions}`,
        (x.alternatives as string[] | undefined)?.join(", "),
      ),
  },
  {
    part: "advice",
    title: "Upgrade advice",
    one: "advice",
    main: "reason",
    fields: () => [
      choice("advice", "Users of the release before should", "upgrade", "wait", "stay"),
      text("reason", "Why"),
    ],
    says: (x) => words(x.advice),
  },
  {
    part: "disclosure",
    title: "Disclosures",
    one: "disclosure",
    main: "text",
    fields: () => [text("text", "What readers should know about you")],
    says: () => "",
  },
  {
    part: "system",
    title: "System states",
    one: "state",
    main: "note",
    fields: (_, rigs) => [
      line("note", "In a few words"),
      onRig(rigs),
      lines("installed", "Chosen at installation"),
      lines("changed", "Changed by hand"),
      lines("updated", "Updated"),
    ],
    says: (x) =>
      [
        ["chosen", x.installed],
        ["changed", x.changed],
        ["updated", x.updated],
      ]
        .filter(([, l]) => (l as string[] | undefined)?.length)
        .map(([n, l]) => `${n}: ${(l as string[]).join(", ")}`)
        .join(" · "),
  },
];

/** What the form holds, as an entry's fields: empty ones are left out. */
function written(form: Record<string, string>, fields: Field[]): Fact {
  const out: Fact = {};
  for (const f of fields) {
    const value = (form[f.name] ?? "").trim();
    if (f.kind === "number") out[f.name] = Math.round(Number(value.replace(",", "."))) || 0;
    else if (f.kind === "lines") out[f.name] = value ? linesOf(value) : undefined;
    else out[f.name] = value || undefined;
  }
  return out;
}

function shown(x: Fact, fields: Field[]): Record<string, string> {
  return Object.fromEntries(
    fields.map((f) => [
      f.name,
      Array.isArray(x[f.name]) ? (x[f.name] as string[]).join("\n") : x[f.name] == null ? "" : String(x[f.name]),
    ]),
  );
}

type Props = {
  review: string;
  list: Checklist;
  rigs: Schemas["Rig"][];
  issues: Schemas["KnownIssueView"][];
  entries: EntryView[];
  person: string;
  others: boolean; // may change what others wrote
  writes: boolean;
};

/** One part of the record: what is written, and the form for more. */
export function RecordPart({ form, ...p }: Props & { form: PartForm }) {
  const [editing, setEditing] = useState<string>();
  const { remaining, remove } = useRemoving(p.review);
  const add = useEvidence(p.review);
  const mine = p.entries
    .filter((e) => e.entry[form.part] && remaining({ id: String((e.entry[form.part] as Fact).id) }))
    .sort((a, b) => at(a, form).localeCompare(at(b, form)));
  return (
    <section>
      <h2 className="border-b border-ink pb-1">{form.title}</h2>
      {mine.length === 0 && <p className="py-2 text-soft">None yet.</p>}
      <ul>
        {mine.map((e) => {
          const x = e.entry[form.part] as Fact;
          const id = String(x.id);
          const may = p.writes && (x.reviewer === p.person || p.others);
          if (editing === id)
            return (
              <li key={id}>
                <Form {...p} form={form} entry={e} onDone={() => setEditing(undefined)} />
              </li>
            );
          return (
            <li key={id} className="border-b border-rule py-1.5">
              <Drop
                label={String(x[form.main] ?? form.one)}
                onFiles={(files) => p.writes && add.mutate({ files, of: id })}
              >
                <span className="font-medium">{String(x[form.main] ?? "") || "–"}</span>{" "}
                <span className="text-[13px] text-soft">{form.says(x)}</span>
                <span className="block text-[12px] text-soft">
                  {form.part === "system" && `${id} · `}
                  {String(x.reviewer ?? "")}, {day(String(x.at))}
                  {e.pinned ? "" : " · not accepted yet"}
                  {may && (
                    <>
                      <button type="button" className="act ml-3" onClick={() => setEditing(id)}>
                        Edit
                      </button>
                      {form.part === "finding" && (
                        <span className="ml-3">
                          <ChooseFiles name="Add a picture or log" onFiles={(files) => add.mutate({ files, of: id })} />
                        </span>
                      )}
                      <button
                        type="button"
                        className="act ml-3"
                        onClick={() => remove(id, e.revision, String(x[form.main] || form.one))}
                      >
                        Remove
                      </button>
                    </>
                  )}
                </span>
                {form.part === "system" && <Surveyed facts={e.entry.system?.facts} />}
                {!!x.text && form.main !== "text" && (
                  <span className="block max-w-[70ch] text-[13px]">{String(x.text)}</span>
                )}
                {form.part !== "system" && form.part !== "disclosure" && (
                  <EvidenceList evidence={of(p.entries, "evidence").filter((y) => y.of === id)} />
                )}
              </Drop>
            </li>
          );
        })}
      </ul>
      {add.error && (
        <p role="alert" className="text-accent">
          {add.error.message}
        </p>
      )}
      {p.writes && editing === undefined && <Form key={mine.length} {...p} form={form} />}
    </section>
  );
}

const at = (e: EntryView, form: PartForm) => String((e.entry[form.part] as Fact).at ?? "");

function Form({
  form,
  entry,
  review,
  list,
  rigs,
  issues,
  entries,
  onDone,
}: Props & { form: PartForm; entry?: EntryView; onDone?: () => void }) {
  const fields = form.fields(list, rigs, issues);
  const old = entry?.entry[form.part] as Fact | undefined;
  const [typed, setTyped, saved] = useDraft<Record<string, string>>(
    old ? `${form.part} ${String(old.id)}` : form.part,
    old ? shown(old, fields) : {},
  );
  const write = useWriting(review);
  const save = (e: FormEvent) => {
    e.preventDefault();
    const id = old ? String(old.id) : form.part === "system" ? nextState(of(entries, "system")) : newID();
    const body = { [form.part]: { ...old, ...written(typed, fields), id } } as Entry;
    write.mutate({ id, entry: body, revision: entry?.revision ?? 0 }, { onSuccess: () => (saved(), onDone?.()) });
  };
  return (
    <form onSubmit={save} className="mt-3 grid max-w-3xl grid-cols-1 items-end gap-x-6 gap-y-2 md:grid-cols-2">
      {fields.map((f) => {
        const value = typed[f.name] ?? "";
        const set = (v: string) => setTyped({ ...typed, [f.name]: v });
        if (f.kind === "choice")
          return <Choice key={f.name} label={f.label} value={value} options={f.options!} onChange={set} />;
        const wide = f.kind === "text" || f.kind === "lines" || f.name === form.main;
        return (
          <div key={f.name} className={wide ? "md:col-span-2" : ""}>
            <TextField
              label={f.label}
              hint={f.hint}
              rows={f.kind === "text" || f.kind === "lines" ? 2 : undefined}
              value={value}
              onChange={set}
            />
          </div>
        );
      })}
      <Ends
        act={old ? "Save the changes" : `Add ${/^[aeiou]/.test(form.one) ? "an" : "a"} ${form.one}`}
        main={!old}
        pending={write.isPending}
        error={write.error}
        onLeave={onDone}
      />
    </form>
  );
}
