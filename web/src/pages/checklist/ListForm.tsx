import { useMutation } from "@tanstack/react-query";
import type { Checklist } from "../../checklist";
import { titleOf } from "../../checklist";
import { Choice } from "../../components/Choice";
import { NumberField, TextField } from "../../components/Fields";
import { ConditionsForm } from "./Conditions";
import { Cell, Rows, fresh } from "./CriterionForm";
import { bytes } from "./Questions";

type Props = { doc: Checklist; change: (make: (doc: Checklist) => void) => void };

/** What holds for the list as a whole: its title, its maximum, and how points become a ranking. */
export function ListForm({ doc, change }: Props) {
  const p = doc.policy ?? {};
  const set = (make: (p: NonNullable<Checklist["policy"]>) => void) =>
    change((d) => {
      d.policy = { ...d.policy };
      make(d.policy);
    });
  const scored = doc.sections.flatMap((s) => s.criteria.filter((c) => c.kind !== "fact"));
  const alone = doc.sections.flatMap((s) => s.criteria.filter((c) => c.procedure));
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <h2 className="border-b border-ink pb-1">Checklist</h2>
      <TextField label="Title" value={doc.title} onChange={(x) => change((d) => void (d.title = x || undefined))} />
      <div className="grid grid-cols-2 gap-3">
        <NumberField
          label="Points of a perfect score"
          hint="default: 100"
          value={doc.maximum}
          onChange={(x) => change((d) => void (d.maximum = x))}
        />
        <NumberField
          label="Coverage required for a rank"
          hint="0.8 is 80 %"
          value={p.minCoverage}
          onChange={(x) => set((p) => void (p.minCoverage = x))}
        />
        <NumberField
          label="Dead heat within"
          hint="points; default: 0.5"
          value={p.deadHeat}
          onChange={(x) => set((p) => void (p.deadHeat = x))}
        />
        <NumberField
          label="Balance"
          hint="1: plain mean; lower: weak sections count more"
          value={p.balance}
          onChange={(x) => set((p) => void (p.balance = x))}
        />
        <NumberField
          label="Difference in grade that needs discussion"
          hint="default: 3"
          value={p.disagreement}
          onChange={(x) => set((p) => void (p.disagreement = x))}
        />
      </div>
      <Choice
        label="Points of several reviewers"
        value={p.reviewers ?? "mean"}
        options={[
          { value: "mean", label: "their mean" },
          { value: "median", label: "their median" },
        ]}
        onChange={(x) => set((p) => void (p.reviewers = x as "mean"))}
      />
      <Choice
        label="Rigs without measures of an edition"
        value={p.rigs ?? "as-measured"}
        options={[
          { value: "adjusted", label: "count as an estimate" },
          { value: "as-measured", label: "are left out" },
        ]}
        onChange={(x) => set((p) => void (p.rigs = x as "adjusted"))}
      />
      <Rows
        label="Tie-breakers: criteria that decide a dead heat, in this order"
        rows={p.decisive ?? []}
        add={() =>
          set(
            (p) =>
              void (p.decisive = [
                ...(p.decisive ?? []),
                (scored.find((c) => !p.decisive?.includes(c.key)) ?? scored[0]).key,
              ]),
          )
        }
        remove={(i) => set((p) => void (p.decisive = p.decisive!.filter((_, n) => n !== i)))}
        row={(key, i) => (
          <Choice
            quiet
            label={`tie-breaker ${i + 1}`}
            value={key}
            options={scored.map((c) => ({ value: c.key, label: titleOf(c) }))}
            onChange={(x) => set((p) => void (p.decisive = p.decisive!.with(i, x)))}
          />
        )}
      />
      {alone.length > 0 && (
        <ConditionsForm
          label="Rules for the machine's condition during dtally measure; empty: the usual rules"
          rules={doc.measuring?.conditions ?? []}
          change={(conditions) => change((d) => void (d.measuring = { ...d.measuring, conditions }))}
        />
      )}
    </div>
  );
}

/** Methods, setups and phases: contexts are chosen from them, never typed. */
export function VocabularyForm({ doc, change }: Props) {
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-5">
      <h2 className="border-b border-ink pb-1">Vocabulary</h2>
      {(
        [
          ["methods", "Methods: tool and way of measuring", "method"],
          ["setups", "Setups: settings, presets", "setup"],
          ["phases", "Phases: live, fresh, updated, after use", "phase"],
        ] as const
      ).map(([part, label, stem]) => (
        <NamedRows
          key={part}
          label={label}
          stem={stem}
          rows={doc.vocabulary?.[part] ?? []}
          set={(rows) => change((d) => void (d.vocabulary = { ...d.vocabulary, [part]: rows }))}
        />
      ))}
    </div>
  );
}

type Named = { key: string; title?: string };

function NamedRows({
  label,
  stem,
  rows,
  set,
}: {
  label: string;
  stem: string;
  rows: Named[];
  set: (rows: Named[]) => void;
}) {
  return (
    <Rows
      label={label}
      rows={rows}
      add={() =>
        set([
          ...rows,
          {
            key: fresh(
              stem,
              rows.map((r) => r.key),
            ),
          },
        ])
      }
      remove={(i) => set(rows.filter((_, n) => n !== i))}
      row={(r, i) => (
        <>
          <Cell label={`key of ${stem} ${i + 1}`} value={r.key} onChange={(key) => set(rows.with(i, { ...r, key }))} />
          <Cell
            label={`title of ${stem} ${i + 1}`}
            wide
            value={r.title}
            onChange={(title) => set(rows.with(i, { ...r, title: title || undefined }))}
          />
        </>
      )}
    />
  );
}

const largest = 64 << 20;

/** The files that every reviewer uses, and the pictures that every review takes. */
export function KitForm({ doc, change }: Props) {
  const upload = useMutation({
    mutationFn: async (file: File) => {
      const content = await file.arrayBuffer();
      const sum = [...new Uint8Array(await crypto.subtle.digest("SHA-256", content))]
        .map((b) => b.toString(16).padStart(2, "0"))
        .join("");
      if (file.size <= largest) {
        const reply = await fetch(`/api/v1/files/${sum}`, { method: "PUT", body: content });
        if (!reply.ok) throw new Error((await reply.json()).detail);
      }
      return { name: file.name, size: file.size, sha256: sum };
    },
    onSuccess: (f) => change((d) => void (d.kit = [...(d.kit ?? []).filter((k) => k.name !== f.name), f])),
  });
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-5">
      <h2 className="border-b border-ink pb-1">Test files and screenshots</h2>
      <div>
        <label className="block text-[13px] text-soft">
          Add a test file (up to 64 MiB is stored here; for a larger file, its hash is listed: note where to get it)
          <input
            type="file"
            className="mt-1 block text-ink"
            disabled={upload.isPending}
            onChange={(e) => {
              if (e.target.files?.[0]) upload.mutate(e.target.files[0]);
              e.target.value = "";
            }}
          />
        </label>
        {upload.isPending && <p role="status">Uploading…</p>}
        {upload.error && (
          <p role="alert" className="text-accent">
            {upload.error.message}
          </p>
        )}
        <Rows
          label="Files"
          rows={doc.kit ?? []}
          add={() => change((d) => void (d.kit = [...(d.kit ?? []), { name: "", size: 0, sha256: "" }]))}
          remove={(i) => change((d) => void (d.kit = d.kit!.filter((_, n) => n !== i)))}
          row={(f, i) => (
            <span className="grid min-w-0 flex-1 gap-1">
              <span className="flex gap-2">
                <Cell
                  label={`name of file ${i + 1}`}
                  value={f.name}
                  wide
                  onChange={(x) => change((d) => void (d.kit![i].name = x))}
                />
                <span className="text-soft">{bytes(f.size)}</span>
              </span>
              <Cell
                label={`SHA-256 of file ${i + 1}`}
                value={f.sha256}
                wide
                onChange={(x) => change((d) => void (d.kit![i].sha256 = x))}
              />
              <Cell
                label={`note on file ${i + 1}`}
                value={f.note}
                wide
                onChange={(x) => change((d) => void (d.kit![i].note = x || undefined))}
              />
            </span>
          )}
        />
      </div>
      <NamedRows
        label="Standard screenshots, in the order in which they are taken"
        stem="shot"
        rows={doc.shots ?? []}
        set={(rows) => change((d) => void (d.shots = rows))}
      />
    </div>
  );
}
