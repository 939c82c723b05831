import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, take as taken } from "../../api";
import { Export } from "../../components/Export";
import { Choice } from "../../components/Choice";
import { TextField } from "../../components/Fields";
import { Failure, Loading, Refused } from "../../components/States";
import {
  formOf,
  look,
  take,
  type Done,
  type Glance,
  type Mapping,
  type Options,
  type Progress,
  type Row,
  type What,
} from "../../imports";
import { Around } from "./Around";
import { MappingEditor, blank } from "./MappingEditor";
import { Preview } from "./Preview";
import { sourceKey } from "../../keys";
import { useMay } from "../../session";
import { failed } from "../../failed";

export default function ImportPage() {
  return (
    <Around title="Import and export">
      <h1>Import</h1>
      <p className="mt-1 max-w-3xl text-[13px] text-soft">
        The preview shows what happens to each row. Then the whole file is imported, or nothing. Importing the same file
        again is safe.
      </p>
      <Import />
      <section className="mt-10">
        <h2 className="border-b border-ink pb-1">Export</h2>
        <Export what="catalogue" title="Catalogue and rigs" forms={tables} />
        <Export what="readings" title="Readings" forms={tables} />
        <Export what="reviews" title="Reviews" forms={tables} />
        <Export what="scorecards" title="Scorecards" forms={tables} />
        <Export what="points" title="Points" forms={tables} />
        <Export what="ranking" title="Ranking" forms={[...tables, "svg", "png"]} />
        <Export what="bundle" title="Everything in one bundle" forms={["json"]} />
        <p className="mt-2 text-[13px] text-soft">
          The catalogue, readings and bundles can be imported again unchanged. Grades that you must not see yet are left
          out.
        </p>
      </section>
    </Around>
  );
}

const tables = ["csv", "json", "jsonl", "yaml", "xlsx", "md"];
const sorts: { value: What; label: string }[] = [
  { value: "readings", label: "readings" },
  { value: "catalogue", label: "a catalogue" },
  { value: "system", label: "a system, for the catalogue" },
  { value: "bundle", label: "a bundle" },
];
const forms: Partial<Record<What, string[]>> = {
  readings: ["csv", "json", "jsonl", "yaml", "xlsx", "tap"],
  catalogue: ["yaml", "csv", "xlsx", "json", "jsonl"],
};
const asks: Record<What, string> = {
  readings: "A table, or TAP results",
  catalogue: "Distributions, releases, editions and rigs, as YAML or a table",
  system: "An os-release file, or a survey as JSON",
  bundle: "A bundle",
};
const own = "as exported here";
const fresh = "a new mapping";

/** One file from choosing it to having it imported. */
function Import() {
  const queries = useQueryClient();
  const lead = useMay()("import-bundles");
  const [what, setWhat] = useState<What>("readings");
  const [file, setFile] = useState<File>();
  const [form, setForm] = useState("csv");
  const [mapping, setMapping] = useState(own);
  const [drawn, setDrawn] = useState<Mapping>(blank("csv"));
  const [constants, setConstants] = useState<Record<string, string>>({});
  const [date, setDate] = useState("");
  const [glance, setGlance] = useState<Glance>();
  const [progress, setProgress] = useState<Progress>();
  const [rows, setRows] = useState<Row[]>([]);
  const saved = useQuery({ queryKey: sourceKey("mappings"), queryFn: () => taken(api.GET("/mappings")) });

  const options = (trial: boolean): Options => ({
    form,
    trial,
    rows: trial ? "all" : "refused",
    date: what === "system" ? date : undefined,
    mapping: mapping === own || mapping === fresh ? undefined : mapping,
    inline:
      mapping === fresh && what === "readings"
        ? { ...drawn, name: drawn.name || "unsaved", form: form as Mapping["form"] }
        : undefined,
    fields: what === "readings" ? Object.fromEntries(Object.entries(constants).filter(([, v]) => v)) : undefined,
  });
  const run = useMutation({
    mutationFn: async (trial: boolean) => {
      const found: Row[] = [];
      setProgress({ phase: "sending", done: 0, of: 1 });
      const done = await take(what, options(trial), file!, { row: (r) => found.push(r), progress: setProgress });
      if (trial || done.refused > 0) setRows(found);
      return { ...done, trial };
    },
    onSettled: () => setProgress(undefined),
    onSuccess: (done) => {
      if (done.written) void queries.invalidateQueries();
    },
  });
  const glancing = useMutation({
    mutationFn: (f: File) => look({ form: formOf(f.name) }, f),
    onSuccess: setGlance,
    onError: () => setGlance(undefined),
  });
  const choose = (f: File | undefined) => {
    setFile(f);
    if (f) {
      setForm(formOf(f.name));
      setDrawn((d) => ({ ...d, form: formOf(f.name) as Mapping["form"] }));
      if (what === "readings") glancing.mutate(f);
    }
  };
  // What was looked at is no longer what would be imported.
  const reset = run.reset;
  // biome-ignore lint/correctness/useExhaustiveDependencies: each of them changes what would be imported
  useEffect(() => {
    setRows([]);
    reset();
  }, [what, file, form, mapping, drawn, constants, date, reset]);

  if (failed(saved)) return <Failure error={saved.error} again={() => saved.refetch()} />;
  if (saved.isPending) return <Loading what="saved mappings" />;
  const writes = run.data ? run.data.new + run.data.replaces + run.data.changes : 0;
  const looked = run.data?.trial && run.data.refused === 0 && writes > 0;
  return (
    <>
      <div className="mt-4 flex flex-wrap items-end gap-x-8 gap-y-3">
        <Choice
          label="Import"
          value={what}
          options={lead ? sorts : sorts.filter((s) => s.value !== "bundle")}
          onChange={(v) => {
            const next = v as What;
            setWhat(next);
            if (forms[next] && !forms[next].includes(form)) setForm(forms[next][0]);
          }}
        />
        <label className="min-w-0">
          <span className="block text-[13px] text-soft">{asks[what]}</span>
          <input type="file" className="max-w-full" onChange={(e) => choose(e.target.files?.[0])} />
        </label>
        {forms[what] && (
          <Choice
            label="Format"
            value={form}
            options={forms[what].map((f) => ({ value: f, label: f }))}
            onChange={setForm}
          />
        )}
        {what === "readings" && (
          <Choice
            label="Columns"
            value={mapping}
            options={[own, ...saved.data.mappings.map((m) => m.name), fresh].map((m) => ({ value: m, label: m }))}
            onChange={(m) => {
              setMapping(m);
              const there = saved.data.mappings.find((x) => x.name === m);
              if (there) setForm(there.form);
            }}
          />
        )}
        {what === "system" && (
          <TextField
            label="Release date"
            hint="for a new release; a system does not report it"
            value={date}
            onChange={setDate}
          />
        )}
      </div>
      {what === "readings" && (
        <fieldset className="mt-4">
          <legend className="text-[13px] text-soft">If the file does not name them:</legend>
          <div className="grid max-w-4xl gap-x-6 gap-y-2 sm:grid-cols-2 md:grid-cols-4">
            {[
              { field: "edition", label: "Edition of all rows" },
              { field: "rig", label: "Rig of all rows" },
              { field: "phase", label: "Phase of all rows" },
              { field: "reviewer", label: "Reviewer of all rows" },
            ].map(({ field, label }) => (
              <TextField
                key={field}
                label={label}
                value={constants[field]}
                onChange={(v) => setConstants({ ...constants, [field]: v })}
              />
            ))}
          </div>
        </fieldset>
      )}
      {glancing.error && what === "readings" && <Refused error={glancing.error} className="mt-3" />}
      {what === "readings" && mapping === fresh && (
        <MappingEditor mapping={drawn} glance={glance} onChange={setDrawn} />
      )}
      <p className="mt-5 flex flex-wrap items-center gap-x-6 gap-y-2">
        <button
          type="button"
          className={looked ? "act" : "main-act"}
          disabled={!file || run.isPending}
          onClick={() => run.mutate(true)}
        >
          Preview
        </button>
        {looked && (
          <button type="button" className="main-act" disabled={run.isPending} onClick={() => run.mutate(false)}>
            Import {writes}
          </button>
        )}
        {!file && <span className="text-[13px] text-soft">Choose a file first.</span>}
      </p>
      {progress && <Bar {...progress} />}
      <Refused error={run.error} className="mt-3" />
      {run.data && <Outcome done={run.data} trial={run.data.trial} />}
      {rows.length > 0 && <Preview key={run.submittedAt} rows={rows} />}
    </>
  );
}

function Bar({ phase, done, of }: Progress) {
  return (
    <p className="mt-3 flex max-w-md items-center gap-3 text-[13px]">
      <progress value={done} max={of} className="w-60 accent-(--accent)" aria-label={phase} />
      <span role="status">
        {phase}
        {of > 1 && ` ${done} of ${of}`}
      </span>
    </p>
  );
}

function Outcome({ done, trial }: { done: Done; trial: boolean }) {
  const counts = [
    `${done.new} new`,
    `${done.same} the same`,
    done.changes > 0 && `${done.changes} changed`,
    done.replaces > 0 && `${done.replaces} replace others`,
  ]
    .filter(Boolean)
    .join(", ");
  const says = done.written
    ? `Imported: ${counts}.`
    : done.refused > 0
      ? `${done.refused} refused, so nothing ${trial ? "would be" : "was"} imported. ${counts}.`
      : done.new + done.replaces + done.changes === 0
        ? `Nothing to import: ${done.same} exist already.`
        : `${counts}. Nothing is imported yet.`;
  return (
    <p role="status" className={`mt-4 border-l-2 pl-3 ${done.refused ? "border-accent" : "border-ink"}`}>
      {says}
    </p>
  );
}
