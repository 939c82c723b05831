import { useState, type FormEvent, type ReactNode } from "react";
import type { Schemas } from "../../api";
import { Choice } from "../../components/Choice";
import { Ends } from "../../components/Ends";
import { NumberField, TextField } from "../../components/Fields";
import { Refused } from "../../components/States";
import { useRearranging } from "./data";
import { useMay } from "../../session";
import { useDraft } from "../../drafts";

type Value = Record<string, unknown>;
export type Field = { name: string; label: string; hint?: string } & (
  | { kind: "text" | "words" | "list" | "number" | "date" }
  | { kind: "choice"; options: string[] }
  | { kind: "yes" }
);

/** A form for an entry of the catalogue: it hands over the whole value, with what was not in the form. */
export function Form<T extends object>({
  fields,
  value,
  act,
  pending,
  error,
  onSave,
  onLeave,
  children,
}: {
  fields: Field[];
  value: T;
  act: string;
  pending: boolean;
  error: Error | null;
  /** Saves the value, and calls saved once the service has it. */
  onSave: (value: T, saved: () => void) => void;
  onLeave?: () => void;
  children?: ReactNode;
}) {
  const [typed, setTyped, dropTyped] = useDraft<Value>(`${act} ${fields[0]?.name}`, value as Value);
  const [lists, setLists, dropLists] = useDraft<Record<string, string>>(`${act} ${fields[0]?.name}, lists`, {});
  const set = (name: string, v: unknown) => setTyped({ ...typed, [name]: v });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    const out = { ...typed };
    for (const [name, text] of Object.entries(lists)) out[name] = text.split(/[\s,]+/).filter(Boolean);
    onSave(out as T, () => (dropTyped(), dropLists()));
  };
  return (
    <form onSubmit={submit} className="my-3 grid max-w-3xl items-end gap-x-6 gap-y-2 md:grid-cols-2">
      {children}
      {fields.map((f) => {
        const v = typed[f.name];
        const text = v == null ? "" : String(v);
        switch (f.kind) {
          case "choice":
            return (
              <Choice
                key={f.name}
                label={f.label}
                value={text}
                options={f.options.map((o) => ({ value: o, label: o || "–" }))}
                onChange={(x) => set(f.name, x)}
              />
            );
          case "yes":
            return (
              <label key={f.name} className="flex items-center gap-2">
                <input
                  type="checkbox"
                  className="accent-(--accent)"
                  checked={!!v}
                  onChange={(e) => set(f.name, e.target.checked)}
                />{" "}
                {f.label}
              </label>
            );
          case "number":
            return (
              <NumberField
                key={f.name}
                label={f.label}
                hint={f.hint}
                value={v == null || v === 0 ? undefined : Number(v)}
                onChange={(x) => set(f.name, x)}
              />
            );
          case "list":
            return (
              <TextField
                key={f.name}
                label={f.label}
                hint={f.hint ?? "separated by commas or spaces"}
                value={lists[f.name] ?? ((v as string[] | undefined) ?? []).join(", ")}
                onChange={(x) => setLists({ ...lists, [f.name]: x })}
              />
            );
          case "date":
            return (
              <label key={f.name} className="block">
                <span className="block text-[13px] text-soft">{f.label}</span>
                <input
                  className="field w-full"
                  type="date"
                  value={text}
                  onChange={(e) => set(f.name, e.target.value)}
                />
              </label>
            );
          default:
            return (
              <TextField
                key={f.name}
                label={f.label}
                hint={f.hint}
                rows={f.kind === "words" ? 2 : undefined}
                value={text}
                onChange={(x) => set(f.name, x)}
              />
            );
        }
      })}
      <Ends act={act} main={true} pending={pending} error={error} onLeave={onLeave} />
    </form>
  );
}

/** What a lead may do besides: another key, or merging a duplicate. */
export function Rearrange({
  sort,
  thing,
  onMoved,
}: {
  sort: Schemas["CatalogueSort"];
  thing: string;
  onMoved: (key: string) => void;
}) {
  const lead = useMay()("rearrange-catalogue");
  const { rename, merge } = useRearranging();
  const [to, setTo] = useState("");
  const [into, setInto] = useState("");
  if (!lead) return null;
  const failed = rename.error ?? merge.error;
  return (
    <details className="mt-4 max-w-3xl">
      <summary className="cursor-pointer text-accent">Rename, or merge a duplicate</summary>
      <form
        className="mt-2 flex flex-wrap items-end gap-5"
        onSubmit={(e) => {
          e.preventDefault();
          rename.mutate({ sort, key: thing, to }, { onSuccess: (r) => onMoved(r.key) });
        }}
      >
        <TextField label="New key" hint="the old key redirects" value={to} onChange={setTo} />
        <button type="submit" className="act" disabled={!to || rename.isPending}>
          Rename
        </button>
      </form>
      <form
        className="mt-3 flex flex-wrap items-end gap-5"
        onSubmit={(e) => {
          e.preventDefault();
          merge.mutate({ sort, key: thing, into, trial: true });
        }}
      >
        <TextField
          label="This is a duplicate of"
          hint="the full key of the one to keep"
          value={into}
          onChange={setInto}
        />
        <button type="submit" className="act" disabled={!into || merge.isPending}>
          Show what would be moved
        </button>
      </form>
      {merge.data && (
        <div className="mt-2">
          <ul className="list-disc pl-5">
            {merge.data.moves.map((m) => (
              <li key={m}>{m}</li>
            ))}
          </ul>
          <button
            type="button"
            className="main-act mt-2"
            disabled={merge.isPending}
            onClick={() => merge.mutate({ sort, key: thing, into }, { onSuccess: (r) => onMoved(r.key) })}
          >
            Merge (cannot be undone)
          </button>
        </div>
      )}
      <Refused error={failed} className="mt-2" />
    </details>
  );
}
